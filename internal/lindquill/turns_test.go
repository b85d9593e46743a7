package lindquill

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/core/decide"
)

func TestFewPagesAreMadeAtATime(t *testing.T) {
	turns := newTurns(2, 1)
	take := func(most time.Duration) (func(), error) { return turns.take(t.Context(), most) }
	first, err := take(time.Second)
	require.NoError(t, err)
	second, err := take(time.Second)
	require.NoError(t, err)
	_, err = take(10 * time.Millisecond)
	assert.ErrorIs(t, err, errBusy, "nobody waits for ever")

	left, leave := context.WithCancel(t.Context())
	leave()
	_, err = turns.take(left, time.Second)
	assert.ErrorIs(t, err, context.Canceled, "who has left takes no turn")

	came := make(chan struct{})
	go func() {
		third, err := take(5 * time.Second)
		assert.NoError(t, err)
		close(came)
		third()
	}()
	require.Eventually(t, func() bool { return len(turns.waiting) == 3 }, time.Second, time.Millisecond)
	_, err = take(time.Second)
	assert.ErrorIs(t, err, errBusy, "so many wait that no more may")
	first()
	<-came
	second()
	assert.Empty(t, turns.in)
	assert.Empty(t, turns.waiting)
}

func TestWhoPaysKeepsNobodyFromTheirPage(t *testing.T) {
	turns := newTurns(1, 1)
	done, err := turns.take(t.Context(), time.Second)
	require.NoError(t, err)
	turns.outside(func() {
		other, err := turns.take(t.Context(), time.Second)
		require.NoError(t, err)
		other()
	})
	done()
	assert.Empty(t, turns.in)
}

// After a silence the shop asks by itself, and shoppers have offers again with the first
// answer.
func TestTheFirstAnswerAfterASilenceIsNoticed(t *testing.T) {
	var silent atomic.Bool
	silent.Store(true)
	srv := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		_, _ = io.Copy(io.Discard, r.Body)
		if silent.Load() {
			<-r.Context().Done()
			return
		}
		_, _ = w.Write([]byte("{}"))
	}))
	t.Cleanup(srv.Close)
	c := newClient(Config{Agonal: srv.URL})
	_, err := c.decide(t.Context(), decide.Request{})
	require.ErrorIs(t, err, errSilent)
	silent.Store(false)
	assert.Eventually(t, func() bool {
		_, err := c.decide(t.Context(), decide.Request{})
		return err == nil
	}, quietFor/2, 10*time.Millisecond)
}
