// Package store holds what Eskadel itself has to remember, in a PostgreSQL database of its
// own: people, sources, documents with their versions, host apps and the audit log. Secrets
// are sealed with a key from the environment. It decides no rights.
//
// What is read often is kept in memory, and forgotten when this instance or another one
// tells of a change (see told.go). What people change, they change within Change: the
// change, its entry in the audit log and the telling of it are one transaction.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver that GORM and goose share
	"github.com/pressly/goose/v3"
	"github.com/pressly/goose/v3/lock"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
	"gorm.io/gorm/logger"

	"eskadel/core/problem"
	"eskadel/observe"
)

//go:embed migrations/*.sql
var migrations embed.FS

// A Store is Eskadel's own database.
type Store struct {
	db      *gorm.DB
	sealing *sealing
	*telling
	asked    *atomic.Int64 // how many statements the database was sent
	changing bool          // within Change
}

// Open connects and brings the tables up to date; instances that start at once do so one
// after another. Secrets are sealed with the first key and opened with any; each has 32 bytes.
func Open(ctx context.Context, url string, keys ...[]byte) (*Store, error) {
	sealing, err := newSealing(keys)
	if err != nil {
		return nil, err
	}
	raw, err := sql.Open("pgx", url)
	if err != nil {
		return nil, fmt.Errorf("open Eskadel's database: %w", err)
	}
	raw.SetMaxOpenConns(12)
	raw.SetMaxIdleConns(6)
	raw.SetConnMaxIdleTime(time.Minute)
	if err := migrate(ctx, raw); err != nil {
		_ = raw.Close()
		return nil, fmt.Errorf("bring Eskadel's tables up to date: %w", err)
	}
	db, err := gorm.Open(postgres.New(postgres.Config{Conn: raw}), &gorm.Config{Logger: logger.Discard, SkipDefaultTransaction: true})
	if err != nil {
		_ = raw.Close()
		return nil, fmt.Errorf("open Eskadel's database: %w", err)
	}
	s := &Store{db: db, sealing: sealing, asked: &atomic.Int64{}}
	if err := s.count(); err != nil {
		return nil, err
	}
	s.telling = newTelling(url)
	return s, nil
}

func migrate(ctx context.Context, raw *sql.DB) error {
	sub, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	locker, err := lock.NewPostgresSessionLocker()
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, raw, sub, goose.WithSessionLocker(locker))
	if err != nil {
		return err
	}
	_, err = provider.Up(ctx)
	return err
}

// count counts every statement that is sent.
func (s *Store) count() error {
	before := func(db *gorm.DB) {
		s.asked.Add(1)
		db.InstanceSet("began", time.Now())
	}
	after := func(db *gorm.DB) {
		if began, ok := db.InstanceGet("began"); ok {
			observe.Own(db.Statement.Context, db.Statement.SQL.String(), time.Since(began.(time.Time)))
		}
	}
	of := s.db.Callback()
	return errors.Join(
		of.Query().Before("gorm:query").Register("began", before), of.Query().After("gorm:query").Register("ended", after),
		of.Raw().Before("gorm:raw").Register("began", before), of.Raw().After("gorm:raw").Register("ended", after),
		of.Row().Before("gorm:row").Register("began", before), of.Row().After("gorm:row").Register("ended", after),
		of.Create().Before("gorm:create").Register("began", before), of.Create().After("gorm:create").Register("ended", after),
		of.Update().Before("gorm:update").Register("began", before), of.Update().After("gorm:update").Register("ended", after),
		of.Delete().Before("gorm:delete").Register("began", before), of.Delete().After("gorm:delete").Register("ended", after),
	)
}

// Asked is how many statements have been sent so far: how much an answer costs this database.
func (s *Store) Asked() int64 { return s.asked.Load() }

// Close ends all connections.
func (s *Store) Close() error {
	s.telling.close()
	raw, err := s.db.DB()
	if err != nil {
		return err
	}
	return raw.Close()
}

// Ask asks Eskadel's own database something that has one text for an answer.
func (s *Store) Ask(ctx context.Context, query string) (out string, err error) {
	err = s.db.WithContext(ctx).Raw(query).Scan(&out).Error
	return out, words(err, "")
}

// words turns an error of the database into a problem for people. what names the thing
// looked for: "dashboard “yard-today”".
func words(err error, what string) error {
	switch {
	case err == nil:
		return nil
	case problem.Of(err) != nil:
		return err
	case errors.Is(err, gorm.ErrRecordNotFound):
		return problem.New(problem.NotFound, "", "There is no %s.", what)
	case errors.Is(err, context.Canceled):
		return problem.New(problem.Slow, "", "The request was stopped.").Because(err)
	}
	// What cannot be kept, such as a zero byte within a text (class 22), is the asker's doing.
	var pg *pgconn.PgError
	if errors.As(err, &pg) && strings.HasPrefix(pg.Code, "22") {
		return problem.New(problem.Invalid, "", "This holds a character that cannot be kept.").Because(err)
	}
	return problem.New(problem.Down, "", "Eskadel's own database does not answer. This is tried again by itself.").Because(err)
}

func find[T any](ctx context.Context, s *Store, what string, query string, args ...any) (*T, error) {
	var out T
	err := s.db.WithContext(ctx).Where(query, args...).Take(&out).Error
	return &out, words(err, what)
}

func all[T any](ctx context.Context, s *Store, order string) ([]T, error) {
	var out []T
	err := s.db.WithContext(ctx).Order(order).Find(&out).Error
	return out, words(err, "list")
}

// one tells whether a statement changed what it names.
func one(result *gorm.DB, what string) error {
	if result.Error == nil && result.RowsAffected == 0 {
		return words(gorm.ErrRecordNotFound, what)
	}
	return words(result.Error, "")
}

func (s *Store) save(ctx context.Context, v any) error {
	return words(s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(v).Error, "place to save it")
}
