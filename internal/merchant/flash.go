package merchant

import (
	"encoding/json"
	"net/http"

	"github.com/labstack/echo/v5"
)

// flash is what came of the last act, said on the next page. Undo takes it back.
type flash struct {
	Say  string `json:"say"`
	Tone string `json:"tone"` // earned, open or loss
	Link string `json:"link,omitempty"`
	Go   string `json:"go,omitempty"` // what the link is called
	Undo *undo  `json:"undo,omitempty"`
}

// undo is a form that takes an act back.
type undo struct {
	Action string            `json:"action"`
	Fields map[string]string `json:"fields,omitempty"`
	// Several are fields that have several values.
	Several map[string][]string `json:"several,omitempty"`
}

const flashKey = "flash"

// tell keeps what came of an act for the next page.
func (s *server) tell(c *echo.Context, f flash) {
	if b, err := json.Marshal(f); err == nil {
		s.sessions.Put(c.Request().Context(), flashKey, string(b))
	}
}

// told takes what the last act said.
func (s *server) told(c *echo.Context) *flash {
	text := s.sessions.PopString(c.Request().Context(), flashKey)
	var f flash
	if text == "" || json.Unmarshal([]byte(text), &f) != nil {
		return nil
	}
	return &f
}

// once is what a page shows a single time: a secret key, or an invite's link.
type once struct {
	Kind  string `json:"kind"` // key or invite
	Name  string `json:"name"`
	Value string `json:"value"`
}

const onceKey = "shown-once"

// showOnce keeps something for the next page alone.
func (s *server) showOnce(c *echo.Context, o once) {
	if b, err := json.Marshal(o); err == nil {
		s.sessions.Put(c.Request().Context(), onceKey, string(b))
	}
}

// onceOf takes what the next page is to show, if it is of a kind.
func (s *server) onceOf(c *echo.Context, kind string) *once {
	var o once
	text := s.sessions.PopString(c.Request().Context(), onceKey)
	if text == "" || json.Unmarshal([]byte(text), &o) != nil || o.Kind != kind {
		return nil
	}
	return &o
}

// goTo leads to a page after an act, with htmx as without.
func goTo(c *echo.Context, url string) error {
	if isHTMX(c) {
		c.Response().Header().Set("HX-Redirect", url)
		return c.NoContent(http.StatusOK)
	}
	return c.Redirect(http.StatusSeeOther, url)
}

// done says what came of an act and leads to a page.
func (s *server) done(c *echo.Context, url, say string) error {
	s.tell(c, flash{Say: say, Tone: "earned"})
	return goTo(c, url)
}
