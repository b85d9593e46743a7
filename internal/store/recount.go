package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"
)

// Recount works a shop's cells, and how its nudges were accepted, out anew from its events and
// orders. It returns how many cells were otherwise, which is none unless something is wrong.
func (s *Store) Recount(ctx context.Context, shop string) (otherwise int64, err error) {
	err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		otherwise, err = recount(ctx, tx, shop)
		return err
	})
	return otherwise, err
}

// filled are a shop's cells that hold something, in a table.
func filled(table string) string {
	var sums []string
	for _, c := range strings.Split(cellSums, ", ") {
		sums = append(sums, c+" <> 0")
	}
	return "SELECT " + cellDims + ", " + cellSums + " FROM " + table + " WHERE shop_id = $1 AND (" + strings.Join(sums, " OR ") + ")"
}

func recount(ctx context.Context, tx pgx.Tx, shop string) (otherwise int64, err error) {
	if _, err := tx.Exec(ctx, resultsLock, shop); err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, "SET LOCAL statement_timeout = 0"); err != nil { // a large shop takes minutes
		return 0, err
	}
	events, orders := "(SELECT * FROM events WHERE shop_id = $1)", "(SELECT * FROM orders WHERE shop_id = $1)"
	if _, err := tx.Exec(ctx, "CREATE TEMP TABLE cells_before (LIKE result_cells) ON COMMIT DROP"); err != nil {
		return 0, err
	}
	for _, sql := range append([]string{
		"INSERT INTO cells_before SELECT * FROM result_cells WHERE shop_id = $1",
		"DELETE FROM result_cells WHERE shop_id = $1",
		addCells(eventCells(events) + " UNION ALL " + orderCells(orders)),
	}, recountBands...) {
		if _, err := tx.Exec(ctx, sql, shop); err != nil {
			return 0, fmt.Errorf("counting anew: %w", err)
		}
	}
	was, is := filled("cells_before"), filled("result_cells")
	row := tx.QueryRow(ctx, "SELECT count(*) FROM (SELECT DISTINCT "+cellDims+" FROM (("+was+" EXCEPT "+is+") UNION ALL ("+is+" EXCEPT "+was+")) d) c", shop)
	err = row.Scan(&otherwise)
	return otherwise, err
}
