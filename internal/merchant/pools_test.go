package merchant_test

import (
	"bytes"
	"mime/multipart"
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"agonal.dev/agonal/internal/demo"
)

// A pool is filled by making codes and by a file, seen with what is left, and taken along.
func TestAPoolIsFilledSeenAndTakenAlong(t *testing.T) {
	a, as := start(t)
	b := as(demo.Email)
	make := func(pool, number, prefix, signs string) (int, string) {
		return b.post("/s/lindquill/shop/codes", url.Values{"do": {"make"}, "pool": {pool}, "number": {number}, "prefix": {prefix}, "signs": {signs}})
	}
	status, body := make("winter letter", "25", "wl-", "8")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "25 codes are in the pool “winter letter” now.")
	for say, typed := range map[string][4]string{
		"A pool has a name of 1 to 40 characters": {"", "5", "", "8"},
		"0 codes cannot be made at once":          {"x", "0", "", "8"},
		"A code needs from 6 to 20 signs":         {"x", "5", "", "3"},
		"A prefix has letters, digits":            {"x", "5", "a b", "8"},
	} {
		status, body := make(typed[0], typed[1], typed[2], typed[3])
		assert.Equal(t, http.StatusUnprocessableEntity, status, say)
		assert.Contains(t, body, say)
	}
	file := func(content string) (int, string) {
		var form bytes.Buffer
		w := multipart.NewWriter(&form)
		require.NoError(t, w.WriteField("csrf", b.csrf))
		require.NoError(t, w.WriteField("do", "import"))
		require.NoError(t, w.WriteField("pool", "winter letter"))
		part, err := w.CreateFormFile("file", "codes.csv")
		require.NoError(t, err)
		_, err = part.Write([]byte(content))
		require.NoError(t, err)
		require.NoError(t, w.Close())
		return b.read(b.http.Post(b.base+"/s/lindquill/shop/codes", w.FormDataContentType(), &form))
	}
	_, body = file("code\nQUAY-1\nQUAY-2\n")
	assert.Contains(t, body, "2 codes are in the pool “winter letter” now.")
	status, body = file("code\nQUAY-3\nQUAY-2\n")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "The shop has 1 of these codes already, such as QUAY-2; nothing was added.")

	require.NoError(t, a.Store.DB.Exec("UPDATE pool_codes SET order_number = 1001 WHERE code = 'QUAY-1'").Error)
	_, body = b.get("/s/lindquill/shop/codes")
	assert.Regexp(t, `(?s)winter letter.*>27<.*>1<.*>26<.*no nudge`, body)
	status, body = b.get("/s/lindquill/shop/codes/winter%20letter/codes.csv")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "QUAY-1")

	// The workbench says how many are left.
	b.edit("1", "code", panel("code", "audience.code", "", "audience.pool", "winter letter", "applies_code", ""))
	_, body = b.get("/s/lindquill/nudges/parcels-to-japan")
	assert.Contains(t, body, "26 of 27 codes of the pool are left.")
	viewer := as("vera@lindquill.example")
	status, body = viewer.get("/s/lindquill/shop/codes")
	assert.Equal(t, http.StatusOK, status)
	assert.NotContains(t, body, "Make codes")
}
