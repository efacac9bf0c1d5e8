package source

import (
	"context"
	_ "embed"
	"log/slog"
	"time"

	"github.com/jackc/pgx/v5"
)

// Channel is the notification channel that change triggers use.
const Channel = "eskadel"

// TriggerSQL makes the function and triggers that announce changes; the builder runs
// it as the owner of the tables. docs/operations.md explains it.
//
//go:embed watch.sql
var TriggerSQL string

// A Listener is told of changes.
type Listener interface {
	// Changed says that records of a table changed.
	Changed(source, table string)
	// Reconnected says that changes may have been missed: everything counts as changed.
	Reconnected(source string)
	// Lost says that changes are not heard of until Reconnected.
	Lost(source string)
}

// Watch listens for changes until ctx ends, connecting again whenever it must.
func (s *Source) Watch(ctx context.Context, l Listener) {
	for ctx.Err() == nil {
		err := s.listen(ctx, l)
		if ctx.Err() != nil {
			return
		}
		slog.Warn("the source's changes are not heard; trying again", "source", s.Name, "error", err)
		l.Lost(s.Name)
		select {
		case <-ctx.Done():
		case <-time.After(time.Second):
		}
	}
}

func (s *Source) listen(ctx context.Context, l Listener) error {
	connect, cancel := context.WithTimeout(ctx, 5*time.Second)
	defer cancel()
	conn, err := pgx.Connect(connect, s.url)
	if err != nil {
		return err
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen "+Channel); err != nil {
		return err
	}
	if _, err := s.Introspect(ctx); err != nil {
		return err
	}
	l.Reconnected(s.Name)
	for {
		wait, cancel := context.WithTimeout(ctx, 30*time.Second)
		n, err := conn.WaitForNotification(wait)
		cancel()
		switch {
		case err == nil:
			l.Changed(s.Name, n.Payload)
		case ctx.Err() != nil:
			return ctx.Err()
		case wait.Err() != nil:
			if err := conn.Ping(ctx); err != nil {
				return err
			}
		default:
			return err
		}
	}
}
