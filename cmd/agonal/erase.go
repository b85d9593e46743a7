package main

import (
	"context"
	"fmt"
)

// eraseCmd takes a shopper out of a shop.
type eraseCmd struct {
	Shop     string `arg:"" help:"Id of the shop."`
	Customer string `help:"The name that orders have."`
	Visitor  string `help:"The number that the browser keeps in agonal_visitor."`
}

func (e eraseCmd) Run(ctx context.Context, c *cli) error {
	a, err := c.open(ctx, logger())
	if err != nil {
		return err
	}
	defer a.Store.Close()
	orders, visits, err := a.Erase(ctx, e.Shop, e.Customer, e.Visitor)
	if err != nil {
		return err
	}
	fmt.Printf("Erased from %d orders and %d visits; what was counted stays.\n", orders, visits)
	return nil
}
