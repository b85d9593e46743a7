package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"os"
	"os/exec"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"agonal.dev/agonal/internal/demo"
	"agonal.dev/agonal/internal/storefront/apiwalk"
)

func (f *field) connect(ctx context.Context) (err error) {
	f.db, err = pgx.Connect(ctx, os.Getenv("DATABASE_URL"))
	return err
}

// limit is how often the nudge of the race may be used.
const limit = 100

// begin puts a nudge with a limit in force.
func (f *field) begin(ctx context.Context) error {
	if err := f.connect(ctx); err != nil {
		return err
	}
	body := fmt.Sprintf(`{"version":1,"name":"Race","audience":{"regions":["home"],"code":"RACE"},"placements":["cart_page"],"limits":{"uses":%d},
		"ladder":{"basis":"before_nudges","rungs":[{"thresholds":{"home":"1.00 EUR"},"rewards":[{"kind":"order_percent","percent":"10"}]}]},
		"wording":{"en":{"not_yet":"Add {to_add} for {reward}.","reached":"Yours: {reward}."},"de":{"not_yet":"Noch {to_add} bis {reward}.","reached":"{reward}."}}}`, limit)
	r, err := http.NewRequest(http.MethodPut, f.agonal.url("/v1/nudges/race"), strings.NewReader(body))
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+demo.SecretKey)
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	if b, _ := io.ReadAll(res.Body); res.StatusCode != http.StatusOK {
		return fmt.Errorf("the nudge of the race is refused: %s", b)
	}
	return nil
}

// each runs a function for every number below many, so many at once.
func each(many, atOnce int, do func(int)) {
	var next atomic.Int64
	var all sync.WaitGroup
	for range atOnce {
		all.Go(func() {
			for {
				n := int(next.Add(1)) - 1
				if n >= many {
					return
				}
				do(n)
			}
		})
	}
	all.Wait()
}

// race sends a thousand orders, each twice at one moment, for a limit of a hundred.
func race(ctx context.Context, f *field) error {
	status, answer := f.honest.call("/v1/decisions", demo.SecretKey, `{`+strings.Replace(aCart, `"destination"`, `"codes":["RACE"],"destination"`, 1)+`}`)
	var d struct {
		ToPay int64 `json:"to_pay"`
	}
	if err := json.Unmarshal(answer, &d); err != nil || status != http.StatusOK {
		return fmt.Errorf("no decision: %d %s", status, answer)
	}
	each(1000, 64, func(n int) {
		var twice sync.WaitGroup
		for range 2 {
			twice.Go(func() { f.honest.order(fmt.Sprintf("race-%d", n), "RACE", d.ToPay, 20) })
		}
		twice.Wait()
	})
	var uses int
	if err := f.db.QueryRow(ctx, "SELECT count(DISTINCT order_number) FROM order_rewards WHERE shop_id = $1 AND nudge_id = 'race'", demo.Shop).Scan(&uses); err != nil {
		return err
	}
	say("race.uses", uses, "")
	say("race.limit", limit, "")
	return nil
}

// kill kills the server five times while orders are placed that are sent until they are
// acknowledged.
func kill(ctx context.Context, f *field) error {
	var orders sync.WaitGroup
	orders.Go(func() {
		each(1000, 8, func(n int) { f.honest.order(fmt.Sprintf("kill-%d", n), "", 4790, 400) })
	})
	for range 5 {
		sleep(ctx, 1500*time.Millisecond)
		f.agonal.kill()
		if err := f.agonal.start(ctx); err != nil {
			return err
		}
	}
	orders.Wait()
	return nil
}

// control asks the database's own program for something.
func control(args ...string) error {
	if os.Getenv("PG_CTL") == "" {
		return nil
	}
	all := append([]string{os.Getenv("PG_CTL"), "-D", os.Getenv("PG_DATA"), "-w", "-l", os.Getenv("PG_LOG")}, args...)
	if os.Getuid() == 0 {
		all = append([]string{"runuser", "-u", "postgres", "--"}, all...)
	}
	cmd := exec.Command(all[0], all[1:]...)
	cmd.Dir = "/"
	if b, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%v: %w: %s", args, err, b)
	}
	return nil
}

func restart(ctx context.Context, f *field) error {
	for range 2 {
		sleep(ctx, f.each/4)
		if err := control("-m", "immediate", "-o", os.Getenv("PG_OPTIONS"), "restart"); err != nil {
			return err
		}
	}
	sleep(ctx, f.each/2)
	return nil
}

func stop(ctx context.Context, f *field) error {
	sleep(ctx, f.each/4)
	if err := control("-m", "fast", "stop"); err != nil {
		return err
	}
	sleep(ctx, f.each/2)
	if err := control("-o", os.Getenv("PG_OPTIONS"), "start"); err != nil {
		return err
	}
	sleep(ctx, f.each/2)
	return nil
}

// freeze stops the database's processes where they are.
func freeze(ctx context.Context, f *field) error {
	b, err := os.ReadFile(os.Getenv("PG_DATA") + "/postmaster.pid")
	if err != nil {
		return nil // the database is not ours
	}
	main, _, _ := strings.Cut(string(b), "\n")
	pid, err := strconv.Atoi(main)
	if err != nil {
		return err
	}
	signal := func(s syscall.Signal) {
		_ = syscall.Kill(pid, s)
		children, _ := exec.Command("pgrep", "-P", main).Output()
		for _, c := range strings.Fields(string(children)) {
			if n, err := strconv.Atoi(c); err == nil {
				_ = syscall.Kill(n, s)
			}
		}
	}
	sleep(ctx, f.each/4)
	signal(syscall.SIGSTOP)
	began := time.Now()
	status, _ := f.honest.call("/v1/orders", demo.SecretKey, `{"idempotency_key":"frozen",`+aCart+`,"expect_to_pay":4790}`)
	say("freeze.order_answered_after", time.Since(began).Milliseconds(), "ms")
	say("freeze.order_answered_with", status, "")
	sleep(ctx, f.each)
	signal(syscall.SIGCONT)
	sleep(ctx, f.each/2)
	return nil
}

// leavers ask for pages and go before they have them.
func leavers(ctx context.Context, f *field) error {
	end := time.Now().Add(f.each)
	each(100, 100, func(int) {
		for time.Now().Before(end) && ctx.Err() == nil {
			soon, cancel := context.WithTimeout(ctx, time.Duration(1+rand.IntN(30))*time.Millisecond)
			r, err := http.NewRequestWithContext(soon, http.MethodGet, f.shop.url("/cart"), nil)
			if err == nil {
				r.Header.Set("Cookie", "lq_cart=HARBLU-30%3A2")
				if res, err := http.DefaultClient.Do(r); err == nil {
					_ = res.Body.Close()
				}
			}
			cancel()
			sleep(ctx, 50*time.Millisecond)
		}
	})
	return nil
}

// poison sends what no text can hold: to every field of the API's document, and through
// the shop's till.
func poison(ctx context.Context, f *field) error {
	res, err := http.Get(f.agonal.url("/openapi.json"))
	if err != nil {
		return err
	}
	b, err := io.ReadAll(res.Body)
	_ = res.Body.Close()
	if err != nil {
		return err
	}
	d, err := apiwalk.Read(b)
	if err != nil {
		return err
	}
	sent, failed := 0, 0
	for _, path := range slices.Sorted(maps.Keys(d.Paths)) {
		for method, op := range d.Paths[path] {
			content, ok := op.Body.Content["application/json"]
			if !ok || method != "post" {
				continue
			}
			for _, w := range d.Wrongs(content.Schema, d.Sample(content.Schema, "")) {
				body, _ := json.Marshal(w.Body)
				if strings.Contains(path, "{pool}") && bytes.Contains(body, []byte("100000")) {
					continue // so many codes are no poison
				}
				if status, _ := f.honest.call(strings.ReplaceAll(path, "{pool}", "poison"), demo.SecretKey, string(body)); status == 0 || status >= 500 {
					failed++
				}
				sent++
			}
		}
	}
	say("poison.bodies", sent, "")
	say("poison.bodies_answered_5xx", failed, "")
	tills, refused := 0, 0
	end := time.Now().Add(f.each)
	each(4, 4, func(int) {
		for time.Now().Before(end) {
			form := url.Values{"go": {"place"}, "pay": {"approve"}, "expect": {"4790"}, "name": {"a\x00b"}, "street": {"\xff"}, "postcode": {"26723"}, "city": {"Vessmark"}, "country": {"DE"}}
			r, _ := http.NewRequestWithContext(ctx, http.MethodPost, f.shop.url("/checkout"), strings.NewReader(form.Encode()))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			r.Header.Set("Cookie", "lq_cart=HARBLU-30%3A2; agonal_visit=%7B%22id%22%3A%22%5Cu0000%22%7D")
			if res, err := http.DefaultClient.Do(r); err == nil {
				_ = res.Body.Close()
				f.honest.mu.Lock()
				if tills++; res.StatusCode >= 400 && res.StatusCode < 500 {
					refused++
				}
				f.honest.mu.Unlock()
			}
		}
	})
	say("poison.tills", tills, "")
	say("poison.tills_refused", refused, "")
	return nil
}

// slow clients send a byte a second, or read nothing.
func slow(ctx context.Context, f *field) error {
	limited, cancel := context.WithTimeout(ctx, 40*time.Second)
	defer cancel()
	var held, late atomic.Int64
	go func() {
		sleep(limited, 35*time.Second) // the longest deadline but that of an answer is over
		late.Store(held.Load())
	}()
	each(400, 400, func(n int) {
		to := []*process{f.agonal, f.shop}[n%2]
		c, err := net.Dial("tcp", to.address)
		if err != nil {
			return
		}
		defer func() { _ = c.Close() }()
		begin := []string{
			"POST /v1/decisions HTTP/1.1\r\nHost: x\r\n", "POST /checkout HTTP/1.1\r\nHost: x\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 50000\r\n\r\na=",
			"GET /openapi.json HTTP/1.1\r\nHost: x\r\n\r\n",
		}[n/2%3]
		if _, err := c.Write([]byte(begin)); err != nil {
			return
		}
		if n/2%3 == 2 { // reads nothing, once the buffers are full
			_ = c.(*net.TCPConn).SetReadBuffer(1)
			sleep(limited, 40*time.Second)
			return
		}
		held.Add(1)
		defer held.Add(-1)
		for limited.Err() == nil {
			sleep(limited, time.Second)
			if _, err := c.Write([]byte("x")); err != nil {
				return // cut off
			}
		}
	})
	say("slow.clients", 400, "")
	say("slow.senders_held_after_35_s", late.Load(), "")
	return nil
}

var token = regexp.MustCompile(`name="csrf" value="([^"]+)"`)

// person is somebody at a browser; from is the address that is asked from.
type person struct {
	base string
	http *http.Client
	csrf string
}

func newPerson(base, from string) (*person, error) {
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	dial := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(from)}}
	p := &person{base: base, http: &http.Client{Jar: jar, Timeout: time.Minute, Transport: &http.Transport{DialContext: dial.DialContext}}}
	res, err := p.http.Get(base + "/sign-in")
	if err != nil {
		return nil, err
	}
	defer func() { _ = res.Body.Close() }()
	b, err := io.ReadAll(res.Body)
	if m := token.FindSubmatch(b); m != nil {
		p.csrf = string(m[1])
	}
	return p, err
}

func (p *person) signIn(email, password string) (status int) {
	res, err := p.http.PostForm(p.base+"/sign-in", url.Values{"csrf": {p.csrf}, "email": {email}, "password": {password}})
	if err != nil {
		return 0
	}
	_ = res.Body.Close()
	return res.StatusCode
}

// guesses are wrong passwords, 64 at once from one address, while the right person signs
// in from another.
func guesses(ctx context.Context, f *field) error {
	base := f.agonal.url("")
	var right, rightFailed int
	var slowest time.Duration
	honest, stop := context.WithCancel(ctx)
	var person sync.WaitGroup
	person.Go(func() {
		for honest.Err() == nil {
			p, err := newPerson(base, "127.0.0.7")
			if err == nil {
				began := time.Now()
				if status := p.signIn(demo.Email, demo.Password); status != http.StatusOK {
					rightFailed++
				}
				right++
				slowest = max(slowest, time.Since(began))
			}
			sleep(honest, 2*time.Second)
		}
	})
	var tried, looked atomic.Int64
	end := time.Now().Add(f.each)
	each(64, 64, func(n int) {
		p, err := newPerson(base, "127.0.0.66")
		if err != nil {
			return
		}
		for time.Now().Before(end) {
			email := demo.Email
			if n%2 == 1 { // of accounts that are none, with addresses as long as they may be, and longer
				email = fmt.Sprintf("%s@%d.example", strings.Repeat("x", []int{100, 240, 60_000}[n%3]), rand.IntN(1e6))
			}
			tried.Add(1)
			if p.signIn(email, "not this one") == http.StatusUnprocessableEntity {
				looked.Add(1)
			}
		}
	})
	stop()
	person.Wait()
	say("guesses.tried", tried.Load(), "")
	say("guesses.looked_at", looked.Load(), "")
	say("guesses.right_person", right, "sign-ins")
	say("guesses.right_person_kept_out", rightFailed, "")
	say("guesses.right_person_slowest", slowest.Milliseconds(), "ms")
	return nil
}

// forms are 40 bodies of 32 MB at once, to both sites and the API.
func forms(ctx context.Context, f *field) error {
	large := bytes.Repeat([]byte("name=aaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaaa&"), 32<<20/42)
	end := time.Now().Add(f.each)
	var sent, taken atomic.Int64
	each(40, 40, func(n int) {
		for time.Now().Before(end) {
			to := []string{f.agonal.url("/sign-in"), f.agonal.url("/account/new"), f.agonal.url("/v1/decisions"), f.shop.url("/checkout"), f.shop.url("/cart/add")}[n%5]
			r, err := http.NewRequestWithContext(ctx, http.MethodPost, to, bytes.NewReader(large))
			if err != nil {
				return
			}
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			r.Header.Set("Authorization", "Bearer "+demo.PublishableKey)
			sent.Add(1)
			if res, err := http.DefaultClient.Do(r); err == nil {
				if _ = res.Body.Close(); res.StatusCode < 400 {
					taken.Add(1)
				}
			}
		}
	})
	say("forms.sent", sent.Load(), "")
	say("forms.taken", taken.Load(), "")
	return nil
}
