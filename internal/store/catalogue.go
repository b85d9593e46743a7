package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// Products reads a shop's whole catalogue in its order.
func (s *Store) Products(ctx context.Context, shop string) ([]catalog.Product, error) {
	var ps []Product
	if err := s.DB.WithContext(ctx).Where("shop_id = ?", shop).Order("position, id").Find(&ps).Error; err != nil {
		return nil, fmt.Errorf("reading products: %w", err)
	}
	var vs []Variant
	if err := s.DB.WithContext(ctx).Where("shop_id = ?", shop).Order("position, sku").Find(&vs).Error; err != nil {
		return nil, fmt.Errorf("reading variants: %w", err)
	}
	out := make([]catalog.Product, len(ps))
	at := make(map[string]int, len(ps))
	for i, p := range ps {
		at[p.ID] = i
		out[i] = catalog.Product{
			ID: p.ID, Title: p.Title, Description: p.Description, Picture: p.Picture,
			Collections: p.Collections, Tags: p.Tags, GiftCard: p.GiftCard, NeverOff: p.NeverOff,
		}
	}
	for _, v := range vs {
		p := &out[at[v.ProductID]]
		p.Variants = append(p.Variants, catalog.Variant{
			SKU: v.SKU, Options: v.Options, Prices: v.Prices, Plans: v.Plans, Stock: v.Stock, Weight: v.Weight, TaxClass: v.TaxClass,
		})
	}
	return out, nil
}

// Regions reads a shop's regions in their order.
func (s *Store) Regions(ctx context.Context, shop string) ([]catalog.Region, error) {
	var rows []Region
	if err := s.DB.WithContext(ctx).Where("shop_id = ?", shop).Order("position").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("reading regions: %w", err)
	}
	out := make([]catalog.Region, len(rows))
	for i, r := range rows {
		out[i] = r.Definition
	}
	return out, nil
}

// SaveProducts writes products and their variants, all or none: new ones are
// added at the end, those with a known id or SKU are replaced, others stay. A
// variant may move to another product. What a file of goods does not hold
// (sales, plans, the price history) is kept. progress is told how many variants are
// written; it is called from this goroutine.
func (s *Store) SaveProducts(ctx context.Context, shop string, products []catalog.Product, now time.Time, progress func(done int)) error {
	had, err := s.Products(ctx, shop)
	if err != nil {
		return err
	}
	old, err := catalog.New(had)
	if err != nil {
		return err
	}
	catalog.Carry(old, products, now)
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		// One catalogue change at a time, so that positions do not collide.
		if _, err := tx.Exec(ctx, "SELECT 1 FROM shops WHERE id = $1 FOR UPDATE", shop); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `
			CREATE TEMP TABLE new_products (LIKE products INCLUDING DEFAULTS) ON COMMIT DROP;
			CREATE TEMP TABLE new_variants (LIKE variants INCLUDING DEFAULTS) ON COMMIT DROP`); err != nil {
			return fmt.Errorf("preparing: %w", err)
		}
		if err := copyProducts(ctx, tx, shop, products); err != nil {
			return fmt.Errorf("copying products: %w", err)
		}
		if err := copyVariants(ctx, tx, shop, products, progress); err != nil {
			return fmt.Errorf("copying variants: %w", err)
		}
		if _, err := tx.Exec(ctx, `
			INSERT INTO products SELECT shop_id, id, position + (SELECT coalesce(max(position) + 1, 0) FROM products WHERE shop_id = $1),
				title, description, picture, collections, tags, gift_card, never_off FROM new_products n
			ON CONFLICT (shop_id, id) DO UPDATE SET title = excluded.title, description = excluded.description, picture = excluded.picture,
				collections = excluded.collections, tags = excluded.tags, gift_card = excluded.gift_card, never_off = excluded.never_off`, shop); err != nil {
			return fmt.Errorf("writing products: %w", err)
		}
		if _, err := tx.Exec(ctx, `
			INSERT INTO variants SELECT shop_id, sku, product_id, position + (SELECT coalesce(max(position) + 1, 0) FROM variants WHERE shop_id = $1),
				options, prices, stock, weight, tax_class, plans FROM new_variants n
			ON CONFLICT (shop_id, sku) DO UPDATE SET product_id = excluded.product_id, options = excluded.options, prices = excluded.prices,
				stock = excluded.stock, weight = excluded.weight, tax_class = excluded.tax_class, plans = excluded.plans`, shop); err != nil {
			return fmt.Errorf("writing variants: %w", err)
		}
		_, err := tx.Exec(ctx, "SELECT pg_notify($1, $2)", Channel, shop)
		return err
	})
}

func copyProducts(ctx context.Context, tx pgx.Tx, shop string, products []catalog.Product) error {
	cols := []string{"shop_id", "id", "position", "title", "description", "picture", "collections", "tags", "gift_card", "never_off"}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"new_products"}, cols, pgx.CopyFromSlice(len(products), func(i int) ([]any, error) {
		p := products[i]
		return []any{shop, p.ID, i, p.Title, p.Description, p.Picture, jsonOf(p.Collections), jsonOf(p.Tags), p.GiftCard, p.NeverOff}, nil
	}))
	return err
}

func copyVariants(ctx context.Context, tx pgx.Tx, shop string, products []catalog.Product, progress func(int)) error {
	type row struct {
		product string
		v       *catalog.Variant
	}
	var rows []row
	for i := range products {
		for j := range products[i].Variants {
			rows = append(rows, row{products[i].ID, &products[i].Variants[j]})
		}
	}
	cols := []string{"shop_id", "sku", "product_id", "position", "options", "prices", "stock", "weight", "tax_class", "plans"}
	_, err := tx.CopyFrom(ctx, pgx.Identifier{"new_variants"}, cols, pgx.CopyFromSlice(len(rows), func(i int) ([]any, error) {
		if progress != nil {
			progress(i + 1)
		}
		v := rows[i].v
		return []any{shop, v.SKU, rows[i].product, i, jsonOf(v.Options), jsonOf(v.Prices), v.Stock, v.Weight, v.TaxClass, plansOf(v)}, nil
	}))
	return err
}

// plansOf encodes a variant's plans for a jsonb column; none as an empty object.
func plansOf(v *catalog.Variant) string {
	if len(v.Plans) == 0 {
		return "{}"
	}
	return jsonOf(v.Plans)
}

// jsonOf encodes lists and maps for a jsonb column; nil lists as empty ones.
func jsonOf(v any) string {
	b, err := json.Marshal(v)
	if err != nil || string(b) == "null" {
		return "[]"
	}
	return string(b)
}

// Channel is where changes of a shop that decisions depend on are announced; the
// payload is the shop's id.
const Channel = "agonal_shop"

// Announce tells every instance that a shop changed.
func (s *Store) Announce(ctx context.Context, shop string) error {
	return s.DB.WithContext(ctx).Exec("SELECT pg_notify(?, ?)", Channel, shop).Error
}

// SavePrices writes the prices of variants, by SKU.
func SavePrices(tx *gorm.DB, shop string, prices map[string]map[money.Currency]catalog.Price) error {
	b, err := json.Marshal(prices)
	if err != nil {
		return err
	}
	return tx.Exec("UPDATE variants v SET prices = n.value FROM jsonb_each(?::jsonb) n WHERE v.shop_id = ? AND v.sku = n.key", string(b), shop).Error
}
