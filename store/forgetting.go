package store

import (
	"context"
	"errors"
	"log/slog"
	"time"
)

// forgetEvery is how often what is over is forgotten.
const forgetEvery = 10 * time.Minute

// over is what nobody needs any more: how dashboards were looked at that nobody has opened for 400 days, viewers of
// host apps who have not come for 90, what was sent 400 days ago, and passes and stays in frames that have ended.
var over = []string{
	"delete from views where used_at < now() - interval '400 days'",
	"delete from host_viewers where seen_at < now() - interval '90 days'",
	"delete from runs where ended_at < now() - interval '400 days'",
	"delete from used_passes where expires_at < now()",
	"delete from frame_sessions where expires_at < now()",
}

// Forget drops what is over.
func (s *Store) Forget(ctx context.Context) error {
	for _, sql := range over {
		if err := s.db.WithContext(ctx).Exec(sql).Error; err != nil {
			return words(err, "")
		}
	}
	return nil
}

// Forgetting drops what is over every now and then, and snapshots of an age, until ctx ends.
func (s *Store) Forgetting(ctx context.Context, snapshots time.Duration) {
	every := time.NewTicker(forgetEvery)
	defer every.Stop()
	for {
		if err := errors.Join(s.Forget(ctx), s.ForgetSnapshots(ctx, snapshots)); err != nil && ctx.Err() == nil {
			slog.Warn("what is over cannot be dropped", "error", err)
		}
		select {
		case <-ctx.Done():
			return
		case <-every.C:
		}
	}
}
