package snapshot

import (
	"sync"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/money"
)

// ware is a variant as a region sells it. What most decisions read of it lies in
// one place, and names are numbers, since a decision's time goes by into reaching
// for memory.
type ware struct {
	Item     catalog.Item
	Price    money.Minor
	Cost     money.Minor
	Grams    int64 // of one
	Tax      money.Rate
	first    int32 // where the numbers of its product's names begin in shelving.names
	last     int32 // where they end
	Sold     bool  // once, not by a plan
	Timed    bool  // sales begin and end: the price is that of the moment
	OnSale   bool
	HasCost  bool
	GiftCard bool
	NeverOff bool
}

// shelving is the catalogue with its names numbered: collections and tags. It is
// shared by the snapshots of a shop that differ in nudges only.
type shelving struct {
	names   []int32 // of all products, one after the other
	numbers numbers
	from    []int32       // per variant: the first of its product's names
	to      []int32       // the end of them
	regions []regionWares // per region
}

// numbers counts the names of collections and tags through.
type numbers struct {
	Collections map[string]int32
	Tags        map[string]int32
}

// regionWares are the variants as one region sells them, by the catalogue's
// numbers, laid out when first asked for.
type regionWares struct {
	once sync.Once
	all  []ware
}

func (n *numbers) count() int { return len(n.Collections) + len(n.Tags) }

func (n *numbers) collection(name string) int32 { return n.of(n.Collections, name) }

func (n *numbers) tag(name string) int32 { return n.of(n.Tags, name) }

func (n *numbers) of(in map[string]int32, name string) int32 {
	at, ok := in[name]
	if !ok {
		at = int32(n.count())
		in[name] = at
	}
	return at
}

// shelve numbers the names of a catalogue.
func shelve(cat *catalog.Catalog, regions int) *shelving {
	s := &shelving{numbers: numbers{map[string]int32{}, map[string]int32{}}, regions: make([]regionWares, regions)}
	items := cat.Items()
	s.from, s.to = make([]int32, len(items)), make([]int32, len(items))
	at := 0
	for i := range cat.Products {
		p := &cat.Products[i]
		from := int32(len(s.names))
		for _, c := range p.Collections {
			s.names = append(s.names, s.numbers.collection(c))
		}
		for _, t := range p.Tags {
			s.names = append(s.names, s.numbers.tag(t))
		}
		for range p.Variants {
			s.from[at], s.to[at] = from, int32(len(s.names))
			at++
		}
	}
	return s
}

// Wares returns the variants as a region sells them, by the catalogue's numbers.
func (s *Snapshot) Wares(region int) []ware {
	r := &s.shelving.regions[region]
	r.once.Do(func() {
		in := &s.Shop.Regions[region]
		items := s.Shop.Catalog.Items()
		r.all = make([]ware, len(items))
		for i, it := range items {
			price, sold := it.Variant.Prices[in.Currency]
			w := ware{
				Item: it, Price: price.Price, Grams: it.Variant.Weight, Tax: in.Rate(it.Variant.TaxClass),
				first: s.shelving.from[i], last: s.shelving.to[i], Sold: sold, Timed: len(price.Sales) > 0, OnSale: price.OnSale(),
				GiftCard: it.Product.GiftCard, NeverOff: it.Product.NeverOff || it.Product.GiftCard,
			}
			if price.Cost != nil {
				w.Cost, w.HasCost = *price.Cost, true
			}
			r.all[i] = w
		}
	})
	return r.all
}

// Shelved returns the numbers of the collections and tags of a ware's product.
func (s *Snapshot) Shelved(w *ware) []int32 { return s.shelving.names[w.first:w.last] }
