package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"agonal.dev/agonal/internal/demo"
)

// honest are shoppers and a shop's server that do as they should.
type honest struct {
	f                 *field
	client            *http.Client
	mu                sync.Mutex
	decisions, pages  []time.Duration
	failed            map[string]int
	bare              int // pages without a nudge
	sent, acknowledge map[string]bool
	numbers           map[string]map[int64]bool // by key
}

func newHonest(f *field) *honest {
	return &honest{f: f, client: &http.Client{Timeout: 20 * time.Second, Transport: &http.Transport{MaxIdleConnsPerHost: 64}}, failed: map[string]int{}, sent: map[string]bool{}, acknowledge: map[string]bool{}, numbers: map[string]map[int64]bool{}}
}

const aCart = `"cart":{"lines":[{"sku":"HARBLU-30","quantity":3}],"destination":{"country":"DE"}}`

// go_ lets them begin; what it returns waits until they have gone.
func (h *honest) go_(ctx context.Context) (done func()) {
	var all sync.WaitGroup
	again := func(many int, pause time.Duration, do func()) {
		for range many {
			all.Go(func() {
				for ctx.Err() == nil {
					do()
					sleep(ctx, pause)
				}
			})
		}
	}
	again(3, 20*time.Millisecond, h.decision)
	again(2, 30*time.Millisecond, h.page)
	n := 0
	again(1, 50*time.Millisecond, func() {
		n++
		h.order(fmt.Sprintf("honest-%p-%d", h, n), "", 4790, 1)
	})
	return all.Wait
}

func (h *honest) fail(kind string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.failed[kind]++
}

func (h *honest) call(path, key, body string) (status int, answer []byte) {
	r, err := http.NewRequest(http.MethodPost, h.f.agonal.url(path), strings.NewReader(body))
	if err != nil {
		return 0, nil
	}
	r.Header.Set("Authorization", "Bearer "+key)
	res, err := h.client.Do(r)
	if err != nil {
		return 0, nil
	}
	defer func() { _ = res.Body.Close() }()
	answer, _ = io.ReadAll(res.Body)
	return res.StatusCode, answer
}

func (h *honest) decision() {
	began := time.Now()
	status, _ := h.call("/v1/decisions", demo.PublishableKey, `{`+aCart+`,"moment":{"page":{"kind":"cart"}}}`)
	if status != http.StatusOK {
		h.fail(fmt.Sprintf("decisions_%s", kind(status)))
		return
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.decisions = append(h.decisions, time.Since(began))
}

func kind(status int) string {
	if status == 0 {
		return "unanswered"
	}
	return fmt.Sprint(status)
}

func (h *honest) page() {
	r, err := http.NewRequest(http.MethodGet, h.f.shop.url("/products/harbour-blue"), nil)
	if err != nil {
		return
	}
	r.Header.Set("Cookie", "lq_cart=HARBLU-30%3A3")
	began := time.Now()
	res, err := h.client.Do(r)
	if err != nil {
		h.fail("pages_unanswered")
		return
	}
	defer func() { _ = res.Body.Close() }()
	b, _ := io.ReadAll(res.Body)
	if res.StatusCode != http.StatusOK {
		h.fail("pages_" + kind(res.StatusCode))
		return
	}
	h.mu.Lock()
	defer h.mu.Unlock()
	h.pages = append(h.pages, time.Since(began))
	if !bytes.Contains(b, []byte(`id="agonal-decision"`)) {
		h.bare++
	}
}

// order places an order, up to so many times until it is acknowledged.
func (h *honest) order(key, code string, total int64, times int) (status int) {
	h.mu.Lock()
	h.sent[key] = true
	h.mu.Unlock()
	cart := aCart
	if code != "" {
		cart = strings.Replace(cart, `"destination"`, `"codes":["`+code+`"],"destination"`, 1)
	}
	body := fmt.Sprintf(`{"idempotency_key":%q,%s,"expect_to_pay":%d}`, key, cart, total)
	for try := range times {
		if try > 0 {
			time.Sleep(100 * time.Millisecond)
		}
		var answer []byte
		if status, answer = h.call("/v1/orders", demo.SecretKey, body); status == http.StatusCreated {
			var o struct {
				Number int64 `json:"number"`
			}
			_ = json.Unmarshal(answer, &o)
			h.mu.Lock()
			h.acknowledge[key] = true
			if h.numbers[key] == nil {
				h.numbers[key] = map[int64]bool{}
			}
			h.numbers[key][o.Number] = true
			h.mu.Unlock()
			return status
		}
		if status == http.StatusConflict {
			return status
		}
	}
	h.fail("orders_" + kind(status))
	return status
}

// stored counts the orders that are in the database, and those that should be and are not.
func (h *honest) stored(ctx context.Context) (stored, lost int, err error) {
	rows, err := h.f.db.Query(ctx, "SELECT idempotency_key FROM orders WHERE shop_id = $1", demo.Shop)
	if err != nil {
		return 0, 0, err
	}
	there := map[string]bool{}
	for rows.Next() {
		var key string
		if err := rows.Scan(&key); err != nil {
			return 0, 0, err
		}
		there[key] = true
	}
	for key := range h.sent {
		if there[key] {
			stored++
		}
	}
	for key := range h.acknowledge {
		if !there[key] {
			lost++
		}
	}
	return stored, lost, rows.Err()
}

func (h *honest) print(name string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	doubled := 0
	for _, n := range h.numbers {
		if len(n) > 1 {
			doubled++
		}
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	stored, lost, err := h.stored(ctx)
	for err != nil && ctx.Err() == nil { // the connection ended with the database
		if h.f.connect(ctx) == nil {
			stored, lost, err = h.stored(ctx)
		}
		sleep(ctx, 100*time.Millisecond)
	}
	say(name+".orders_sent", len(h.sent), "")
	say(name+".orders_acknowledged", len(h.acknowledge), "")
	say(name+".orders_stored", stored, "")
	say(name+".orders_doubled", doubled, "")
	say(name+".orders_lost", lost, "")
	say(name+".decisions", len(h.decisions), "")
	say(name+".decisions_p99", p99(h.decisions), "ms")
	say(name+".pages", len(h.pages), "")
	say(name+".pages_p99", p99(h.pages), "ms")
	say(name+".pages_without_nudge", h.bare, "")
	kinds := make([]string, 0, len(h.failed))
	for k := range h.failed {
		kinds = append(kinds, k)
	}
	slices.Sort(kinds)
	for _, k := range kinds {
		say(name+".failed_"+k, h.failed[k], "")
	}
}

func p99(all []time.Duration) int64 {
	if len(all) == 0 {
		return 0
	}
	slices.Sort(all)
	return all[len(all)*99/100].Milliseconds()
}
