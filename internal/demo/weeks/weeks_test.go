package weeks_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo/weeks"
	"agonal.dev/agonal/internal/store/storetest"
)

func TestThePastIsMade(t *testing.T) {
	a := storetest.Demo(t)
	at := time.Now()
	require.NoError(t, weeks.Make(context.Background(), a, 100))
	t.Log(time.Since(at))
}
