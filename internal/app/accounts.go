package app

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"net/mail"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/google/uuid"
	"golang.org/x/crypto/argon2"
	"gorm.io/gorm"

	"agonal.dev/agonal/internal/shoppertoken"
	"agonal.dev/agonal/internal/store"
)

// argon2id parameters, stored with each hash so that they can be raised later.
const (
	argonTime    = 2
	argonMemory  = 32 << 10 // KiB
	argonThreads = 1
	argonKey     = 32
	argonSalt    = 16
)

// HashPassword makes an argon2id hash in the usual encoded form.
func HashPassword(password string) string {
	salt := make([]byte, argonSalt)
	_, _ = rand.Read(salt) // never fails, see crypto/rand
	key := argon2.IDKey([]byte(password), salt, argonTime, argonMemory, argonThreads, argonKey)
	b64 := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s", argon2.Version, argonMemory, argonTime, argonThreads, b64(salt), b64(key))
}

// passwordIs tells whether a password belongs to a hash.
func passwordIs(password, hash string) bool {
	var version int
	var memory, passes uint32
	var threads uint8
	parts := strings.Split(hash, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	if _, err := fmt.Sscanf(parts[2], "v=%d", &version); err != nil || version != argon2.Version {
		return false
	}
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &memory, &passes, &threads); err != nil {
		return false
	}
	salt, err1 := base64.RawStdEncoding.DecodeString(parts[4])
	want, err2 := base64.RawStdEncoding.DecodeString(parts[5])
	if err1 != nil || err2 != nil || len(want) == 0 {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, passes, memory, threads, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1
}

// decoy is checked for addresses nobody has, so that they take as long.
var decoy = sync.OnceValue(func() string { return HashPassword("nobody") })

// SignIn checks an address and password. Wrong ones give a Problem that does not
// say which of the two is wrong; many in a row give ErrTooManyAttempts.
func (a *App) SignIn(ctx context.Context, email, password, from string) (store.Account, error) {
	wrong := Problem{"password", "This address and password do not belong together."}
	email = strings.ToLower(strings.TrimSpace(email))
	if len(email) > mostEmail || len(password) > mostPassword {
		return store.Account{}, wrong
	}
	right, wait := a.throttle.begin(a.Now(), email, from)
	if wait > 0 {
		return store.Account{}, ErrTooManyAttempts{wait}
	}
	var acc store.Account
	err := a.Store.DB.WithContext(ctx).Where("email = ?", email).Take(&acc).Error
	if err != nil && !errors.Is(err, gorm.ErrRecordNotFound) {
		return store.Account{}, err
	}
	hash := acc.PasswordHash
	if hash == "" {
		hash = decoy()
	}
	var is bool
	if err := a.hashing.do(ctx, func() { is = passwordIs(password, hash) }); err != nil {
		return store.Account{}, err
	}
	if !is || acc.PasswordHash == "" {
		return store.Account{}, wrong
	}
	right()
	return acc, nil
}

// Account reads a person.
func (a *App) Account(ctx context.Context, id uuid.UUID) (store.Account, error) {
	var acc store.Account
	err := a.Store.DB.WithContext(ctx).Where("id = ?", id).Take(&acc).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return acc, ErrNotFound
	}
	return acc, err
}

// ShopRole is a shop with what the person may do in it.
type ShopRole struct {
	store.Shop
	Role store.Role
}

// ShopsOf lists the shops of a person by name.
func (a *App) ShopsOf(ctx context.Context, account uuid.UUID) ([]ShopRole, error) {
	var ms []store.Membership
	db := a.Store.DB.WithContext(ctx)
	if err := db.Where("account_id = ?", account).Find(&ms).Error; err != nil {
		return nil, err
	}
	var shops []store.Shop
	if err := db.Where("id IN (SELECT shop_id FROM memberships WHERE account_id = ?)", account).Order("name").Find(&shops).Error; err != nil {
		return nil, err
	}
	out := make([]ShopRole, 0, len(shops))
	for _, s := range shops {
		for _, m := range ms {
			if m.ShopID == s.ID {
				out = append(out, ShopRole{s, m.Role})
			}
		}
	}
	return out, nil
}

// Limits of accounts.
const (
	mostEmail     = 254
	mostName      = 80
	leastPassword = 10
	mostPassword  = 1000
)

// CreateAccount makes a person who can sign in. The password must have at least
// ten characters.
func (a *App) CreateAccount(ctx context.Context, email, name, password string) (store.Account, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	if at, err := mail.ParseAddress(email); err != nil || at.Address != email || len(email) > mostEmail {
		return store.Account{}, Problem{"email", "That is not an e-mail address."}
	}
	name, err := goodName(name)
	if err != nil {
		return store.Account{}, err
	}
	if err := goodPassword(password); err != nil {
		return store.Account{}, err
	}
	acc := store.Account{ID: uuid.New(), Email: email, Name: name, CreatedAt: a.Now().UTC()}
	if err := a.hashing.do(ctx, func() { acc.PasswordHash = HashPassword(password) }); err != nil {
		return store.Account{}, err
	}
	err = a.Store.DB.WithContext(ctx).Create(&acc).Error
	if errors.Is(err, gorm.ErrDuplicatedKey) {
		return store.Account{}, Problem{"email", "Somebody has an account with this address. Sign in with it, or use another address."}
	}
	return acc, err
}

func goodName(name string) (string, error) {
	name = strings.Join(strings.Fields(name), " ")
	if name == "" || utf8.RuneCountInString(name) > mostName {
		return "", Problem{"name", fmt.Sprintf("Write your name, of at most %d characters, so that others know who changed what.", mostName)}
	}
	return name, nil
}

func goodPassword(password string) error {
	switch {
	case utf8.RuneCountInString(password) < leastPassword:
		return Problem{"password", fmt.Sprintf("A password needs at least %d characters.", leastPassword)}
	case len(password) > mostPassword:
		return Problem{"password", fmt.Sprintf("At most %d characters.", mostPassword)}
	}
	return nil
}

// HashKey is how secret keys are stored.
func HashKey(key string) string {
	return shoppertoken.Fingerprint(key)
}
