package main

import (
	"context"
	"fmt"
)

// recountCmd works a shop's results out anew.
type recountCmd struct {
	Shop string `arg:"" help:"Id of the shop."`
}

func (r recountCmd) Run(ctx context.Context, c *cli) error {
	a, err := c.open(ctx, logger())
	if err != nil {
		return err
	}
	defer a.Store.Close()
	if _, err := a.Snapshots.Get(ctx, r.Shop); err != nil {
		return fmt.Errorf("shop %q: %w", r.Shop, err)
	}
	otherwise, err := a.Store.Recount(ctx, r.Shop)
	if err != nil {
		return err
	}
	if otherwise == 0 {
		fmt.Println("Nothing was otherwise.")
		return nil
	}
	fmt.Printf("%d counts were otherwise, and are set right.\n", otherwise)
	return nil
}
