package app

import (
	"context"
	"errors"
	"fmt"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"gorm.io/gorm"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/catalog/catalogcsv"
	"agonal.dev/agonal/core/catalog/jsonld"
	"agonal.dev/agonal/internal/store"
)

// JobQueue takes long work.
type JobQueue interface {
	// EnqueueImport queues the bringing in of a file within a transaction.
	EnqueueImport(ctx context.Context, tx pgx.Tx, shop string, id uuid.UUID) error
}

// How much a preview lists.
const (
	namesShown   = 30  // new SKUs
	changesShown = 200 // cells that change
)

// PreviewImport reads a file and stores it together with what it would change.
// Nothing of the catalogue is changed yet.
func (a *App) PreviewImport(ctx context.Context, shop, who, name string, file []byte) (store.Import, error) {
	have, err := a.Store.Products(ctx, shop)
	if err != nil {
		return store.Import{}, err
	}
	var told []jsonld.Fault
	if jsonld.Is(file) {
		var read []catalog.Product
		if read, told = jsonld.Read(file); len(read) > 0 {
			if file, err = catalogcsv.Write(jsonld.Over(have, read)); err != nil {
				return store.Import{}, err
			}
		}
	}
	var products []catalog.Product
	var faults []catalogcsv.RowError
	if !jsonld.Is(file) {
		products, faults = catalogcsv.Read(file)
	}
	summary := store.ImportSummary{RefusedInAll: len(told) + len(faults)}
	for _, f := range told[:min(len(told), 100)] {
		summary.Refused = append(summary.Refused, store.Refusal{Column: f.Field, Why: f.Error()})
	}
	for _, f := range faults[:min(len(faults), 100)] {
		summary.Refused = append(summary.Refused, store.Refusal{Line: f.Line, Column: f.Column, Why: f.Why})
	}
	compare(&summary, have, products)
	im := store.Import{
		ShopID: shop, ID: uuid.New(), State: store.ImportPreviewed, FileName: name, File: file, Summary: summary,
		Total: summary.RowsRead, CreatedAt: a.Now().UTC(), CreatedBy: who,
	}
	if len(told)+len(faults) > 0 && len(products) == 0 {
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
			if !ok {
				s.New++
				if len(s.NewNames) < namesShown {
					s.NewNames = append(s.NewNames, v.SKU)
				}
				continue
			}
			diff := catalogcsv.Compare(k.product, k.variant, p, v)
			if len(diff) == 0 {
				s.Unchanged++
				continue
			}
			s.Changed++
			label := catalog.Item{Product: k.product, Variant: k.variant}.Label()
			for _, d := range diff {
				if len(s.Changes) < changesShown {
					s.Changes = append(s.Changes, store.Change{SKU: v.SKU, Label: label, Column: d.Column, Before: d.Before, After: d.After})
				}
			}
		}
	}
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

// CancelImport lets a previewed file go. One that runs or is done stays so.
func (a *App) CancelImport(ctx context.Context, shop string, id uuid.UUID) error {
	return a.Store.DB.WithContext(ctx).Model(&store.Import{}).Where("shop_id = ? AND id = ? AND state = ?", shop, id, store.ImportPreviewed).
		Updates(map[string]any{"state": store.ImportCancelled, "file": []byte{}}).Error
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

// TriedTag is the tag of goods that were put in to try things out.
const TriedTag = "to-try"

// DropTried takes goods out that were put in to try, and tells how many products
// they were. Live nudges that name them stand in the way.
func (a *App) DropTried(ctx context.Context, shop string) (int64, error) {
	var n int64
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		live, err := (&store.Store{DB: tx, Pool: a.Store.Pool}).Live(ctx, shop)
		if err != nil {
			return err
		}
		if len(live) > 0 {
			return Problem{"goods", fmt.Sprintf("%d nudges are live on these goods. Pause or end them first.", len(live))}
		}
		r := tx.Where("shop_id = ? AND tags @> ?::jsonb", shop, `["`+TriedTag+`"]`).Delete(&store.Product{})
		if n = r.RowsAffected; r.Error != nil {
			return r.Error
		}
		return announce(tx, shop)
	})
	return n, a.refreshed(ctx, shop, err)
}
