package snapshot

import (
	"cmp"
	"maps"
	"reflect"
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/codes"
)

// Index finds the nudges that can matter to a cart, as positions in
// Snapshot.nudges.
type Index struct {
	Broad     []int32 // those that count goods of any kind
	ByProduct map[string][]int32
	ByName    lists // by the number of a collection or tag
	ByCode    map[string][]int32
	ByPool    map[string][]int32
	All       []int32
}

func (s *Snapshot) buildIndex() {
	slices.SortFunc(s.Nudges, func(a, b Compiled) int {
		return cmp.Or(cmp.Compare(a.Priority, b.Priority), cmp.Compare(a.ID, b.ID))
	})
	s.byID = make(map[string]int, len(s.Nudges))
	for i := range s.Nudges {
		s.byID[s.Nudges[i].ID] = i
	}
	s.Goods = false
	for i := range s.Nudges {
		s.Goods = s.Goods || s.Nudges[i].When.Goods()
	}
	for i := range s.Retired {
		s.Goods = s.Goods || s.Retired[i].When.Goods()
	}
	// Names that only nudges know get numbers too; other snapshots keep theirs.
	names := numbers{maps.Clone(s.shelving.numbers.Collections), maps.Clone(s.shelving.numbers.Tags)}
	for i := range s.Nudges {
		s.Nudges[i].number(&names)
	}
	s.Names = names
	s.Index = make([]Index, len(s.Shop.Regions))
	for r := range s.Index {
		x := Index{ByProduct: map[string][]int32{}, ByCode: map[string][]int32{}, ByPool: map[string][]int32{}}
		byName := make([][]int32, names.count())
		for i := range s.Nudges {
			x.put(int32(i), &s.Nudges[i], s.Shop.Regions[r].ID, byName)
		}
		x.ByName = listsOf(byName)
		s.Index[r] = x
	}
}

// number notes how a nudge is found, and the numbers of what its scope names.
func (n *Compiled) number(names *numbers) {
	in := &n.Scope.Include
	n.Names = nil
	for _, c := range in.Collections {
		n.Names = append(n.Names, names.collection(c))
	}
	for _, t := range in.Tags {
		n.Names = append(n.Names, names.tag(t))
	}
	a := &n.Definition.Audience
	kinds := min(1, len(in.Products)) + min(1, len(in.Collections)) + min(1, len(in.Tags))
	n.Keyed = a.Code == "" && a.Pool == "" && n.Definition.AppliesCode == "" && kinds > 0
	only := catalog.Filter{Include: catalog.Selection{Products: in.Products, Collections: in.Collections, Tags: in.Tags}}
	n.Only = n.Keyed && kinds == 1 && reflect.DeepEqual(n.Scope, only)
}

// lists are many short lists in one place.
type lists struct {
	ends []int32
	all  []int32
}

func listsOf(in [][]int32) lists {
	out := lists{ends: make([]int32, len(in)+1)}
	for i, l := range in {
		out.all = append(out.all, l...)
		out.ends[i+1] = int32(len(out.all))
	}
	return out
}

// At returns a list.
func (l *lists) At(i int32) []int32 { return l.all[l.ends[i]:l.ends[i+1]] }

func (x *Index) put(i int32, n *Compiled, region string, byName [][]int32) {
	x.All = append(x.All, i)
	d := &n.Definition
	if len(d.Audience.Regions) > 0 && !slices.Contains(d.Audience.Regions, region) {
		return
	}
	in := &d.Ladder.Scope.Include
	switch {
	case d.Audience.Code != "":
		key := codes.Normal(d.Audience.Code)
		x.ByCode[key] = append(x.ByCode[key], i)
	case d.Audience.Pool != "":
		x.ByPool[d.Audience.Pool] = append(x.ByPool[d.Audience.Pool], i)
		if d.Audience.EarnedBy != "" {
			x.Broad = append(x.Broad, i) // it is asked for before there is a code
		}
	case !n.Keyed:
		x.Broad = append(x.Broad, i)
	case len(in.Products) > 0:
		for _, p := range in.Products {
			x.ByProduct[p] = append(x.ByProduct[p], i)
		}
	default: // the numbers of collections come first; tags count only where there are none
		for _, c := range n.Names[:cmp.Or(len(in.Collections), len(n.Names))] {
			byName[c] = append(byName[c], i)
		}
	}
}
