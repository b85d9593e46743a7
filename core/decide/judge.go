package decide

import (
	"strconv"
	"strings"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/snapshot"
)

// Judge tells of a condition, and of every one within it, whether it holds for a
// request. The keys are paths: "" for the condition itself, "0.1" for the second
// member of its first. Errors are those of [Decide], or of the condition.
func Judge(s *snapshot.Snapshot, req Request, c *audience.Condition) (map[string]audience.Truth, error) {
	desk := desks.Get().(*desk)
	defer desk.clear()
	desk.order = req.Cart.order(desk.order[:0])
	if err := req.check(desk.order); err != nil {
		return nil, err
	}
	at, err := regionOf(s, req.Cart)
	if err != nil {
		return nil, err
	}
	w := &work{desk: desk, s: s, req: &req, region: &s.Shop.Regions[at], at: at}
	if err := w.look(desk.order); err != nil {
		return nil, err
	}
	out := map[string]audience.Truth{}
	return out, judge(c, w.facts(), "", out)
}

func judge(c *audience.Condition, f *audience.Facts, path string, out map[string]audience.Truth) error {
	tree, err := audience.Compile(c)
	if err != nil {
		return err
	}
	out[path] = tree.Holds(f)
	for _, group := range [][]audience.Condition{c.All, c.Any, c.None} {
		for i := range group {
			if err := judge(&group[i], f, strings.TrimPrefix(path+"."+strconv.Itoa(i), "."), out); err != nil {
				return err
			}
		}
	}
	return nil
}
