package decide

import (
	"cmp"
	"maps"
	"reflect"
	"slices"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/codes"
)

// index finds the nudges that can matter to a cart, as positions in
// Snapshot.nudges.
type index struct {
	broad     []int32 // those that count goods of any kind
	byProduct map[string][]int32
	byName    lists // by the number of a collection or tag
	byCode    map[string][]int32
	byPool    map[string][]int32
	all       []int32
}

func (s *Snapshot) buildIndex() {
	slices.SortFunc(s.nudges, func(a, b compiled) int {
		return cmp.Or(cmp.Compare(a.Priority, b.Priority), cmp.Compare(a.ID, b.ID))
	})
	s.byID = make(map[string]int, len(s.nudges))
	for i := range s.nudges {
		s.byID[s.nudges[i].ID] = i
	}
	s.goods = false
	for i := range s.nudges {
		s.goods = s.goods || s.nudges[i].when.Goods()
	}
	for i := range s.retired {
		s.goods = s.goods || s.retired[i].when.Goods()
	}
	// Names that only nudges know get numbers too; other snapshots keep theirs.
	names := numbers{maps.Clone(s.shelving.numbers.collections), maps.Clone(s.shelving.numbers.tags)}
	for i := range s.nudges {
		s.nudges[i].number(&names)
	}
	s.names = names
	s.index = make([]index, len(s.shop.Regions))
	for r := range s.index {
		x := index{byProduct: map[string][]int32{}, byCode: map[string][]int32{}, byPool: map[string][]int32{}}
		byName := make([][]int32, names.count())
		for i := range s.nudges {
			x.put(int32(i), &s.nudges[i], s.shop.Regions[r].ID, byName)
		}
		x.byName = listsOf(byName)
		s.index[r] = x
	}
}

// number notes how a nudge is found, and the numbers of what its scope names.
func (n *compiled) number(names *numbers) {
	in := &n.scope.Include
	n.names = nil
	for _, c := range in.Collections {
		n.names = append(n.names, names.collection(c))
	}
	for _, t := range in.Tags {
		n.names = append(n.names, names.tag(t))
	}
	a := &n.Definition.Audience
	kinds := min(1, len(in.Products)) + min(1, len(in.Collections)) + min(1, len(in.Tags))
	n.keyed = a.Code == "" && a.Pool == "" && n.Definition.AppliesCode == "" && kinds > 0
	only := catalog.Filter{Include: catalog.Selection{Products: in.Products, Collections: in.Collections, Tags: in.Tags}}
	n.only = n.keyed && kinds == 1 && reflect.DeepEqual(n.scope, only)
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

// at returns a list.
func (l *lists) at(i int32) []int32 { return l.all[l.ends[i]:l.ends[i+1]] }

func (x *index) put(i int32, n *compiled, region string, byName [][]int32) {
	x.all = append(x.all, i)
	d := &n.Definition
	if len(d.Audience.Regions) > 0 && !slices.Contains(d.Audience.Regions, region) {
		return
	}
	in := &d.Ladder.Scope.Include
	switch {
	case d.Audience.Code != "":
		key := codes.Normal(d.Audience.Code)
		x.byCode[key] = append(x.byCode[key], i)
	case d.Audience.Pool != "":
		x.byPool[d.Audience.Pool] = append(x.byPool[d.Audience.Pool], i)
	case !n.keyed:
		x.broad = append(x.broad, i)
	case len(in.Products) > 0:
		for _, p := range in.Products {
			x.byProduct[p] = append(x.byProduct[p], i)
		}
	default: // the numbers of collections come first; tags count only where there are none
		for _, c := range n.names[:cmp.Or(len(in.Collections), len(n.names))] {
			byName[c] = append(byName[c], i)
		}
	}
}
