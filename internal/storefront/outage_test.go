package storefront_test

import (
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
	"agonal.dev/agonal/internal/storefront"
	"agonal.dev/agonal/web"
)

// The database goes away under a running server and comes back: decisions go on
// from memory, orders are refused with a reason and nothing half-written, and
// what changes afterwards is followed again.
func TestTheDatabaseGoesAwayAndComesBack(t *testing.T) {
	ctx := t.Context()
	url := storetest.URL(t)
	sw := storetest.NewSwitch(t, url)
	s, err := store.Open(ctx, sw.URL)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	require.NoError(t, s.Migrate(ctx))
	a := app.New(s, slog.New(slog.DiscardHandler))
	require.NoError(t, demo.Load(ctx, a, []string{"http://shop.example"}))
	listening, stop := context.WithCancel(ctx)
	defer stop()
	go a.Snapshots.Listen(listening)
	e := echo.New()
	require.NoError(t, storefront.Mount(e, a, storefront.Config{Dist: web.Dist(), PerSecond: 1e6}))
	call := func(path, key, body string) *httptest.ResponseRecorder {
		r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(body))
		r.Header.Set("Authorization", "Bearer "+key)
		rec := httptest.NewRecorder()
		e.ServeHTTP(rec, r)
		return rec
	}
	live, err := a.Store.Live(ctx, demo.Shop)
	require.NoError(t, err)
	d := live[0].Definition
	d.Name, d.Audience.Pool = "For the club", "club"
	_, _, err = a.PublishDefinition(ctx, demo.Shop, "for-the-club", "Ilse", d)
	require.NoError(t, err)
	coded := strings.Replace(goodBody, `"destination"`, `"codes":["CLUB-1"],"destination"`, 1)
	require.Contains(t, call("/v1/decisions", demo.PublishableKey, coded).Body.String(), `"state":"unknown"`)
	order := `{"idempotency_key":"out","cart":{"lines":[{"sku":"HARBLU-30","quantity":3}],"destination":{"country":"DE"}},"expect_to_pay":4790}`
	require.Equal(t, 200, call("/v1/decisions", demo.PublishableKey, goodBody).Code)

	thaw := sw.Freeze()
	within := func(most time.Duration, path, key, body string) *httptest.ResponseRecorder {
		began := time.Now()
		rec := call(path, key, body)
		assert.Less(t, time.Since(began), most, path)
		return rec
	}
	assert.Equal(t, 200, within(time.Second, "/v1/decisions", demo.PublishableKey, goodBody).Code, "decisions go on while the database is frozen")
	without := within(time.Second, "/v1/decisions", demo.PublishableKey, coded)
	assert.Equal(t, 200, without.Code)
	assert.Contains(t, without.Body.String(), `"code":"CLUB-1","state":"not_checked"`)
	frozen := within(5*time.Second, "/v1/orders", demo.SecretKey, order)
	assert.Equal(t, 503, frozen.Code, frozen.Body)
	assert.Equal(t, "2", frozen.Header().Get("Retry-After"))
	assert.Contains(t, []int{401, 503}, within(5*time.Second, "/v1/decisions", "pk_nobody_has_this_key", goodBody).Code)
	thaw()
	require.Eventually(t, func() bool { return call("/v1/orders", demo.SecretKey, order).Code == 201 }, 10*time.Second, 100*time.Millisecond)
	order = strings.Replace(order, `"out"`, `"out again"`, 1)

	sw.Off()
	assert.Equal(t, 200, call("/v1/decisions", demo.PublishableKey, goodBody).Code, "decisions need no database")
	away := call("/v1/orders", demo.SecretKey, order)
	assert.Equal(t, 503, away.Code, away.Body)
	assert.Contains(t, away.Body.String(), "The database does not answer")

	require.NoError(t, sw.On())
	require.Eventually(t, func() bool { return call("/v1/orders", demo.SecretKey, order).Code == 201 }, 10*time.Second, 100*time.Millisecond)
	other, err := store.Open(ctx, url)
	require.NoError(t, err)
	t.Cleanup(other.Close)
	second := app.New(other, slog.New(slog.DiscardHandler))
	_, err = second.SetState(ctx, demo.Shop, "winter-ladder", "Tam", "", store.StatePaused)
	require.NoError(t, err, "another instance pauses it")
	require.Eventually(t, func() bool {
		return !strings.Contains(call("/v1/decisions", demo.PublishableKey, goodBody).Body.String(), "winter-ladder")
	}, 10*time.Second, 100*time.Millisecond, "and this one follows")
}
