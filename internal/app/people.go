package app

import (
	"context"
	"errors"
	"fmt"
	"net/mail"
	"strings"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"agonal.dev/agonal/internal/store"
)

// Limits of invites.
const (
	InviteHolds = 7 * 24 * time.Hour
	MostInvites = 50 // of a shop that wait
)

// Member is a person with a role in a shop.
type Member struct {
	store.Account
	Role store.Role
}

// Members lists who has a part in a shop, owners first.
func (a *App) Members(ctx context.Context, shop string) ([]Member, error) {
	var out []Member
	err := a.Store.DB.WithContext(ctx).Raw(`SELECT a.*, m.role FROM memberships m JOIN accounts a ON a.id = m.account_id
		WHERE m.shop_id = ? ORDER BY array_position(ARRAY['owner', 'editor', 'viewer'], m.role), a.name, a.email`, shop).Scan(&out).Error
	return out, err
}

// Invites lists the invites of a shop that wait to be taken.
func (a *App) Invites(ctx context.Context, shop string) ([]store.Invite, error) {
	var out []store.Invite
	err := a.Store.DB.WithContext(ctx).Where("shop_id = ? AND expires_at > ?", shop, a.Now()).Order("created_at DESC").Find(&out).Error
	return out, err
}

func knownRole(r store.Role) bool { return r == store.Owner || r == store.Editor || r == store.Viewer }

// Invite makes a link that gives its holder a role, once, and returns its token.
// Where an address is given, the stand-in for e-mail is handed the link too;
// link makes an address of a token.
func (a *App) Invite(ctx context.Context, shop store.Shop, who, email string, role store.Role, link func(token string) string) (store.Invite, string, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	if !knownRole(role) {
		return store.Invite{}, "", Problem{"role", "Choose what the person may do: owner, editor or viewer."}
	}
	if _, err := mail.ParseAddress(email); email != "" && (err != nil || len(email) > mostEmail) {
		return store.Invite{}, "", Problem{"email", "That is not an e-mail address. Leave it empty to hand the link over yourself."}
	}
	now := a.Now().UTC()
	t := strings.ToLower(token())
	inv := store.Invite{ID: uuid.New(), ShopID: shop.ID, Role: role, Email: email, Fingerprint: HashKey(t), CreatedAt: now, CreatedBy: who, ExpiresAt: now.Add(InviteHolds)}
	err := a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop.ID); err != nil {
			return err
		}
		var n int64
		if err := tx.Model(&store.Invite{}).Where("shop_id = ? AND expires_at > ?", shop.ID, now).Count(&n).Error; err != nil {
			return err
		}
		if n >= MostInvites {
			return Problem{"email", fmt.Sprintf("%d invites wait to be taken; withdraw one first.", n)}
		}
		if err := tx.Create(&inv).Error; err != nil {
			return err
		}
		if email == "" {
			return nil
		}
		return tx.Create(&store.Mail{
			ToAddress: email, At: now, Subject: who + " invites you to " + shop.Name,
			Body: fmt.Sprintf("%s invites you to %s on Agonal, as %s.\n\nOpen this link within seven days:\n%s\n", who, shop.Name, role, link(t)),
		}).Error
	})
	return inv, t, err
}

// WithdrawInvite makes an invite's link worthless.
func (a *App) WithdrawInvite(ctx context.Context, shop string, id uuid.UUID) error {
	return a.Store.DB.WithContext(ctx).Where("shop_id = ? AND id = ?", shop, id).Delete(&store.Invite{}).Error
}

// InviteBy reads the invite of a link, and its shop.
func (a *App) InviteBy(ctx context.Context, token string) (store.Invite, store.Shop, error) {
	var inv store.Invite
	var shop store.Shop
	db := a.Store.DB.WithContext(ctx)
	err := db.Where("fingerprint = ? AND expires_at > ?", HashKey(token), a.Now()).Take(&inv).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return inv, shop, ErrNotFound
	}
	if err != nil {
		return inv, shop, err
	}
	return inv, shop, db.Where("id = ?", inv.ShopID).Take(&shop).Error
}

// TakeInvite gives a person the role of an invite. It works once; somebody who has
// a part in the shop already keeps the greater role. Pressing twice does no harm.
func (a *App) TakeInvite(ctx context.Context, token string, account uuid.UUID) (shop string, err error) {
	err = a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		var inv store.Invite
		err := tx.Clauses(clause.Locking{Strength: "UPDATE"}).Where("fingerprint = ? AND expires_at > ?", HashKey(token), a.Now()).Take(&inv).Error
		if errors.Is(err, gorm.ErrRecordNotFound) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		shop = inv.ShopID
		var have store.Membership
		err = tx.Where("account_id = ? AND shop_id = ?", account, shop).Take(&have).Error
		switch {
		case errors.Is(err, gorm.ErrRecordNotFound):
			err = tx.Create(&store.Membership{AccountID: account, ShopID: shop, Role: inv.Role}).Error
		case err == nil && weight(inv.Role) > weight(have.Role):
			err = tx.Model(&store.Membership{}).Where("account_id = ? AND shop_id = ?", account, shop).Update("role", inv.Role).Error
		}
		if err != nil {
			return err
		}
		return tx.Delete(&inv).Error
	})
	return shop, err
}

func weight(r store.Role) int {
	switch r {
	case store.Owner:
		return 3
	case store.Editor:
		return 2
	}
	return 1
}

// SetRole changes what a person may do in a shop; an empty role takes the person
// out. was is the role one saw. A shop keeps at least one owner.
func (a *App) SetRole(ctx context.Context, shop string, account uuid.UUID, was, role store.Role) error {
	if role != "" && !knownRole(role) {
		return Problem{"role", "Choose what the person may do: owner, editor or viewer."}
	}
	return a.Store.DB.WithContext(ctx).Transaction(func(tx *gorm.DB) error {
		if err := lockShop(tx, shop); err != nil {
			return err
		}
		var m store.Membership
		err := tx.Where("shop_id = ? AND account_id = ?", shop, account).Take(&m).Error
		switch {
		case errors.Is(err, gorm.ErrRecordNotFound) && role == "":
			return nil // somebody else was quicker
		case errors.Is(err, gorm.ErrRecordNotFound):
			return Problem{"role", "This person has no part in the shop any more; nothing was changed."}
		case err != nil:
			return err
		case m.Role == role:
			return nil
		case was != "" && m.Role != was:
			return Problem{"role", fmt.Sprintf("This person is %s by now; nothing was changed. Look again and decide anew.", m.Role)}
		}
		if m.Role == store.Owner {
			var owners int64
			if err := tx.Model(&store.Membership{}).Where("shop_id = ? AND role = ?", shop, store.Owner).Count(&owners).Error; err != nil {
				return err
			}
			if owners == 1 {
				return Problem{"role", "A shop needs an owner. Make somebody else an owner first."}
			}
		}
		if role == "" {
			return tx.Where("shop_id = ? AND account_id = ?", shop, account).Delete(&store.Membership{}).Error
		}
		return tx.Model(&store.Membership{}).Where("shop_id = ? AND account_id = ?", shop, account).Update("role", role).Error
	})
}

// ChangePassword sets one's own password and ends every session but those that
// begin from now on. It returns the account as it is then.
func (a *App) ChangePassword(ctx context.Context, account uuid.UUID, old, password string) (store.Account, error) {
	acc, err := a.Account(ctx, account)
	if err != nil {
		return acc, err
	}
	is := false
	if len(old) <= mostPassword {
		if err := a.hashing.do(ctx, func() { is = passwordIs(old, acc.PasswordHash) }); err != nil {
			return acc, err
		}
	}
	if !is {
		return acc, Problem{"old", "This is not your present password."}
	}
	if err := goodPassword(password); err != nil {
		return acc, err
	}
	if err := a.hashing.do(ctx, func() { acc.PasswordHash = HashPassword(password) }); err != nil {
		return acc, err
	}
	err = a.Store.DB.WithContext(ctx).Model(&acc).Clauses(clause.Returning{}).
		Updates(map[string]any{"password_hash": acc.PasswordHash, "session_round": gorm.Expr("session_round + 1")}).Error
	return acc, err
}

// EndSessions ends every session of a person but those that begin from now on.
func (a *App) EndSessions(ctx context.Context, account uuid.UUID) (store.Account, error) {
	acc := store.Account{ID: account}
	err := a.Store.DB.WithContext(ctx).Model(&acc).Clauses(clause.Returning{}).Update("session_round", gorm.Expr("session_round + 1")).Error
	return acc, err
}

// RenameAccount sets one's own name.
func (a *App) RenameAccount(ctx context.Context, account uuid.UUID, name string) error {
	name, err := goodName(name)
	if err != nil {
		return err
	}
	return a.Store.DB.WithContext(ctx).Model(&store.Account{}).Where("id = ?", account).Update("name", name).Error
}

// Mails lists what the stand-in for e-mail was given, the latest first.
func (a *App) Mails(ctx context.Context) ([]store.Mail, error) {
	var out []store.Mail
	err := a.Store.DB.WithContext(ctx).Order("id DESC").Limit(50).Find(&out).Error
	return out, err
}
