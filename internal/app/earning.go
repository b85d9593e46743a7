package app

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"gorm.io/gorm"

	"agonal.dev/agonal/core/audience"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/internal/store"
)

// ErrNoCodes says that the pool of a nudge has no code left.
var ErrNoCodes = errors.New("no code is left")

// EarnRequest tells what a visit did to earn a code.
type EarnRequest struct {
	Nudge string       `json:"nudge"`
	Act   audience.Act `json:"act"`
	Visit string       `json:"visit"`
}

// EarnCode gives a visit the code that an act earns, once: asked again it is the same one.
// Errors: Problem, ErrNotFound, ErrNoCodes.
func (a *App) EarnCode(ctx context.Context, snap *ShopSnapshot, req EarnRequest) (string, error) {
	pool, err := snap.earning(req.Nudge, req.Act, req.Visit)
	if err != nil {
		return "", err
	}
	code, err := a.Store.GiveCode(ctx, snap.Shop.ID, pool, req.Nudge, req.Visit, a.Now().UTC())
	if err == nil && code == "" {
		a.usage.stale(snap.Shop.ID) // it is not promised to the next
		return "", ErrNoCodes
	}
	return code, err
}

// earning is the pool of a live nudge whose codes an act earns.
func (s *ShopSnapshot) earning(id string, act audience.Act, visit string) (string, error) {
	if n := utf8.RuneCountInString(visit); n < 1 || n > decide.MostVisitID {
		return "", Problem{"visit", fmt.Sprintf("1 to %d characters are needed", decide.MostVisitID)}
	}
	for i := range s.Nudges {
		n := &s.Nudges[i]
		if n.ID != id {
			continue
		}
		if act == "" || n.Definition.Audience.EarnedBy != act {
			return "", Problem{"act", "this earns no code of the nudge"}
		}
		return n.Definition.Audience.Pool, nil
	}
	return "", ErrNotFound
}

// ShareRequest is a cart that a visit shares.
type ShareRequest struct {
	Nudge string     `json:"nudge"`
	Visit string     `json:"visit"`
	Cart  SharedCart `json:"cart"`
}

// SharedCart is what of a cart is shared.
type SharedCart struct {
	Lines []decide.CartLine `json:"lines"`
}

// ShareCart makes a link to a cart: the same one however often a visit shares for a nudge.
// What came from nudges is no part of it. Errors: Problem, ErrNotFound.
func (a *App) ShareCart(ctx context.Context, snap *ShopSnapshot, req ShareRequest) (string, error) {
	if _, err := snap.earning(req.Nudge, audience.LinkShared, req.Visit); err != nil {
		return "", err
	}
	lines := slices.DeleteFunc(slices.Clone(req.Cart.Lines), func(l decide.CartLine) bool { return l.Origin != nil })
	if len(lines) == 0 {
		return "", Problem{"cart.lines", "an empty cart has nothing to share"}
	}
	if err := (decide.Request{Cart: decide.Cart{Lines: lines}}).Check(); err != nil {
		return "", err
	}
	return a.Store.ShareCart(ctx, store.SharedLink{
		ShopID: snap.Shop.ID, Token: strings.ToLower(rand.Text()[:16]), NudgeID: req.Nudge, Visit: req.Visit, Lines: lines, At: a.Now().UTC(),
	})
}

// OpenLink is the cart of a shared link; a visit that came by it is counted once. Errors:
// ErrNotFound.
func (a *App) OpenLink(ctx context.Context, shop, token, visit string) ([]decide.CartLine, error) {
	if utf8.RuneCountInString(visit) > decide.MostVisitID {
		return nil, Problem{"visit", fmt.Sprintf("at most %d characters", decide.MostVisitID)}
	}
	if n := utf8.RuneCountInString(token); n < 1 || n > mostToken {
		return nil, Problem{"token", fmt.Sprintf("1 to %d characters are needed", mostToken)}
	}
	link, err := a.Store.OpenLink(ctx, shop, token, visit, a.Now().UTC())
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return nil, ErrNotFound
	}
	return link.Lines, err
}

// withoutCodes notes which nudges have no code left to be earned.
func (a *App) withoutCodes(ctx context.Context, snap *ShopSnapshot, usage map[string]decide.Usage) error {
	pools := map[string]string{}
	var names []string
	for i := range snap.Nudges {
		if d := &snap.Nudges[i].Definition; d.Audience.EarnedBy != "" {
			pools[snap.Nudges[i].ID] = d.Audience.Pool
			names = append(names, d.Audience.Pool)
		}
	}
	empty, err := store.EmptyPools(a.Store.DB.WithContext(ctx), snap.Shop.ID, names)
	for id, pool := range pools {
		u := usage[id]
		u.NoCodes = empty[pool]
		usage[id] = u
	}
	return err
}
