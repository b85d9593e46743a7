package shoppertoken_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/internal/shoppertoken"
)

var now = time.Date(2026, 11, 27, 9, 0, 0, 0, time.UTC)

func TestAShopperIsWhoTheShopSays(t *testing.T) {
	three, yes := int64(3), true
	who := decide.Shopper{SignedIn: &yes, Orders: &three, Groups: []string{"club"}}
	key, other := shoppertoken.Fingerprint("sk_one"), shoppertoken.Fingerprint("sk_two")
	token, err := shoppertoken.Sign(key, who, now.Add(time.Hour))
	require.NoError(t, err)
	got, err := shoppertoken.Read(token, []string{other, key}, now)
	require.NoError(t, err)
	assert.Equal(t, who, got)
	_, err = shoppertoken.Read(token, []string{other}, now)
	assert.ErrorIs(t, err, shoppertoken.ErrForged)
	_, err = shoppertoken.Read(token, []string{key}, now.Add(time.Hour))
	assert.ErrorIs(t, err, shoppertoken.ErrExpired)
	for _, bad := range []string{"", ".", "x", token + "A", "A" + token} {
		_, err = shoppertoken.Read(bad, []string{key}, now)
		assert.ErrorIs(t, err, shoppertoken.ErrForged, bad)
	}
}

// No change of a token makes another shopper of it.
func TestATokenIsNotBentIntoAnother(t *testing.T) {
	key := shoppertoken.Fingerprint("sk_one")
	token, err := shoppertoken.Sign(key, decide.Shopper{Groups: []string{"club"}}, now.Add(time.Hour))
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		b := []byte(token)
		i := rapid.IntRange(0, len(b)-1).Draw(t, "at")
		b[i] = rapid.SampledFrom([]byte("ABab01-_.")).Draw(t, "to")
		if string(b) == token {
			return
		}
		got, err := shoppertoken.Read(string(b), []string{key}, now)
		if err == nil { // the last sign of base64 has bits that mean nothing
			assert.Equal(t, len(b)-1, i)
			assert.Equal(t, []string{"club"}, got.Groups)
		}
	})
}
