package app

import (
	"context"
	"errors"
	"fmt"
	"reflect"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/catalog/catalogcsv"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/internal/store"
)

// JobQueue takes long work.
type JobQueue interface {
	// EnqueueImport queues the bringing in of a file within a transaction.
	EnqueueImport(ctx context.Context, tx pgx.Tx, shop string, id uuid.UUID) error
}

// namesShown is how many new and changed SKUs a preview lists.
const namesShown = 30

// PreviewImport reads a file and stores it together with what it would change.
// Nothing of the catalogue is changed yet.
func (a *App) PreviewImport(ctx context.Context, shop, who, name string, file []byte) (store.Import, error) {
	products, faults := catalogcsv.Read(file)
	summary := store.ImportSummary{RefusedInAll: len(faults)}
	for _, f := range faults[:min(len(faults), 100)] {
		summary.Refused = append(summary.Refused, store.Refusal{Line: f.Line, Column: f.Column, Why: f.Why})
	}
	have, err := a.Store.Products(ctx, shop)
	if err != nil {
		return store.Import{}, err
	}
	compare(&summary, have, products)
	im := store.Import{
		ShopID: shop, ID: uuid.New(), State: store.ImportPreviewed, FileName: name, File: file, Summary: summary,
		Total: summary.RowsRead, CreatedAt: a.Now().UTC(), CreatedBy: who,
	}
	if len(faults) > 0 && len(products) == 0 {
		im.File = []byte{} // nothing in it can be brought in
	}
	return im, a.Store.DB.WithContext(ctx).Create(&im).Error
}

// compare counts what a file would change, variant by variant.
func compare(s *store.ImportSummary, have, file []catalog.Product) {
	type known struct {
		product *catalog.Product
		variant *catalog.Variant
	}
	bySKU := map[string]known{}
	for i := range have {
		for j := range have[i].Variants {
			bySKU[have[i].Variants[j].SKU] = known{&have[i], &have[i].Variants[j]}
		}
	}
	for i := range file {
		p := &file[i]
		for j := range p.Variants {
			v := &p.Variants[j]
			s.RowsRead++
			k, ok := bySKU[v.SKU]
			switch {
			case !ok:
				s.New++
				s.NewNames = nameUpTo(s.NewNames, v.SKU)
			case sameProduct(k.product, p) && sameVariant(k.variant, v):
				s.Unchanged++
			default:
				s.Changed++
				s.ChangedNames = nameUpTo(s.ChangedNames, v.SKU)
			}
		}
	}
}

func nameUpTo(names []string, sku string) []string {
	if len(names) < namesShown {
		return append(names, sku)
	}
	return names
}

func sameProduct(a, b *catalog.Product) bool {
	return a.ID == b.ID && a.Title == b.Title && a.Description == b.Description && a.Picture == b.Picture &&
		a.GiftCard == b.GiftCard && a.NeverOff == b.NeverOff && sameList(a.Collections, b.Collections) && sameList(a.Tags, b.Tags)
}

func sameVariant(a, b *catalog.Variant) bool {
	return sameList(a.Options, b.Options) && samePrices(a.Prices, b.Prices) && reflect.DeepEqual(a.Stock, b.Stock) &&
		a.Weight == b.Weight && a.TaxClass == b.TaxClass
}

// samePrices compares what a file of goods holds: sales and the price history are
// not in it.
func samePrices(a, b map[money.Currency]catalog.Price) bool {
	plain := func(in map[money.Currency]catalog.Price) map[money.Currency]catalog.Price {
		out := map[money.Currency]catalog.Price{}
		for c, p := range in {
			out[c] = catalog.Price{Price: p.Price, Reference: p.Reference, Cost: p.Cost}
		}
		return out
	}
	return reflect.DeepEqual(plain(a), plain(b))
}

func sameList[T comparable](a, b []T) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}

// Import reads an import, without its file.
func (a *App) Import(ctx context.Context, shop string, id uuid.UUID) (store.Import, error) {
	var im store.Import
	err := a.Store.DB.WithContext(ctx).Omit("file").Where("shop_id = ? AND id = ?", shop, id).Take(&im).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return im, ErrNotFound
	}
	return im, err
}

// StartImport puts the bringing in of a previewed file into the queue. A second
// call changes nothing.
func (a *App) StartImport(ctx context.Context, shop string, id uuid.UUID) error {
	return pgx.BeginFunc(ctx, a.Store.Pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `UPDATE imports SET state = 'running' WHERE shop_id = $1 AND id = $2 AND state = 'previewed'
			AND (summary->>'RefusedInAll')::int = 0`, shop, id)
		if err != nil {
			return err
		}
		if tag.RowsAffected() == 0 {
			return nil
		}
		return a.jobs.EnqueueImport(ctx, tx, shop, id)
	})
}

// RunImport brings a file in, all or nothing, and tells its progress.
func (a *App) RunImport(ctx context.Context, shop string, id uuid.UUID) error {
	var im store.Import
	if err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id = ?", shop, id).Take(&im).Error; err != nil {
		return fmt.Errorf("reading import %s: %w", id, err)
	}
	if im.State != store.ImportRunning {
		return nil
	}
	products, faults := catalogcsv.Read(im.File)
	if len(faults) > 0 {
		return a.endImport(ctx, &im, faults[0])
	}
	step := max(1, im.Total/20)
	err := a.Store.SaveProducts(ctx, shop, products, a.Now(), func(done int) {
		if done%step == 0 {
			a.Store.DB.WithContext(ctx).Model(&store.Import{}).Where("shop_id = ? AND id = ?", shop, id).Update("done", done)
		}
	})
	if store.Unreachable(err) {
		return err // the queue tries again
	}
	if err := a.endImport(ctx, &im, err); err != nil {
		return err
	}
	_, err = a.Snapshots.Refresh(ctx, shop)
	return err
}

func (a *App) endImport(ctx context.Context, im *store.Import, failure error) error {
	set := map[string]any{"state": store.ImportDone, "done": im.Total, "file": []byte{}}
	if failure != nil {
		set = map[string]any{"state": store.ImportFailed, "error": failure.Error(), "done": 0}
	}
	return a.Store.DB.WithContext(ctx).Model(&store.Import{}).Where("shop_id = ? AND id = ?", im.ShopID, im.ID).Updates(set).Error
}

// ExportCatalogue writes a shop's catalogue in the form that can be brought in.
func (a *App) ExportCatalogue(ctx context.Context, shop string) ([]byte, error) {
	products, err := a.Store.Products(ctx, shop)
	if err != nil {
		return nil, err
	}
	return catalogcsv.Write(products)
}
