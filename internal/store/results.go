package store

import (
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/results"
)

// Cell is what was counted and summed of one kind on one day, by all that Results are looked
// at by. Money is in minor units of the region's currency. Of kinds that stand for visits
// ([ForOrders]) the sums are of the orders that came of those visits, under the orders'
// region; the visits themselves are counted under their own.
type Cell struct {
	ShopID    string `gorm:"primaryKey"`
	Day       time.Time
	Kind      results.Kind
	NudgeID   string
	Revision  int
	Rung      int
	Placement string
	Region    string
	Language  string
	Device    string
	Arm       string
	Share     money.Rate `gorm:"type:int"` // of visitors from whom it is kept
	N         int64
	Ordering  int64 // visits with an order
	Orders    int64
	Goods     int64
	Given     int64
	Margin    int64
	MarginSq  string // a whole number that may be larger than 64 bits: the sum over visits of their margin's square
	Unknown   int64  // orders whose margin is not known; they add nothing to the sums of margin
	// Sums over visits of their goods' square, their goods times their orders (whole numbers that
	// may be larger than 64 bits), and their orders' square.
	GoodsSq     string
	GoodsOrders string
	OrdersSq    int64
	// Of results.Loaded: the sum of milliseconds, and that of their squares.
	Ms   int64
	MsSq string
}

// TableName is where cells are kept.
func (Cell) TableName() string { return "result_cells" }

// Sign tells whether something is added to the counts or taken out of them.
type Sign int

// The signs.
const (
	Counted   Sign = 1
	Uncounted Sign = -1
)

// resultsLock lets one transaction at a time change a shop's cells, so that an order and an
// event of its visit never miss each other. It is taken last, and held until the end.
const resultsLock = `SELECT pg_advisory_xact_lock(hashtextextended('results:' || $1, 0))`

const (
	cellDims = "shop_id, day, kind, nudge_id, revision, rung, placement, region, language, device, arm, share"
	cellSums = "n, ordering, orders, goods, given, margin, margin_sq, unknown, goods_sq, goods_orders, orders_sq, ms, ms_sq"
)

// addCells adds what a query yields, with the columns of a cell, to the cells. Rows are
// changed in one order, so that nobody waits for anybody in a circle.
func addCells(query string) string {
	var set, sum []string
	for _, c := range strings.Split(cellSums, ", ") {
		sum = append(sum, "sum("+c+")")
		set = append(set, fmt.Sprintf("%s = result_cells.%s + excluded.%s", c, c, c))
	}
	return "INSERT INTO result_cells (" + cellDims + ", " + cellSums + ") SELECT " + cellDims + ", " + strings.Join(sum, ", ") +
		" FROM (" + query + ") q (" + cellDims + ", " + cellSums + ") GROUP BY " + cellDims + " ORDER BY " + cellDims +
		" ON CONFLICT (" + cellDims + ") DO UPDATE SET " + strings.Join(set, ", ")
}

// kinds lists kinds of event for SQL.
func kinds(of []results.Kind) string {
	out := make([]string, len(of))
	for i, k := range of {
		out[i] = "'" + string(k) + "'"
	}
	return strings.Join(out, ", ")
}

// cameOf tells which orders came of which event: those of its visit; of a show those that were
// placed after it and in which the nudge gave something. That a visit has an id has to be said
// for the index of visits to be used.
const cameOf = `o.shop_id = e.shop_id AND o.visit = e.visit AND o.visit <> '' AND (e.kind <> 'shown' OR o.placed_at >= e.at AND EXISTS (
	SELECT FROM order_rewards x WHERE x.shop_id = o.shop_id AND x.order_number = o.number AND x.nudge_id = e.nudge_id))`

// eventCells are the cells of events: one count each, and what came of their visits.
func eventCells(events string) string {
	return `
	SELECT shop_id, day, kind, nudge_id, revision, rung, placement, region, language, device, arm, share, count(*),
		0::bigint, 0::bigint, 0::bigint, 0::bigint, 0::bigint, 0::numeric, 0::bigint, 0::numeric, 0::numeric, 0::bigint, sum(e.ms)::bigint, sum(e.ms::numeric * e.ms)
	FROM ` + events + ` e WHERE kind NOT IN (` + kinds(OfBands) + `) GROUP BY ` + cellDims + `
	UNION ALL
	SELECT e.shop_id, e.day, e.kind, e.nudge_id, e.revision, e.rung, e.placement, v.region, e.language, e.device, e.arm, e.share, 0::bigint,
		sum(v.first), sum(v.orders), sum(v.goods), 0::bigint, sum(v.margin), sum(v.margin::numeric * v.margin), sum(v.unknown),
		sum(v.goods::numeric * v.goods), sum(v.goods::numeric * v.orders), sum(v.orders * v.orders), 0::bigint, 0::numeric
	FROM (SELECT DISTINCT o.shop_id, o.visit FROM (SELECT DISTINCT shop_id, visit FROM ` + events + ` x) d JOIN orders o ON o.shop_id = d.shop_id AND o.visit = d.visit AND o.visit <> '') w
		JOIN ` + events + ` e ON e.shop_id = w.shop_id AND e.visit = w.visit AND e.kind IN (` + kinds(ForOrders) + `) CROSS JOIN LATERAL (
		SELECT o.region, (row_number() OVER (ORDER BY min(o.number)) = 1)::int AS first, count(*) AS orders, sum(o.goods) AS goods,
			coalesce(sum(o.margin), 0) AS margin, count(*) FILTER (WHERE o.margin IS NULL) AS unknown
		FROM orders o WHERE ` + cameOf + ` GROUP BY o.region) v
	GROUP BY 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12`
}

// orderCells are the cells of orders themselves: all, those in which some nudge gave
// something, and those of each rung that did.
func orderCells(orders string) string {
	day := "(o.placed_at AT TIME ZONE s.time_zone)::date"
	of := func(kind results.Kind, where string) string {
		return `
	SELECT o.shop_id, ` + day + `, '` + string(kind) + `', '', 0, 0, '', o.region, o.language, o.device, o.arm, 0,
		count(*), 0::bigint, count(*), sum(o.goods), coalesce(sum(r.given), 0), coalesce(sum(o.margin), 0), 0::numeric, count(*) FILTER (WHERE o.margin IS NULL), 0::numeric, 0::numeric, 0::bigint, 0::bigint, 0::numeric
	FROM ` + orders + ` o JOIN shops s ON s.id = o.shop_id
		CROSS JOIN LATERAL (SELECT sum(coalesce(x.cost, x.amount)) AS given, count(*) AS many FROM order_rewards x WHERE x.shop_id = o.shop_id AND x.order_number = o.number) r
	` + where + ` GROUP BY 1, 2, 8, 9, 10, 11`
	}
	// A nudge may give rewards of several classes and rungs with one order: that counts once.
	used := func(kind results.Kind, rung string) string {
		return `
	SELECT o.shop_id, ` + day + `, '` + string(kind) + `', r.nudge_id, r.revision, r.rung, '', o.region, o.language, o.device, o.arm, 0,
		count(*), 0::bigint, count(*), sum(o.goods), sum(r.given), coalesce(sum(o.margin), 0), 0::numeric, count(*) FILTER (WHERE o.margin IS NULL), 0::numeric, 0::numeric, 0::bigint, 0::bigint, 0::numeric
	FROM ` + orders + ` o JOIN shops s ON s.id = o.shop_id CROSS JOIN LATERAL (
		SELECT x.nudge_id, x.revision, ` + rung + ` AS rung, sum(coalesce(x.cost, x.amount)) AS given FROM order_rewards x
		WHERE x.shop_id = o.shop_id AND x.order_number = o.number GROUP BY 1, 2, 3) r
	GROUP BY 1, 2, 4, 5, 6, 8, 9, 10, 11`
	}
	return strings.Join([]string{of(results.Order, ""), of(results.OrderWith, "WHERE r.many > 0"), used(results.Used, "0"), used(results.UsedRung, "x.rung")}, " UNION ALL ")
}

// negated turns what a query of cells yields into what takes it out again.
func negated(query string) string {
	var minus []string
	for _, c := range strings.Split(cellSums, ", ") {
		minus = append(minus, "-"+c)
	}
	return "SELECT " + cellDims + ", " + strings.Join(minus, ", ") + " FROM (" + query + ") m (" + cellDims + ", " + cellSums + ")"
}

// CountOrder adds a stored order, with its rewards, to the cells, or takes it out before it
// changes. It is done in the transaction that stores the order.
func CountOrder(tx *gorm.DB, o *Order, sign Sign) error {
	if err := tx.Exec(strings.Replace(resultsLock, "$1", "?", 1), o.ShopID).Error; err != nil {
		return err
	}
	// A plan is made for this very order: one for any would read all events.
	if err := tx.Exec("SET LOCAL jit = off").Error; err != nil {
		return err
	}
	if err := tx.Exec("SET LOCAL plan_cache_mode = force_custom_plan").Error; err != nil {
		return err
	}
	one := "(SELECT * FROM orders WHERE shop_id = @shop AND number = @number)"
	own := orderCells(one)
	// What came of the visit, less what had come of it without this order.
	visit := "(SELECT * FROM events WHERE shop_id = @shop AND visit = @visit)"
	with := ofVisits(eventCells(visit))
	without := ofVisits(strings.Replace(eventCells(visit), cameOf, cameOf+" AND o.number <> @number", 1))
	query := own
	if o.Visit != "" {
		query += " UNION ALL " + with + " UNION ALL " + negated(without)
	}
	if sign == Uncounted {
		query = negated(query)
	}
	err := tx.Exec(addCells(query), map[string]any{"shop": o.ShopID, "number": o.Number, "visit": o.Visit}).Error
	if err != nil {
		return fmt.Errorf("counting an order: %w", err)
	}
	return nil
}

// ofVisits keeps of the cells of events those of the orders that came of them.
func ofVisits(eventCells string) string {
	_, orders, _ := strings.Cut(eventCells, "UNION ALL")
	return orders
}
