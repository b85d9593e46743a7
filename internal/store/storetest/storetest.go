// Package storetest gives tests a real database: each its own schema in the
// server that DATABASE_URL names, gone when the test ends.
package storetest

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"log/slog"
	"net/url"
	"os"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
)

// URL makes a schema and returns a connection URL into it. Without DATABASE_URL
// the test is skipped; make test sets it.
func URL(t testing.TB) string {
	t.Helper()
	base := os.Getenv("DATABASE_URL")
	if base == "" {
		t.Skip("DATABASE_URL is not set; run make test")
	}
	ctx := context.Background()
	b := make([]byte, 6)
	_, _ = rand.Read(b)
	schema := "test_" + hex.EncodeToString(b)
	exec := func(sql string) {
		conn, err := pgx.Connect(ctx, base)
		require.NoError(t, err)
		defer func() { _ = conn.Close(ctx) }()
		_, err = conn.Exec(ctx, sql)
		require.NoError(t, err)
	}
	exec("CREATE SCHEMA " + schema)
	t.Cleanup(func() { exec("DROP SCHEMA " + schema + " CASCADE") })
	u, err := url.Parse(base)
	require.NoError(t, err)
	q := u.Query()
	q.Set("search_path", schema)
	u.RawQuery = q.Encode()
	return u.String()
}

// App opens an application on a schema of its own.
func App(t testing.TB) *app.App {
	t.Helper()
	ctx := context.Background()
	s, err := store.Open(ctx, URL(t))
	require.NoError(t, err)
	t.Cleanup(s.Close)
	require.NoError(t, s.Migrate(ctx))
	return app.New(s, slog.New(slog.DiscardHandler))
}

// Demo is App with the demo loaded.
func Demo(t testing.TB) *app.App {
	t.Helper()
	a := App(t)
	require.NoError(t, demo.Load(context.Background(), a, []string{"http://shop.example"}))
	return a
}
