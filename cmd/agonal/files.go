package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"time"

	"agonal.dev/agonal/core/catalog/catalogcsv"
)

type importCmd struct {
	Shop string `arg:"" help:"Id of the shop."`
	File string `arg:"" type:"existingfile" help:"CSV file."`
}

func (i importCmd) Run(ctx context.Context, c *cli) error {
	b, err := os.ReadFile(i.File)
	if err != nil {
		return err
	}
	products, faults := catalogcsv.Read(b)
	if len(faults) > 0 {
		for _, f := range faults {
			fmt.Fprintln(os.Stderr, f)
		}
		return fmt.Errorf("%d lines are refused; nothing was brought in", len(faults))
	}
	a, err := c.open(ctx, logger())
	if err != nil {
		return err
	}
	defer a.Store.Close()
	return a.Store.SaveProducts(ctx, i.Shop, products, time.Now(), nil)
}

type exportCmd struct {
	Shop string `arg:"" help:"Id of the shop."`
}

func (e exportCmd) Run(ctx context.Context, c *cli) error {
	a, err := c.open(ctx, logger())
	if err != nil {
		return err
	}
	defer a.Store.Close()
	b, err := a.ExportCatalogue(ctx, e.Shop)
	if err != nil {
		return err
	}
	_, err = os.Stdout.Write(b)
	return err
}

type documentCmd struct {
	Shop string `arg:"" help:"Id of the shop."`
}

func (documentCmd) Help() string {
	return "What agonal decide reads as --shop: regions, goods, and the nudges in force."
}

func (d documentCmd) Run(ctx context.Context, c *cli) error {
	a, err := c.open(ctx, logger())
	if err != nil {
		return err
	}
	defer a.Store.Close()
	snap, err := a.Snapshots.Get(ctx, d.Shop)
	if err != nil {
		return err
	}
	return json.NewEncoder(os.Stdout).Encode(snap.Snapshot.Shop.Document())
}
