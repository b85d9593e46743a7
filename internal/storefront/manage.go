package storefront

import (
	"errors"
	"io"
	"mime"
	"net/http"

	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/core/checks"
	"agonal.dev/agonal/core/codes"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/strict"
	"agonal.dev/agonal/internal/app"
)

// byAPI is who changed what came through the API.
const byAPI = "API"

// managed asks for the secret key.
func (s *server) managed(h echo.HandlerFunc) echo.HandlerFunc {
	return s.keyedWithin(managedWithin, func(c *echo.Context) error {
		for _, p := range c.PathValues() {
			if why := strict.Text(p.Value); why != "" {
				return reply(c, problem{Status: http.StatusUnprocessableEntity, Title: "The address cannot be used", Detail: p.Name + ": " + why, Errors: []decide.FieldError{{Field: p.Name, Why: why}}})
			}
		}
		if !callOf(c).secret {
			return reply(c, problem{Status: http.StatusForbidden, Title: "A secret key is needed for this", Detail: "Nudges and codes are managed by the shop's server, with its secret key."})
		}
		return h(c)
	})
}

type publishedReply struct {
	Nudge    string           `json:"nudge"`
	Revision int              `json:"revision"`
	Sentence string           `json:"sentence"`
	Findings []checks.Finding `json:"findings"`
}

// publish puts a definition in force under an id of the shop's choice, as a new
// revision; the same definition again changes nothing.
func (s *server) publish(c *echo.Context) error {
	k := callOf(c)
	b, err := io.ReadAll(http.MaxBytesReader(c.Response(), c.Request().Body, nudge.MostBytes+1))
	if err != nil {
		return reply(c, problem{Status: http.StatusRequestEntityTooLarge, Title: "The definition is too large", Detail: "At most 256 KiB are possible."})
	}
	d, err := nudge.Parse(b)
	if err != nil {
		return refuse(c, err)
	}
	n, found, err := s.app.PublishDefinition(k.ctx, k.shop.Shop.ID, c.Param("id"), byAPI, d)
	var blocked app.Blocked
	if errors.As(err, &blocked) {
		var fields []decide.FieldError
		for _, f := range blocked.Findings {
			if f.Severity == checks.Stop {
				fields = append(fields, decide.FieldError{Field: f.Field, Why: f.Say})
			}
		}
		return reply(c, problem{Status: http.StatusUnprocessableEntity, Title: "Checks stop this nudge", Detail: blocked.Error(), Errors: fields})
	}
	if err != nil {
		return refuse(c, err)
	}
	if found == nil {
		found = []checks.Finding{}
	}
	return c.JSON(http.StatusOK, publishedReply{n.ID, n.LiveRevision, d.Say(nudge.Voice{Region: d.FirstRegion(k.shop.Regions()), Locale: k.shop.Shop.Locale, Label: k.shop.Catalog().Label}), found})
}

// refuse answers with the field of an error that names one.
func refuse(c *echo.Context, err error) error {
	var field nudge.FieldError
	var say app.Problem
	switch {
	case errors.As(err, &field):
		return reply(c, problem{Status: http.StatusUnprocessableEntity, Title: "This is refused", Detail: field.Error(), Errors: []decide.FieldError{{Field: field.Field, Why: field.Why}}})
	case errors.As(err, &say):
		return reply(c, problem{Status: http.StatusUnprocessableEntity, Title: "This is refused", Detail: say.Say, Errors: []decide.FieldError{{Field: say.Field, Why: say.Say}}})
	}
	return fail(c, err, problem{})
}

type generateRequest struct {
	Count  int    `json:"count"`
	Prefix string `json:"prefix"`
	Signs  int    `json:"signs"`
}

// addCodes makes codes of a pool, or brings a CSV file of them in.
func (s *server) addCodes(c *echo.Context) error {
	k := callOf(c)
	shop, pool := k.shop.Shop.ID, c.Param("pool")
	if kind, _, _ := mime.ParseMediaType(c.Request().Header.Get("Content-Type")); kind == "text/csv" {
		n, err := s.app.ImportCodes(k.ctx, shop, pool, http.MaxBytesReader(c.Response(), c.Request().Body, 16<<20))
		if err != nil {
			return refuse(c, err)
		}
		return c.JSON(http.StatusCreated, map[string]int{"added": n})
	}
	var req generateRequest
	if ok, err := decode(c, &req); !ok {
		return err
	}
	made, err := s.app.GenerateCodes(k.ctx, shop, pool, req.Prefix, req.Signs, req.Count)
	if err != nil {
		return refuse(c, err)
	}
	return c.JSON(http.StatusCreated, map[string]any{"added": len(made), "codes": made})
}

// listCodes writes a pool as CSV.
func (s *server) listCodes(c *echo.Context) error {
	k := callOf(c)
	rows, err := s.app.Store.Codes(k.ctx, k.shop.Shop.ID, c.Param("pool"))
	if err != nil {
		return fail(c, err, problem{})
	}
	h := c.Response().Header()
	h.Set("Content-Type", "text/csv; charset=utf-8")
	h.Set("Content-Disposition", `attachment; filename="codes.csv"`)
	return codes.WriteCSV(c.Response(), rows)
}
