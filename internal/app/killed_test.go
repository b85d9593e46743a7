package app_test

import (
	"bufio"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/store"
	"agonal.dev/agonal/internal/store/storetest"
)

// What is sent while a process is killed: batches of a fixed history, some of which repeat
// events of others, and orders of its visits.
const (
	killedBatches = 300
	killedOrders  = 30
	killedNow     = "2026-11-25T22:30:00Z"
	killedChild   = "AGONAL_TEST_TAKES_IN" // the seed of a process that takes in what is sent
)

func killedBatch(i int) app.EventBatch {
	r := rand.New(rand.NewPCG(5, uint64(i)))
	now, _ := time.Parse(time.RFC3339, killedNow)
	b := app.EventBatch{Visit: fmt.Sprint("killed-", r.IntN(40)), Region: []string{"home", "eu"}[r.IntN(2)], Language: "de"}
	for range 1 + r.IntN(8) {
		e := app.EventInput{ID: fmt.Sprint(r.IntN(30)), Kind: results.Visit}
		if r.IntN(3) > 0 {
			e.Kind, e.Nudge, e.Revision = store.EventKinds[r.IntN(len(store.EventKinds))], "winter-ladder", 1
			if e.Kind == results.Visit || e.Kind == results.Checkout {
				e.Nudge, e.Revision = "", 0
			}
			if slices.Contains(store.OfBands, e.Kind) {
				e.Band = decide.Bands[r.IntN(len(decide.Bands))]
			}
			if e.Kind == results.Loaded {
				e.Ms = 900
			}
		}
		at := now.Add(-time.Duration(r.IntN(6*24)) * time.Hour)
		e.At = &at
		b.Events = append(b.Events, e)
	}
	return b
}

// takesIn opens the application on a schema as it was left.
func takesIn(t *testing.T, url string) *app.App {
	t.Helper()
	s, err := store.Open(ctx, url)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	a := app.New(s, slog.New(slog.DiscardHandler))
	now, err := time.Parse(time.RFC3339, killedNow)
	require.NoError(t, err)
	a.Now = func() time.Time { return now }
	return a
}

// TestChildTakesIn is the process that is killed: it takes in everything, in an order of its
// own, and says of each when it is safe.
func TestChildTakesIn(t *testing.T) {
	var seed uint64
	if n, _ := fmt.Sscan(os.Getenv(killedChild), &seed); n == 0 {
		t.Skip("run by TestAKilledProcessLosesAndDoublesNothing")
	}
	a := takesIn(t, os.Getenv("DATABASE_URL"))
	work, say := make(chan int), make(chan string)
	go func() {
		for line := range say {
			fmt.Println(line)
		}
	}()
	var all sync.WaitGroup
	for range 6 {
		all.Go(func() {
			for i := range work {
				if i >= killedBatches {
					req := app.OrderRequest{Key: fmt.Sprint("killed-order-", i), Charged: true, Visit: decide.Visit{ID: fmt.Sprint("killed-", i%40)}}
					req.Cart = decide.Cart{Destination: &decide.Destination{Country: "DE"}, Lines: []decide.CartLine{{SKU: "HARBLU-30", Quantity: 2 + int64(i%3)}}}
					snap, err := a.Snapshots.Get(ctx, demo.Shop)
					assert.NoError(t, err)
					d, err := decide.Decide(snap.Snapshot, decide.Request{Cart: req.Cart, Visit: req.Visit, Moment: decide.Moment{At: a.Now()}})
					assert.NoError(t, err)
					req.Expect = d.ToPay
					_, err = a.PlaceOrder(ctx, demo.Shop, req)
					assert.NoError(t, err)
				} else {
					assert.NoError(t, a.Record(ctx, demo.Shop, killedBatch(i)))
				}
				say <- fmt.Sprint("safe ", i)
			}
		})
	}
	for _, i := range rand.New(rand.NewPCG(seed, 1)).Perm(killedBatches + killedOrders) {
		work <- i
	}
	close(work)
	all.Wait()
	close(say)
}

func TestAKilledProcessLosesAndDoublesNothing(t *testing.T) {
	url := storetest.URL(t)
	name := "killed-" + fmt.Sprint(os.Getpid())
	a := takesIn(t, url)
	require.NoError(t, a.Store.Migrate(ctx))
	require.NoError(t, demo.Load(ctx, a, []string{"http://shop.example"}))
	zone, err := time.LoadLocation("Europe/Berlin")
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(3, 9))
	safe := map[int]bool{}
	run := func(seed int, kill bool) {
		child := exec.Command(os.Args[0], "-test.run", "^TestChildTakesIn$", "-test.v")
		child.Env = append(os.Environ(), fmt.Sprint(killedChild, "=", seed), "DATABASE_URL="+url+"&application_name="+name)
		out, err := child.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, child.Start())
		after, heard := 5+r.IntN(80), 0
		var said []string
		for lines := bufio.NewScanner(out); lines.Scan(); {
			var i int
			if n, _ := fmt.Sscanf(lines.Text(), "safe %d", &i); n == 0 {
				said = append(said, lines.Text())
				continue
			}
			safe[i] = true
			if heard++; kill && heard == after {
				require.NoError(t, child.Process.Kill())
			}
		}
		if err := child.Wait(); !kill {
			require.NoError(t, err, strings.Join(said, "\n"))
		}
		require.Eventually(t, func() bool { // until the server, too, knows that it is gone
			var left int64
			return a.Store.DB.Raw("SELECT count(*) FROM pg_stat_activity WHERE application_name = ?", name).Scan(&left).Error == nil && left == 0
		}, time.Minute, 10*time.Millisecond)
		for i := range safe {
			if i >= killedBatches {
				continue
			}
			b := killedBatch(i)
			for _, e := range b.Events {
				var n int64
				require.NoError(t, a.Store.DB.Model(&store.Event{}).Where("shop_id = ? AND visit = ? AND id = ?", demo.Shop, b.Visit, e.ID).Count(&n).Error)
				require.EqualValues(t, 1, n, "what was said to be safe is there once: %s %s", b.Visit, e.ID)
			}
		}
		require.Equal(t, naive(t, a, demo.Shop, zone), cells(t, a, demo.Shop), "counted as it is stored")
		require.Equal(t, naiveBands(t, a, demo.Shop), tallies(t, a, demo.Shop), "by gap band, too")
	}
	for seed := range 6 {
		run(seed, true)
	}
	require.Less(t, len(safe), killedBatches+killedOrders, "the last one has something left to do")
	run(6, false)
	ids := map[string]bool{}
	for i := range killedBatches {
		b := killedBatch(i)
		for _, e := range b.Events {
			ids[b.Visit+" "+e.ID] = true
		}
	}
	var events, orders int64
	require.NoError(t, a.Store.DB.Model(&store.Event{}).Where("visit LIKE 'killed-%'").Count(&events).Error)
	require.NoError(t, a.Store.DB.Model(&store.Order{}).Where("visit LIKE 'killed-%'").Count(&orders).Error)
	assert.EqualValues(t, len(ids), events)
	assert.EqualValues(t, killedOrders, orders)
	recounted(t, a)
	assert.Equal(t, naive(t, a, demo.Shop, zone), cells(t, a, demo.Shop), "counted anew")
}
