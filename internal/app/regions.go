package app

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/snapshot"
	"agonal.dev/agonal/core/strict"
	"agonal.dev/agonal/internal/store"
)

// MostRegions is how many regions a shop may have.
const MostRegions = 60

// Breaks says that a change of the shop would leave live nudges with a promise
// they cannot keep.
type Breaks struct{ Nudges []Broken }

// Broken is a live nudge and what a change would take from it.
type Broken struct {
	ID, Name string
	Say      []string
}

func (b Breaks) Error() string {
	return fmt.Sprintf("this would break %d live nudges", len(b.Nudges))
}

// Stale says that what one was about to change was changed by somebody else.
type Stale struct{ What string }

func (s Stale) Error() string { return s.What + " was changed in the meantime" }

// ShopConfig is what a shop is besides its goods and nudges: what its pages of
// regions and settings change.
type ShopConfig struct {
	Name     string
	Town     string
	TimeZone string
	Locale   string
	Origins  []string
	Settings snapshot.Settings
	Regions  []catalog.Region
}

// Version tells two states of a configuration apart.
func (c ShopConfig) Version() string {
	b, err := json.Marshal(c)
	if err != nil {
		return ""
	}
	return HashKey(string(b))[:16]
}

// RegionVersion tells two states of a region apart; of none it is "new".
func (c ShopConfig) RegionVersion(id string) string {
	i := slices.IndexFunc(c.Regions, func(r catalog.Region) bool { return r.ID == id })
	if i < 0 {
		return "new"
	}
	b, err := json.Marshal(c.Regions[i])
	if err != nil {
		return ""
	}
	return HashKey(string(b))[:16]
}

// SettingsVersion tells two states of all but the regions apart.
func (c ShopConfig) SettingsVersion() string {
	c.Regions = nil
	return c.Version()
}

func configOf(s *store.Shop, regions []catalog.Region) ShopConfig {
	settings := s.Settings
	settings.TimeZone = ""
	return ShopConfig{s.Name, s.Town, s.TimeZone, s.Locale, s.Origins, settings, regions}
}

// Config reads a shop's configuration.
func (a *App) Config(ctx context.Context, shop string) (ShopConfig, error) {
	snap, err := a.Snapshots.Get(ctx, shop)
	if err != nil {
		return ShopConfig{}, err
	}
	return configOf(&snap.Shop, snap.Regions()), nil
}

// ChangeConfig changes a shop's configuration as a whole. Where live nudges would
// break, nothing is changed and Breaks says which; with pause they are paused and
// the change is made. Errors: Problem, Breaks, Stale.
func (a *App) ChangeConfig(ctx context.Context, shop, who string, pause bool, change func(*ShopConfig) error) error {
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		var row store.Shop
		if err := tx.Where("id = ?", shop).Take(&row).Error; err != nil {
			return err
		}
		s := &store.Store{DB: tx, Pool: a.Store.Pool}
		old, err := s.Regions(ctx, shop)
		if err != nil {
			return err
		}
		c := configOf(&row, slices.Clone(old))
		if err := change(&c); err != nil {
			return err
		}
		if err := c.check(); err != nil {
			return err
		}
		broken, err := a.broken(ctx, s, &row, old, c)
		if err != nil {
			return err
		}
		if len(broken) > 0 && !pause {
			return Breaks{broken}
		}
		for _, b := range broken {
			err := tx.Model(&store.Nudge{}).Where("shop_id = ? AND id = ? AND state = ?", shop, b.ID, store.StateLive).
				Updates(map[string]any{"state": store.StatePaused, "state_since": a.Now().UTC(), "changed_by": who}).Error
			if err != nil {
				return err
			}
		}
		if err := saveConfig(tx, &row, c); err != nil {
			return err
		}
		return announce(tx, shop)
	})
	if err != nil {
		return err
	}
	return a.ringRead(ctx, a.refreshed(ctx, shop, nil))
}

// check refuses a configuration that no shop can have.
func (c *ShopConfig) check() error {
	if err := (NewShop{c.Name, c.Town, c.TimeZone, c.Locale}).check(); err != nil {
		return err
	}
	if len(c.Regions) > MostRegions {
		return Problem{"regions", fmt.Sprintf("%d regions are too many; at most %d.", len(c.Regions), MostRegions)}
	}
	empty, err := catalog.New(nil)
	if err != nil {
		return err
	}
	if _, err := snapshot.Compile(snapshot.Shop{Settings: c.Settings, Regions: c.Regions, Catalog: empty}); err != nil {
		return Problem{"regions", err.Error()}
	}
	return nil
}

// broken lists the live nudges in which checks would find something that stops
// them and that they do not find today. Regions that are new take nothing away.
func (a *App) broken(ctx context.Context, s *store.Store, shop *store.Shop, old []catalog.Region, c ShopConfig) ([]Broken, error) {
	live, err := s.Live(ctx, shop.ID)
	if err != nil || len(live) == 0 {
		return nil, err
	}
	products, err := s.Products(ctx, shop.ID)
	if err != nil {
		return nil, err
	}
	cat, err := catalog.New(products)
	if err != nil {
		return nil, err
	}
	kept := slices.DeleteFunc(slices.Clone(c.Regions), func(r catalog.Region) bool {
		return !slices.ContainsFunc(old, func(o catalog.Region) bool { return o.ID == r.ID })
	})
	stops := func(l snapshot.Live, regions []catalog.Region) (out []string) {
		for _, f := range checks.Find(l.Definition, checks.Context{Regions: regions, Catalog: cat, Now: a.Now(), Locale: c.Locale}) {
			if f.Severity == checks.Stop {
				out = append(out, f.Say)
			}
		}
		return out
	}
	var out []Broken
	for _, l := range live {
		before := stops(l, old)
		b := Broken{ID: l.ID, Name: l.Definition.Name}
		for _, say := range stops(l, kept) {
			if !slices.Contains(before, say) {
				b.Say = append(b.Say, say)
			}
		}
		if len(b.Say) > 0 {
			out = append(out, b)
		}
	}
	return out, nil
}

func saveConfig(tx *gorm.DB, row *store.Shop, c ShopConfig) error {
	row.Name, row.Town, row.TimeZone, row.Locale, row.Origins, row.Settings = c.Name, c.Town, c.TimeZone, c.Locale, c.Origins, c.Settings
	if row.Origins == nil {
		row.Origins = []string{}
	}
	if err := tx.Save(row).Error; err != nil {
		return err
	}
	if err := tx.Where("shop_id = ?", row.ID).Delete(&store.Region{}).Error; err != nil {
		return err
	}
	if len(c.Regions) == 0 {
		return nil
	}
	rows := make([]store.Region, len(c.Regions))
	for i, r := range c.Regions {
		rows[i] = store.Region{ShopID: row.ID, ID: r.ID, Position: i, Definition: r}
	}
	return tx.Create(&rows).Error
}

// RegionID makes an id of a region's name that is not in use.
func (c ShopConfig) RegionID(name string) string {
	ids := []string{"new"} // the address of the page that makes one
	for _, r := range c.Regions {
		ids = append(ids, r.ID)
	}
	return freeID(name, ids)
}

// PrintConfig writes settings and regions as a shop document without goods and
// nudges. Amounts are minor units.
func PrintConfig(c ShopConfig) ([]byte, error) {
	c.Settings.TimeZone = c.TimeZone
	return json.MarshalIndent(snapshot.Document{Version: snapshot.DocumentVersion, Settings: c.Settings, Regions: c.Regions, Products: []catalog.Product{}, Nudges: []snapshot.DocumentNudge{}}, "", "  ")
}

// MostConfigBytes is the largest configuration document that is read.
const MostConfigBytes = 4 << 20

// ReadConfig puts the settings and regions of a shop document into a
// configuration; goods and nudges in it are refused, since they come in elsewhere.
func ReadConfig(b []byte, c *ShopConfig) error {
	var d snapshot.Document
	if err := strict.Decode(b, &d, "shop", MostConfigBytes); err != nil {
		return Problem{"file", err.Error()}
	}
	switch {
	case d.Version != snapshot.DocumentVersion:
		return Problem{"file", fmt.Sprintf("version: must be %d", snapshot.DocumentVersion)}
	case len(d.Products) > 0:
		return Problem{"file", "products: goods come in as a catalogue file, under Products"}
	case len(d.Nudges) > 0 || len(d.Retired) > 0:
		return Problem{"file", "nudges: this file is for settings and regions only"}
	case len(d.Regions) == 0:
		return Problem{"file", "regions: at least one is needed"}
	}
	if d.Settings.TimeZone != "" {
		c.TimeZone = d.Settings.TimeZone
	}
	d.Settings.TimeZone = ""
	c.Settings, c.Regions = d.Settings, d.Regions
	return nil
}
