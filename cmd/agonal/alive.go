package main

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"time"
)

type aliveCmd struct {
	Addr string `env:"AGONAL_ADDR" default:"127.0.0.1:8080" help:"Address of the server."`
}

func (a aliveCmd) Run(ctx context.Context) error {
	host, port, err := net.SplitHostPort(a.Addr)
	if err != nil {
		return fmt.Errorf("AGONAL_ADDR: %w", err)
	}
	if ip := net.ParseIP(host); host == "" || ip != nil && ip.IsUnspecified() {
		host = "127.0.0.1"
	}
	ctx, cancel := context.WithTimeout(ctx, 2*time.Second)
	defer cancel()
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+net.JoinHostPort(host, port)+"/robots.txt", nil)
	if err != nil {
		return err
	}
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("the server answers with %s", res.Status)
	}
	return nil
}
