package merchant

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"agonal.dev/agonal/internal/app"
	"agonal.dev/agonal/internal/store"
)

// connectionView is how the shop's pages and server are connected.
type connectionView struct {
	Keys      []keyRow
	Made      *once  // a key that was just made, shown this once
	Origins   string // as typed, one a line
	Seen      []seenRow
	GivenUp   []refusedRow // orders that the shop's server sends no more
	Refused   []refusedRow
	Snippet   string
	Err       map[string]string
	NewName   string
	NewKind   string
	Overlaps  []overlapView
	OwnerOnly bool // whether the reader may only read, since keys are an owner's
}

type keyRow struct {
	store.APIKey
	Shown, When, Ends string
	Holds             bool
}

type seenRow struct {
	Who, Page, When, Outcome, What string
	Good                           bool
	Times                          int64
}

// refusedRow is what was refused, or an order that was given up.
type refusedRow struct {
	What, Field, Why, When string
	Times                  int64
}

type overlapView struct{ Value, Name string }

var overlapNames = []string{"at once", "after an hour", "after a day", "after a week"}

func (s *server) connection(c *echo.Context) error {
	return s.showConnection(c, http.StatusOK, &connectionView{Origins: strings.Join(at(c).shop.Origins, "\n"), Made: s.onceOf(c, "key")})
}

func (s *server) showConnection(c *echo.Context, status int, v *connectionView) error {
	ctx, h := c.Request().Context(), at(c)
	keys, err := s.app.Keys(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	seen, err := s.app.Sightings(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	now := s.app.Now()
	publishable := "pk_…"
	for _, k := range keys {
		row := keyRow{APIKey: k, Shown: k.Key, When: h.day(k.CreatedAt), Holds: k.EndsAt == nil || k.EndsAt.After(now)}
		if row.Shown == "" {
			row.Shown = k.Kind.Prefix() + "…" + k.Hint
		}
		if k.EndsAt != nil {
			row.Ends = h.day(*k.EndsAt)
		}
		if row.Holds && k.EndsAt == nil && k.Kind == store.Publishable && publishable == "pk_…" {
			publishable = k.Key
		}
		v.Keys = append(v.Keys, row)
	}
	for _, x := range seen {
		v.Seen = append(v.Seen, seenRowOf(h, x))
	}
	refused, err := s.app.Refusals(ctx, h.shop.ID)
	if err != nil {
		return s.fail(c, err)
	}
	for _, x := range refused {
		row := refusedRow{What: x.Operation, Field: x.Field, Why: x.Why, When: h.day(x.At), Times: x.Times}
		if x.Operation == store.GivenUp {
			v.GivenUp = append(v.GivenUp, row)
		} else {
			v.Refused = append(v.Refused, row)
		}
	}
	for i, o := range app.Overlaps {
		v.Overlaps = append(v.Overlaps, overlapView{o.String(), overlapNames[i]})
	}
	if v.Err == nil {
		v.Err = map[string]string{}
	}
	if v.NewKind == "" {
		v.NewKind = string(store.Publishable)
	}
	v.OwnerOnly = h.shop.Role != store.Owner
	v.Snippet = snippet(s.base(c), publishable)
	return s.render(c, status, "connection", page{Title: "Connection", Place: "shop", Section: "connection", Data: v})
}

// base is the address under which this application is reached.
func (s *server) base(c *echo.Context) string {
	scheme := "http"
	if c.IsTLS() {
		scheme = "https"
	}
	return scheme + "://" + c.Request().Host
}

// snippet is what a plain page of the shop needs.
func snippet(base, key string) string {
	return `<script src="` + base + `/embed/v1.js" data-key="` + key + `" defer></script>
<agonal-nudge place="top_bar"></agonal-nudge>
<script type="application/json" id="agonal-request">
  {"cart": {"lines": [{"sku": "YOUR-SKU", "quantity": 1}]}}
</script>`
}

func seenRowOf(h *here, x store.Sighting) seenRow {
	r := seenRow{Who: x.Origin, Page: x.Page, When: h.day(x.At), Times: x.Times, Good: x.Outcome == store.SeenWell}
	if x.Origin == "" {
		r.Who = "a server"
	}
	switch x.Outcome {
	case store.SeenWell:
		r.Outcome = "answered"
	case store.SeenOrigin:
		r.Outcome, r.What = "refused: this origin is not allowed", "Add it to the allowed origins below."
	case store.SeenEnded:
		r.Outcome, r.What = "refused: its key (…"+x.Hint+") was withdrawn or replaced", "Put a key that holds into the page."
	case store.SeenUnknown:
		r.Outcome, r.What = "refused: no shop has its key (…"+x.Hint+")", "Copy the key again."
	case store.SeenNoRegions:
		r.Outcome, r.What = "not answered: the shop has no region", "Make a region first."
	}
	return r
}

func (s *server) makeKey(c *echo.Context) error {
	h := at(c)
	kind := store.KeyKind(c.FormValue("kind"))
	k, full, err := s.app.MakeKey(c.Request().Context(), h.shop.ID, h.account.Name, kind, c.FormValue("name"))
	return s.keyMade(c, k, full, err)
}

// keyMade shows a new key, this once, or what is wrong.
func (s *server) keyMade(c *echo.Context, k store.APIKey, full string, err error) error {
	v := &connectionView{Origins: strings.Join(at(c).shop.Origins, "\n")}
	var said app.Problem
	switch {
	case errors.As(err, &said):
		v.Err = map[string]string{said.Field: said.Say}
		v.NewName, v.NewKind = c.FormValue("name"), c.FormValue("kind")
		return s.showConnection(c, http.StatusUnprocessableEntity, v)
	case err != nil:
		return s.fail(c, err)
	case k.Kind == store.Publishable:
		return s.done(c, at(c).url("/shop/connection"), fmt.Sprintf("The key “%s” is made.", k.Name))
	}
	s.showOnce(c, once{"key", k.Name, full})
	return goTo(c, at(c).url("/shop/connection"))
}

func (s *server) replaceKey(c *echo.Context) error {
	id, err := uuid.Parse(c.Param("key"))
	if err != nil {
		return s.fail(c, app.ErrNotFound)
	}
	overlap, err := time.ParseDuration(c.FormValue("overlap"))
	if err != nil || !slices.Contains(app.Overlaps, overlap) {
		return s.oops(c, http.StatusUnprocessableEntity, "Choose until when the old key goes on holding.")
	}
	h := at(c)
	k, full, err := s.app.ReplaceKey(c.Request().Context(), h.shop.ID, h.account.Name, id, overlap)
	return s.keyMade(c, k, full, err)
}

func (s *server) withdrawKey(c *echo.Context) error {
	id, err := uuid.Parse(c.Param("key"))
	if err != nil {
		return s.fail(c, app.ErrNotFound)
	}
	k, err := s.app.WithdrawKey(c.Request().Context(), at(c).shop.ID, id)
	if err != nil {
		return s.fail(c, err)
	}
	return s.done(c, at(c).url("/shop/connection"), fmt.Sprintf("The key “%s” is withdrawn; whoever uses it is refused from now on.", k.Name))
}

const mostOrigins = 50

// saveOrigins keeps the list of origins, one a line.
func (s *server) saveOrigins(c *echo.Context) error {
	h := at(c)
	typed := c.FormValue("origins")
	origins, wrong := parseOrigins(typed)
	if wrong != "" {
		return s.showConnection(c, http.StatusUnprocessableEntity, &connectionView{Origins: typed, Err: map[string]string{"origins": wrong}})
	}
	err := s.app.ChangeConfig(c.Request().Context(), h.shop.ID, h.account.Name, false, func(config *app.ShopConfig) error {
		config.Origins = origins
		return nil
	})
	if err != nil {
		return s.fail(c, err)
	}
	return s.done(c, h.url("/shop/connection"), "The allowed origins are saved.")
}

// parseOrigins reads origins such as https://shop.example; a path after one is
// left away.
func parseOrigins(typed string) (origins []string, wrong string) {
	for _, line := range strings.Fields(strings.ReplaceAll(typed, ",", " ")) {
		u, err := url.Parse(line)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Hostname() == "" || u.User != nil || len(line) > 200 {
			return nil, fmt.Sprintf("“%s” is not an origin; write one a line, such as https://shop.example.", line)
		}
		if o := u.Scheme + "://" + strings.ToLower(u.Host); !slices.Contains(origins, o) {
			origins = append(origins, o)
		}
	}
	if len(origins) > mostOrigins {
		return nil, fmt.Sprintf("%d origins are too many; at most %d.", len(origins), mostOrigins)
	}
	return origins, ""
}
