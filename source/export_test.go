package source

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// LookAgainEvery has sources look at their tables more often than they otherwise do.
func LookAgainEvery(d time.Duration) (back func()) {
	before := lookAgain
	lookAgain = d
	return func() { lookAgain = before }
}

// Ask asks as questions are asked.
func Ask(ctx context.Context, s *Source, sql string, into any) error {
	return s.read(ctx, func(conn *pgx.Conn) error { return conn.QueryRow(ctx, sql).Scan(into) })
}
