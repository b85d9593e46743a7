package lindquill

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"
)

// How many pages are made at a time, how many shoppers wait for their turn, and how long
// at most. More pages at a time are no sooner done; they only take memory.
const (
	pagesAtATime = 16
	pagesWaiting = 1000
	pagesWithin  = 5 * time.Second
)

// turns lets a few in at a time.
type turns struct{ in, waiting chan struct{} }

func newTurns(atATime, waiting int) turns {
	return turns{make(chan struct{}, atATime), make(chan struct{}, atATime+waiting)}
}

var errBusy = errors.New("too many are waiting")

// take waits for a turn, which done ends. Who leaves meanwhile takes none.
func (t turns) take(ctx context.Context, most time.Duration) (done func(), err error) {
	select {
	case t.waiting <- struct{}{}:
	default:
		return nil, errBusy
	}
	late := time.NewTimer(most)
	defer late.Stop()
	select {
	case t.in <- struct{}{}:
	case <-ctx.Done():
		err = ctx.Err()
	case <-late.C:
		err = errBusy
	}
	if err == nil && ctx.Err() != nil {
		<-t.in
		err = ctx.Err()
	}
	if err != nil {
		<-t.waiting
		return nil, err
	}
	return func() { <-t.in; <-t.waiting }, nil
}

// outside does what is waited for elsewhere, and lets another in meanwhile.
func (t turns) outside(do func()) {
	if t.in == nil {
		do()
		return
	}
	<-t.in
	do()
	t.in <- struct{}{} // however long it takes: what was charged is told
}

// oneOfFew makes a page in its turn, and none for who has left.
func (s *shop) oneOfFew(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		done, err := s.turns.take(c.Request().Context(), pagesWithin)
		switch {
		case errors.Is(err, errBusy):
			c.Response().Header().Set("Retry-After", "2")
			return bare(c, http.StatusServiceUnavailable, text("Many are here at this moment"), text("Your cart is kept. Load the page again in a moment."))
		case err != nil:
			return nil // nobody is there to read it
		}
		defer done()
		return next(c)
	}
}

// mostForm is the largest form of the shop, in bytes.
const mostForm = 64 << 10

// small refuses bodies larger than any form here, and reads the others before a turn is
// taken: who sends slowly keeps nobody waiting.
func (s *shop) small(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.Method != http.MethodPost {
			return next(c)
		}
		r.Body = http.MaxBytesReader(c.Response(), r.Body, mostForm)
		var large *http.MaxBytesError
		err := r.ParseForm()
		if err == nil {
			if err = r.ParseMultipartForm(mostForm); errors.Is(err, http.ErrNotMultipart) {
				err = nil
			}
		}
		switch {
		case errors.As(err, &large):
			return bare(c, http.StatusRequestEntityTooLarge, text("This is too much at once"), text("Your cart is kept. Go back and send less."))
		case err != nil:
			return bare(c, http.StatusBadRequest, text("This cannot be read"), text("Your cart is kept. Go back and try again."))
		}
		return next(c)
	}
}
