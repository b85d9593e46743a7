package store

import (
	"time"

	"github.com/google/uuid"

	"agonal.dev/agonal/core/catalog"
	"agonal.dev/agonal/core/decide"
	"agonal.dev/agonal/core/money"
	"agonal.dev/agonal/core/nudge"
	"agonal.dev/agonal/core/results"
	"agonal.dev/agonal/core/snapshot"
)

// Account is a person who signs in. Email is in lower case.
type Account struct {
	ID           uuid.UUID
	Email        string
	Name         string
	PasswordHash string
	SessionRound int // sessions that began under a lower number are over
	CreatedAt    time.Time
}

// Shop is one online store. Every other row belongs to one.
type Shop struct {
	ID        string
	Name      string
	Town      string
	TimeZone  string            // IANA
	Locale    string            // BCP 47, of those who run it
	Settings  snapshot.Settings `gorm:"serializer:json"`
	Origins   []string          `gorm:"serializer:json"` // that may call the API from a browser
	CreatedAt time.Time
	// CreatedForm is the form it was made with, so that pressing twice makes one.
	CreatedForm string
}

// KeyKind is what a key may do.
type KeyKind string

// The kinds of key: one that stands in every page of the shop, and one that only
// the shop's server knows.
const (
	Publishable KeyKind = "publishable"
	Secret      KeyKind = "secret"
)

// Prefix begins the keys of a kind.
func (k KeyKind) Prefix() string {
	if k == Secret {
		return "sk_"
	}
	return "pk_"
}

// APIKey is a key to the API. Key is kept for publishable ones only.
type APIKey struct {
	ID          uuid.UUID
	ShopID      string
	Kind        KeyKind
	Name        string
	Key         string
	Fingerprint string // SHA-256, hex
	Hint        string // the key's last signs
	CreatedAt   time.Time
	CreatedBy   string
	EndsAt      *time.Time // from when it holds no more; nil: it holds
}

// TableName is the table of keys.
func (APIKey) TableName() string { return "api_keys" }

// Sighting is the last request of an origin with an outcome.
type Sighting struct {
	ShopID  string          `gorm:"primaryKey"`
	Origin  string          `gorm:"primaryKey"` // as a browser sends it; empty: a server
	Outcome SightingOutcome `gorm:"primaryKey"`
	Page    string          // the path of the page, where it was told
	Hint    string          // the last signs of the key
	Times   int64
	At      time.Time
}

// RefusedCall is why calls of a shop were refused lately; of an order that the shop's server
// gave up, Field is its idempotency key.
type RefusedCall struct {
	ShopID    string `gorm:"primaryKey"`
	Operation string `gorm:"primaryKey"` // such as POST /v1/orders, or GivenUp
	Status    int    `gorm:"primaryKey"` // of the answer; of a given-up order 0
	Field     string `gorm:"primaryKey"`
	Why       string `gorm:"primaryKey"`
	Times     int64
	At        time.Time
}

// TableName is the table's name.
func (RefusedCall) TableName() string { return "refusals" }

// GivenUp is the operation of orders that a shop's server sends no more.
const GivenUp = "order given up"

// SightingOutcome is what became of a request.
type SightingOutcome string

// The outcomes.
const (
	SeenWell      SightingOutcome = "well"
	SeenOrigin    SightingOutcome = "origin"  // the origin is not allowed
	SeenEnded     SightingOutcome = "ended"   // the key was withdrawn or replaced
	SeenUnknown   SightingOutcome = "unknown" // no shop has such a key
	SeenNoRegions SightingOutcome = "regions" // the shop delivers nowhere yet
)

// Invite is an offer of a role in a shop, to whoever holds its link.
type Invite struct {
	ID          uuid.UUID
	ShopID      string
	Role        Role
	Email       string // where it was sent; may be empty
	Fingerprint string // of the link's token
	CreatedAt   time.Time
	CreatedBy   string
	ExpiresAt   time.Time
}

// Mail is a message given to the stand-in for e-mail.
type Mail struct {
	ID        int64
	ToAddress string
	Subject   string
	Body      string
	At        time.Time
}

// Role is what a person may do in a shop.
type Role string

// The roles, each with the rights of the ones after it.
const (
	Owner  Role = "owner"
	Editor Role = "editor"
	Viewer Role = "viewer"
)

// CanEdit tells whether the role may change anything.
func (r Role) CanEdit() bool { return r == Owner || r == Editor }

// Membership gives a person a role in a shop.
type Membership struct {
	AccountID uuid.UUID `gorm:"primaryKey"`
	ShopID    string    `gorm:"primaryKey"`
	Role      Role
	Weekly    string // the application's address, where a report is wanted each Monday; empty: none is
}

// Report is a week of which a report was sent to a person.
type Report struct {
	ShopID    string    `gorm:"primaryKey"`
	AccountID uuid.UUID `gorm:"primaryKey"`
	Week      time.Time `gorm:"primaryKey"` // its Monday
}

// Product is a product row.
type Product struct {
	ShopID      string `gorm:"primaryKey"`
	ID          string `gorm:"primaryKey"`
	Position    int64
	Title       string
	Description string
	Picture     string
	Collections []string `gorm:"serializer:json"`
	Tags        []string `gorm:"serializer:json"`
	GiftCard    bool
	NeverOff    bool
}

// Variant is a variant row.
type Variant struct {
	ShopID    string `gorm:"primaryKey"`
	SKU       string `gorm:"primaryKey"`
	ProductID string
	Position  int64
	Options   []catalog.Option                            `gorm:"serializer:json"`
	Prices    map[money.Currency]catalog.Price            `gorm:"serializer:json"`
	Plans     map[string]map[money.Currency]catalog.Price `gorm:"serializer:json"`
	Stock     *int64
	Weight    int64
	TaxClass  string
}

// Region is a region row.
type Region struct {
	ShopID     string `gorm:"primaryKey"`
	ID         string `gorm:"primaryKey"`
	Position   int
	Definition catalog.Region `gorm:"serializer:json"`
}

// State is what a merchant made of a nudge. Scheduled is not stored: it is live
// with a start to come.
type State string

// The stored states.
const (
	StateDraft  State = "draft"
	StateLive   State = "live"
	StatePaused State = "paused"
	StateEnded  State = "ended"
)

// Nudge is a nudge with its draft. DraftVersion rises with every change, so that
// two people who edit the same draft find out.
type Nudge struct {
	ShopID       string `gorm:"primaryKey"`
	ID           string `gorm:"primaryKey"`
	Priority     int
	State        State
	Draft        nudge.Definition `gorm:"serializer:json"`
	DraftVersion int
	Dirty        bool // the draft differs from the live revision
	LiveRevision int  // 0: never published
	CreatedAt    time.Time
	ChangedAt    time.Time
	ChangedBy    string
	StateSince   time.Time
	DeletedAt    *time.Time        // deleted, and can still be taken back
	PutAway      bool              // ended, and no longer on the board
	ThrownDraft  *nudge.Definition `gorm:"serializer:json"` // the draft that was thrown away last
	CopyOf       *nudge.Definition `gorm:"serializer:json"` // what it was copied from, as that was then
}

// Revision is a published definition; it never changes.
type Revision struct {
	ShopID      string           `gorm:"primaryKey"`
	NudgeID     string           `gorm:"primaryKey"`
	Number      int              `gorm:"primaryKey"`
	Definition  nudge.Definition `gorm:"serializer:json"`
	PublishedAt time.Time
	PublishedBy string
}

// Order is a placed order with the decision it was priced by. Amounts are minor
// units of Currency.
type Order struct {
	ShopID         string `gorm:"primaryKey"`
	Number         int64  `gorm:"primaryKey;autoIncrement:false"`
	IdempotencyKey string
	RequestHash    string
	Visit          string
	Region         string
	Country        string
	Currency       money.Currency
	Goods          money.Minor
	Off            money.Minor
	Fee            money.Minor
	ListFee        money.Minor
	Tax            money.Minor
	ToPay          money.Minor
	Method         string
	Customer       string
	SharedLink     string       // by whose token the visit came; empty: none
	Margin         *money.Minor // what is left of it without tax, once everything is paid; nil: a cost is not known
	Arm            string       // see [Event]
	Language       string
	Device         string
	WithVisitor    bool            // it told who visited
	AsQuoted       bool            // taken over as the shop charged it, as a rule while Agonal could not be reached
	Decision       decide.Decision `gorm:"serializer:json"`
	PlacedAt       time.Time
	Rewards        []OrderReward `gorm:"foreignKey:ShopID,OrderNumber;references:ShopID,Number"`
}

// OrderReward is a reward given with an order.
type OrderReward struct {
	ShopID      string `gorm:"primaryKey"`
	OrderNumber int64  `gorm:"primaryKey;autoIncrement:false"`
	NudgeID     string `gorm:"primaryKey"`
	Revision    int
	Rung        int    `gorm:"primaryKey;autoIncrement:false"`
	Class       string `gorm:"primaryKey"` // unit, order, shipping or gift; empty: of an order before classes were kept
	Currency    money.Currency
	Amount      money.Minor  // of a gift, its list price
	Cost        *money.Minor // what it cost the shop: of a gift its unit cost, else the amount; nil: not known
}

// EventKinds lists what a visit may report; those of OfTheVisit have no nudge, and of those of
// ForOrders the orders are counted that came of the visit. Those of OfBands are counted by gap
// band, and nothing else is.
var (
	EventKinds = []results.Kind{results.Visit, results.Checkout, results.Could, results.Shown, results.Reached, results.Clicked, results.Added, results.Picked, results.Taken, results.Declined, results.Dismissed, results.Shared, results.ShownAt, results.Accepted, results.Loaded}
	OfTheVisit = []results.Kind{results.Visit, results.Checkout}
	ForOrders  = []results.Kind{results.Visit, results.Could, results.Shown, results.InTrial}
	OfBands    = []results.Kind{results.ShownAt, results.Accepted}
)

// Event is something a visit saw or did, once by its id within the visit.
type Event struct {
	ShopID    string `gorm:"primaryKey"`
	Visit     string `gorm:"primaryKey"`
	ID        string `gorm:"primaryKey"`
	Day       time.Time
	At        time.Time
	Kind      results.Kind
	NudgeID   string // empty: of the visit itself
	Revision  int
	Rung      int
	Placement string
	Region    string
	Language  string // a BCP 47 tag
	Device    string
	Arm       string // results.ArmNone, results.ArmHeld, or how a trial treated the visit; empty: as usual
	Visitor   string
	Share     money.Rate `gorm:"type:int"` // of visitors from whom what is told of is kept
	Band      string     // the gap band in which it was shown or accepted
	Ms        int        // of results.Loaded, milliseconds
}

// ImportState is how far an import is.
type ImportState string

// The states of an import.
const (
	ImportPreviewed ImportState = "previewed"
	ImportRunning   ImportState = "running"
	ImportDone      ImportState = "done"
	ImportFailed    ImportState = "failed"
	ImportCancelled ImportState = "cancelled"
)

// Import is a catalogue file that was brought in.
type Import struct {
	ShopID    string    `gorm:"primaryKey"`
	ID        uuid.UUID `gorm:"primaryKey"`
	State     ImportState
	FileName  string
	File      []byte
	Summary   ImportSummary `gorm:"serializer:json"`
	Done      int
	Total     int
	Error     string
	CreatedAt time.Time
	CreatedBy string
}

// ImportSummary is what a file would change, counted in variants, with the first
// few of each.
type ImportSummary struct {
	New, Changed, Unchanged int
	NewNames                []string
	Changes                 []Change
	Refused                 []Refusal
	RefusedInAll            int
	RowsRead                int
}

// Change is a field of a variant that a file would change, as texts of the file;
// empty: not there.
type Change struct{ SKU, Label, Column, Before, After string }

// Refusal is a fault of a file.
type Refusal struct {
	Line   int
	Column string
	Why    string
}
