// Package store keeps Agonal's data in PostgreSQL: models, queries and
// migrations. Queries take the shop they are about; nothing is read or written
// across shops.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
	"github.com/riverqueue/river/riverdriver/riverpgxv5"
	"github.com/riverqueue/river/rivermigrate"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

//go:embed migrations/*.sql
var migrations embed.FS

// LeastVersion is the oldest PostgreSQL server that is supported.
const LeastVersion = 14

// Store holds the connections to one database.
type Store struct {
	DB   *gorm.DB
	Pool *pgxpool.Pool

	eventMonths sync.Map // months whose part of the events is there
}

// deadlines end what takes longer than anything here should; the server keeps them. The
// URL may set others.
var deadlines = map[string]string{"statement_timeout": "30s", "lock_timeout": "5s", "idle_in_transaction_session_timeout": "60s"}

// Open connects to a database by its URL. The errors are sentences for the
// person who starts the program.
func Open(ctx context.Context, url string) (*Store, error) {
	cfg, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("DATABASE_URL cannot be read: %w", err)
	}
	cfg.MaxConns = 16
	for name, most := range deadlines {
		if cfg.ConnConfig.RuntimeParams[name] == "" {
			cfg.ConnConfig.RuntimeParams[name] = most
		}
	}
	pool, err := pgxpool.NewWithConfig(ctx, cfg)
	if err != nil {
		return nil, fmt.Errorf("connecting to the database: %w", err)
	}
	var version int
	if err := pool.QueryRow(ctx, "SELECT current_setting('server_version_num')::int / 10000").Scan(&version); err != nil {
		pool.Close()
		return nil, fmt.Errorf("the database at %s:%d does not answer; start it or correct DATABASE_URL: %w", cfg.ConnConfig.Host, cfg.ConnConfig.Port, err)
	}
	if version < LeastVersion {
		pool.Close()
		return nil, fmt.Errorf("the database server is PostgreSQL %d; version %d or later is needed", version, LeastVersion)
	}
	db, err := gorm.Open(postgres.New(postgres.Config{Conn: stdlib.OpenDBFromPool(pool)}), &gorm.Config{
		TranslateError: true,
		NowFunc:        func() time.Time { return time.Now().UTC() },
		Logger:         logger.Default.LogMode(logger.Silent),
	})
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("opening the database: %w", err)
	}
	return &Store{DB: db, Pool: pool}, nil
}

// Close gives the connections back.
func (s *Store) Close() { s.Pool.Close() }

// Migrate brings the schema up to date, however long it takes.
func (s *Store) Migrate(ctx context.Context) error {
	cfg := s.Pool.Config().ConnConfig.Copy()
	for name := range deadlines {
		cfg.RuntimeParams[name] = "0"
	}
	db := stdlib.OpenDB(*cfg)
	defer func() { _ = db.Close() }()
	goose.SetBaseFS(migrations)
	goose.SetLogger(goose.NopLogger())
	if err := goose.SetDialect("postgres"); err != nil {
		return err
	}
	if err := goose.UpContext(ctx, db, "migrations"); err != nil {
		return fmt.Errorf("migrating the database: %w", err)
	}
	m, err := rivermigrate.New(riverpgxv5.New(s.Pool), &rivermigrate.Config{Logger: slog.New(slog.DiscardHandler)})
	if err != nil {
		return err
	}
	if _, err := m.Migrate(ctx, rivermigrate.DirectionUp, nil); err != nil {
		return fmt.Errorf("migrating the job tables: %w", err)
	}
	return nil
}

// Unreachable tells whether an error means that the database does not answer
// now, rather than that it refused something.
func Unreachable(err error) bool {
	if err == nil {
		return false
	}
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return slices.Contains([]string{"57P01", "57P02", "57P03", "53300", "57014", "55P03"}, pg.Code) // going down, full, or too slow
	}
	var dial *pgconn.ConnectError
	return errors.As(err, &dial) || pgconn.SafeToRetry(err) || errors.Is(err, context.DeadlineExceeded) || isNetwork(err)
}
