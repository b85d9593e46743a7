// Package shoppertoken lets a shop's server say who a shopper is through the shopper's own
// browser: what it knows is signed, so that nobody can make themselves another.
package shoppertoken

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"strings"
	"time"

	"agonal.dev/agonal/core/decide"
)

// Header is the request header that carries a token.
const Header = "Agonal-Shopper"

// Most is the longest token that is read, in bytes.
const Most = 4000

// Errors of Read.
var (
	ErrForged  = errors.New("it was not signed with a secret key of the shop that holds")
	ErrExpired = errors.New("it holds no more; the shop's server makes a new one with every page")
)

type claims struct {
	Shopper decide.Shopper `json:"shopper"`
	Until   int64          `json:"until"` // Unix seconds
}

// Fingerprint is what a secret key signs with: its SHA-256, in hexadecimal.
func Fingerprint(secret string) string {
	sum := sha256.Sum256([]byte(secret))
	return hex.EncodeToString(sum[:])
}

// Sign makes a token that holds until a moment: the claims as JSON and their HMAC-SHA256
// under the key's fingerprint, each in base64url, with a point between.
func Sign(fingerprint string, s decide.Shopper, until time.Time) (string, error) {
	body, err := json.Marshal(claims{s, until.Unix()})
	if err != nil {
		return "", err
	}
	text := base64.RawURLEncoding.EncodeToString(body)
	return text + "." + base64.RawURLEncoding.EncodeToString(sum(fingerprint, text)), nil
}

func sum(fingerprint, text string) []byte {
	h := hmac.New(sha256.New, []byte(fingerprint))
	h.Write([]byte(text))
	return h.Sum(nil)
}

// Read returns what a token says, signed with one of some keys. Errors: ErrForged, ErrExpired.
func Read(token string, fingerprints []string, now time.Time) (decide.Shopper, error) {
	text, sign, _ := strings.Cut(token, ".")
	given, err := base64.RawURLEncoding.DecodeString(sign)
	if err != nil || len(token) > Most {
		return decide.Shopper{}, ErrForged
	}
	for _, f := range fingerprints {
		if !hmac.Equal(given, sum(f, text)) {
			continue
		}
		var c claims
		body, err := base64.RawURLEncoding.DecodeString(text)
		if err != nil || json.Unmarshal(body, &c) != nil {
			return decide.Shopper{}, ErrForged
		}
		if now.Unix() >= c.Until {
			return decide.Shopper{}, ErrExpired
		}
		return c.Shopper, nil
	}
	return decide.Shopper{}, ErrForged
}
