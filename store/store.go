// Package store keeps what Eskadel itself knows, in a PostgreSQL database of its own:
// people, sources, datasets, charts, dashboards with their versions, host apps and the
// audit log. Secrets are sealed with a key from the environment. It decides no rights.
package store

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	_ "github.com/jackc/pgx/v5/stdlib" // the driver that GORM and goose share
	"github.com/pressly/goose/v3"
	"gorm.io/driver/postgres"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"
	"gorm.io/gorm/logger"

	"eskadel/core/problem"
)

//go:embed migrations/*.sql
var migrations embed.FS

// A Store is Eskadel's own database.
type Store struct {
	db   *gorm.DB
	aead cipher.AEAD
}

// Open connects and brings the tables up to date. key has 32 bytes and seals secrets.
func Open(ctx context.Context, url string, key []byte) (*Store, error) {
	block, err := aes.NewCipher(key)
	if err != nil {
		return nil, fmt.Errorf("use the key for secrets, which has 32 bytes: %w", err)
	}
	aead, err := cipher.NewGCM(block)
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
	provider, err := goose.NewProvider(goose.DialectPostgres, raw, mustSub())
	if err != nil {
		return nil, err
	}
	if _, err := provider.Up(ctx); err != nil {
		return nil, fmt.Errorf("bring Eskadel's tables up to date: %w", err)
	}
	db, err := gorm.Open(postgres.New(postgres.Config{Conn: raw}), &gorm.Config{Logger: logger.Discard, SkipDefaultTransaction: true})
	if err != nil {
		return nil, fmt.Errorf("open Eskadel's database: %w", err)
	}
	return &Store{db, aead}, nil
}

// Close ends all connections.
func (s *Store) Close() error {
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

func (s *Store) seal(secret string) []byte {
	nonce := make([]byte, s.aead.NonceSize())
	_, _ = rand.Read(nonce)
	return s.aead.Seal(nonce, nonce, []byte(secret), nil)
}

func (s *Store) unseal(sealed []byte) (string, error) {
	n := s.aead.NonceSize()
	if len(sealed) < n {
		return "", errors.New("a sealed secret is too short")
	}
	plain, err := s.aead.Open(nil, sealed[:n], sealed[n:], nil)
	if err != nil {
		return "", errors.New("a secret was sealed with another key than ESKADEL_KEY")
	}
	return string(plain), nil
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

func (s *Store) save(ctx context.Context, v any) error {
	return words(s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(v).Error, "place to save it")
}

// Audit records who did what. Entries are only ever added.
func (s *Store) Audit(ctx context.Context, who, what, about string) error {
	return words(s.db.WithContext(ctx).Create(&AuditEntry{At: time.Now(), Who: who, What: what, About: about}).Error, "")
}

// AuditLog returns the newest entries.
func (s *Store) AuditLog(ctx context.Context, most int) ([]AuditEntry, error) {
	var out []AuditEntry
	err := s.db.WithContext(ctx).Order("id desc").Limit(most).Find(&out).Error
	return out, words(err, "audit log")
}
