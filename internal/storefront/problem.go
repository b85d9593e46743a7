package storefront

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"regexp"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/strict"
	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// problem is an error as RFC 9457 has it. Errors names fields of the request.
type problem struct {
	Type   string              `json:"type"`
	Title  string              `json:"title"`
	Status int                 `json:"status"`
	Detail string              `json:"detail,omitempty"`
	Errors []decide.FieldError `json:"errors,omitempty"`
	// Decision is the order as it would be priced now, where a quote changed.
	Decision *decide.Decision `json:"decision,omitempty"`
	Changes  []string         `json:"changes,omitempty"`
}

// reply answers with a problem, and notes for the shop what was refused and why. That a
// total has changed, or somebody asks too often, is no fault to look into.
func reply(c *echo.Context, p problem) error {
	if p.Type == "" {
		p.Type = "about:blank"
	}
	if k := callOf(c); k != nil && p.Status != http.StatusTooManyRequests && p.Decision == nil {
		at := decide.FieldError{Why: cmp.Or(p.Detail, p.Title)}
		if len(p.Errors) > 0 {
			at = p.Errors[0]
		}
		k.app.Refused(k.shop.Shop.ID, c.Request().Method+" "+c.Path(), p.Status, at.Field, at.Why)
	}
	b, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return c.Blob(p.Status, "application/problem+json", b)
}

// fail answers an error of the application; notFound is what ErrNotFound means.
func fail(c *echo.Context, err error, notFound problem) error {
	var fields decide.FieldErrors
	var said app.Problem
	var changed app.QuoteChanged
	var out app.OutOfStock
	switch {
	case errors.As(err, &fields):
		return reply(c, problem{Status: http.StatusUnprocessableEntity, Title: "The request cannot be used", Detail: fields.Error(), Errors: fields})
	case errors.As(err, &said):
		return reply(c, problem{Status: http.StatusUnprocessableEntity, Title: "The request cannot be used", Detail: said.Field + ": " + said.Say, Errors: []decide.FieldError{{Field: said.Field, Why: said.Say}}})
	case errors.As(err, &changed):
		return reply(c, problem{Status: http.StatusConflict, Title: "The total has changed", Detail: "Show the new total and ask again.", Decision: &changed.Decision, Changes: changed.Changes})
	case errors.As(err, &out):
		return reply(c, problem{Status: http.StatusConflict, Title: "Something has run out", Detail: "Take it out of the cart, or order less of it.", Changes: out.Says(callOf(c).shop.Catalog())})
	case errors.Is(err, app.ErrKeyReused):
		return reply(c, problem{Status: http.StatusConflict, Title: "This idempotency key was used for another order", Detail: "Use a new key for a new order.", Errors: []decide.FieldError{{Field: "idempotency_key", Why: "was used for another order"}}})
	case errors.Is(err, app.ErrNotFound):
		return reply(c, notFound)
	case c.Request().Context().Err() != nil:
		return nil // nobody waits for the answer any more
	case store.Unreachable(err):
		c.Response().Header().Set("Retry-After", "2")
		return reply(c, problem{Status: http.StatusServiceUnavailable, Title: "The database does not answer", Detail: "Nothing was stored; try again in a moment."})
	}
	c.Logger().Error("request failed", "path", c.Path(), "error", err)
	return reply(c, problem{Status: http.StatusInternalServerError, Title: "Agonal failed", Detail: "Nothing was stored; try again in a moment."})
}

var unknownField = regexp.MustCompile(`unknown field "([^"]*)"`)

// most bounds the texts, lists and maps of every body, besides what bounds them more.
var most = strict.Bounds{Text: 200, Entries: 200}

// decode reads a JSON body strictly, naming what is wrong with it. It answers
// the request and returns false where it cannot be used.
func decode(c *echo.Context, into any) (bool, error) {
	body, err := io.ReadAll(http.MaxBytesReader(c.Response(), c.Request().Body, MostBody))
	if err == nil {
		err = strict.Within(body, most)
	}
	if err == nil {
		dec := json.NewDecoder(bytes.NewReader(body))
		dec.DisallowUnknownFields()
		if err = dec.Decode(into); err == nil {
			switch _, more := dec.Token(); {
			case !errors.Is(more, io.EOF):
				err = errors.New("something follows after the closing brace")
			case string(bytes.TrimSpace(body)) == "null":
				err = errors.New("null is no JSON object")
			default:
				return true, nil
			}
		}
	}
	var large *http.MaxBytesError
	var typ *json.UnmarshalTypeError
	var text strict.Error
	var when *time.ParseError
	status, field, why := http.StatusBadRequest, "body", err.Error()
	switch m := unknownField.FindStringSubmatch(err.Error()); {
	case errors.As(err, &text):
		status, field, why = http.StatusUnprocessableEntity, text.Field, text.Why
	case errors.As(err, &when):
		status, field, why = http.StatusUnprocessableEntity, cmp.Or(strict.Where(body, strings.Trim(when.Value, `"`)), field), "is no moment such as 2026-11-26T09:30:00Z"
	case strings.HasPrefix(why, "Time.UnmarshalJSON"):
		status, field, why = http.StatusUnprocessableEntity, cmp.Or(strict.NotText(body, "at", "last_order", "placed_at", "sent_at"), field), "is no moment such as 2026-11-26T09:30:00Z"
	case errors.As(err, &large):
		status, why = http.StatusRequestEntityTooLarge, fmt.Sprintf("the body is larger than %d KB", MostBody>>10)
	case errors.Is(err, io.EOF):
		why = "the body is empty; a JSON object is needed"
	case errors.Is(err, io.ErrUnexpectedEOF):
		why = "the JSON breaks off before its end"
	case m != nil:
		status, field, why = http.StatusUnprocessableEntity, m[1], "this field is not known"
	case errors.As(err, &typ):
		status, field, why = http.StatusUnprocessableEntity, cmp.Or(strict.PathAt(body, int(typ.Offset)), typ.Field, field), fmt.Sprintf("a %s does not belong here", typ.Value)
	}
	return false, reply(c, problem{Status: status, Title: "The body cannot be read", Detail: field + ": " + why, Errors: []decide.FieldError{{Field: field, Why: why}}})
}
