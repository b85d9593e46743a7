package snapshot

import (
	"encoding/json"
	"fmt"
	"time"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/strict"
)

// DocumentVersion is the version of the shop document.
const DocumentVersion = 1

// Limits of documents, in bytes.
const (
	MostShopBytes    = 256 << 20
	MostRequestBytes = 8 << 20
)

// Document is the JSON form of a [Shop].
type Document struct {
	Version  int               `json:"version"`
	Settings Settings          `json:"settings,omitzero"`
	Regions  []catalog.Region  `json:"regions"`
	Products []catalog.Product `json:"products"`
	Nudges   []DocumentNudge   `json:"nudges"`
	// Retired are revisions that were in force lately.
	Retired []DocumentNudge `json:"retired,omitempty"`
	// Companions is how much likelier one product is in orders that hold another:
	// the lift, in thousandths, by product id and product id.
	Companions map[string]map[string]int64 `json:"companions,omitempty"`
}

// DocumentNudge is a revision of a nudge in a shop document.
type DocumentNudge struct {
	ID         string           `json:"id"`
	Revision   int              `json:"revision,omitempty"`
	Priority   int              `json:"priority"` // 1 is first
	RetiredAt  *time.Time       `json:"retired_at,omitempty"`
	Definition nudge.Definition `json:"definition"`
}

// Document is the shop document that says the same as a shop: the inverse of
// [Document.Shop].
func (s *Shop) Document() Document {
	d := Document{Version: DocumentVersion, Settings: s.Settings, Regions: s.Regions, Products: s.Catalog.Products, Nudges: []DocumentNudge{}, Companions: s.Companions}
	of := func(l *Live) DocumentNudge {
		return DocumentNudge{ID: l.ID, Revision: l.Revision, Priority: l.Priority, Definition: l.Definition}
	}
	for i := range s.Nudges {
		d.Nudges = append(d.Nudges, of(&s.Nudges[i]))
	}
	for i := range s.Retired {
		n := of(&s.Retired[i].Live)
		n.RetiredAt = &s.Retired[i].At
		d.Retired = append(d.Retired, n)
	}
	return d
}

// ParseShop reads a shop document. Unknown fields are refused by name; so is a
// nudge that is not well formed, and one that gives what the shop does not sell.
func ParseShop(b []byte) (Shop, error) {
	var d Document
	if err := strict.Decode(b, &d, "shop", MostShopBytes); err != nil {
		return Shop{}, err
	}
	return d.Shop()
}

// Shop checks a document and builds the shop of it.
func (d Document) Shop() (Shop, error) {
	if d.Version != DocumentVersion {
		return Shop{}, strict.Error{Field: "version", Why: fmt.Sprintf("must be %d", DocumentVersion)}
	}
	cat, err := catalog.New(d.Products)
	if err != nil {
		return Shop{}, strict.Error{Field: "products", Why: err.Error()}
	}
	out := Shop{Settings: d.Settings, Catalog: cat, Regions: d.Regions, Companions: d.Companions}
	seen := map[string]bool{}
	for i, n := range d.Nudges {
		at := fmt.Sprintf("nudges[%d]", i)
		if n.ID == "" || seen[n.ID] {
			return Shop{}, strict.Error{Field: at + ".id", Why: fmt.Sprintf("%q is empty or used twice", n.ID)}
		}
		seen[n.ID] = true
		out.Nudges = append(out.Nudges, Live{n.ID, n.Revision, n.Priority, n.Definition})
	}
	for i, n := range d.Retired {
		if n.RetiredAt == nil {
			return Shop{}, strict.Error{Field: fmt.Sprintf("retired[%d].retired_at", i), Why: "is needed"}
		}
		out.Retired = append(out.Retired, Retired{Live{n.ID, n.Revision, n.Priority, n.Definition}, *n.RetiredAt})
	}
	if _, err := Compile(out); err != nil {
		return Shop{}, err
	}
	return out, nil
}

// PrintShop writes a shop's document: the same shop gives the same bytes.
func PrintShop(s Shop) ([]byte, error) {
	d := Document{Version: DocumentVersion, Settings: s.Settings, Regions: s.Regions, Products: s.Catalog.Products, Nudges: []DocumentNudge{}, Companions: s.Companions}
	for _, n := range s.Nudges {
		d.Nudges = append(d.Nudges, DocumentNudge{ID: n.ID, Revision: n.Revision, Priority: n.Priority, Definition: n.Definition})
	}
	for _, n := range s.Retired {
		at := n.At
		d.Retired = append(d.Retired, DocumentNudge{ID: n.ID, Revision: n.Revision, Priority: n.Priority, RetiredAt: &at, Definition: n.Definition})
	}
	return json.MarshalIndent(d, "", "  ")
}
