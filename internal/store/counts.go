package store

import (
	"context"
	"fmt"
	"math/big"
	"strings"
	"time"

	"agonal.dev/agonal/core/results"
)

// By is something that counts are told apart by, besides their kind, nudge and arm.
type By string

// What counts may be told apart by.
const (
	ByDay       By = "day"
	ByRung      By = "rung"
	ByRevision  By = "revision"
	ByPlacement By = "placement"
	ByRegion    By = "region"
	ByLanguage  By = "language"
	ByDevice    By = "device"
	ByShare     By = "share" // of visitors from whom what is counted is kept
)

// CountQuery asks for counts of a period, both days included. Empty lists and names leave
// nothing out.
type CountQuery struct {
	From, To  time.Time
	Regions   []string
	Languages []string
	Devices   []string
	Nudge     string
	Kinds     []results.Kind
	By        []By
}

// Counts sums a shop's cells up.
func (s *Store) Counts(ctx context.Context, shop string, q CountQuery) ([]results.Count, error) {
	args := map[string]any{"shop": shop, "from": q.From, "to": q.To}
	where := []string{"shop_id = @shop", "day BETWEEN @from AND @to"}
	for column, list := range map[string][]string{"region": q.Regions, "language": q.Languages, "device": q.Devices} {
		if len(list) > 0 {
			where, args[column] = append(where, column+" IN @"+column), list
		}
	}
	if q.Nudge != "" {
		where, args["nudge"] = append(where, "nudge_id = @nudge"), q.Nudge
	}
	if len(q.Kinds) > 0 {
		where, args["kinds"] = append(where, "kind IN @kinds"), q.Kinds
	}
	dims := "kind, nudge_id, arm"
	for _, b := range append([]By{ByRung}, q.By...) {
		if !strings.Contains(dims, ", "+string(b)) {
			dims += ", " + string(b)
		}
	}
	var rows []struct {
		Cell
		Squares, GoodsSquares, ByOrders, MsSquares string
	}
	err := s.DB.WithContext(ctx).Raw("SELECT "+dims+`, sum(n)::bigint AS n, sum(ordering)::bigint AS ordering, sum(orders)::bigint AS orders, sum(goods)::bigint AS goods,
		sum(given)::bigint AS given, sum(margin)::bigint AS margin, sum(margin_sq)::text AS squares, sum(unknown)::bigint AS unknown,
		sum(goods_sq)::text AS goods_squares, sum(goods_orders)::text AS by_orders, sum(orders_sq)::bigint AS orders_sq,
		sum(ms)::bigint AS ms, sum(ms_sq)::text AS ms_squares
		FROM result_cells WHERE `+strings.Join(where, " AND ")+" GROUP BY "+dims+" ORDER BY "+dims, args).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("summing up results: %w", err)
	}
	out := make([]results.Count, len(rows))
	for i, r := range rows {
		c := &out[i]
		*c = results.Count{
			Kind: r.Kind, Day: r.Day.UTC(), Nudge: r.NudgeID, Revision: r.Revision, Rung: r.Rung, Placement: r.Placement, Region: r.Region, Language: r.Language, Device: r.Device, Arm: r.Arm, Share: r.Share,
			Visits: results.Visits{Visits: r.N, Ordering: r.Ordering, Orders: r.Orders, Goods: r.Goods, Margin: r.Margin, Unknown: r.Unknown, OrdersSquares: r.OrdersSq}, Given: r.Given, Ms: r.Ms,
		}
		for text, into := range map[*string]*big.Int{&r.Squares: &c.Squares, &r.GoodsSquares: &c.GoodsSquares, &r.ByOrders: &c.GoodsByOrders, &r.MsSquares: &c.MsSquares} {
			if _, ok := into.SetString(*text, 10); !ok {
				return nil, fmt.Errorf("summing up results: %q is no whole number", *text)
			}
		}
	}
	return out, nil
}
