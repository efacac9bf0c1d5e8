package yarddesk

import (
	"context"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"strconv"
	"sync"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/jackc/pgx/v5/pgxpool"
)

// A busyDay makes new records and changes at a chosen rate, to watch dashboards live.
type busyDay struct {
	db     *pgxpool.Pool
	mu     sync.Mutex
	cancel context.CancelFunc
}

func (b *busyDay) running() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.cancel != nil
}

func (b *busyDay) stop() {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.cancel != nil {
		b.cancel()
		b.cancel = nil
	}
}

// start makes perMinute changes a minute until stopped.
func (b *busyDay) start(perMinute int) {
	b.stop()
	b.mu.Lock()
	defer b.mu.Unlock()
	ctx, cancel := context.WithCancel(context.Background())
	b.cancel = cancel
	go func() {
		tick := time.NewTicker(time.Minute / time.Duration(perMinute))
		defer tick.Stop()
		for {
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
			if err := b.event(ctx); err != nil && ctx.Err() == nil {
				slog.Warn("the busy day could not write", "error", err)
			}
		}
	}()
}

func (b *busyDay) event(ctx context.Context) error {
	sql := `update yard_job set status = case when status = 'open' then 'in hand' else 'handed back' end, yard_cost = coalesce(yard_cost, 0) + 120, started_on = coalesce(started_on, current_date), changed_at = now()
		where id = (select id from yard_job where status in ('open', 'in hand') order by random() limit 1)`
	if rand.IntN(3) > 0 {
		sql = `insert into yard_job (id, title, yard_id, team_id, vessel_id, supplier_id, kind, part_group, part, urgency, status, opened_at, promised_on, crew_hours, yard_cost, parts_cost, quoted_price)
		select nextval('yard_job_number'), title, yard_id, team_id, vessel_id, supplier_id, kind, part_group, part, urgency, 'open', now(), current_date + 9, crew_hours, yard_cost, parts_cost, quoted_price
		from yard_job where id = (select 1 + floor(random() * (select count(*) from yard_job))::int)`
	}
	_, err := b.db.Exec(ctx, sql)
	return err
}

func (a *App) busyDayButton(c *gin.Context) {
	if a.busy.running() {
		a.busy.stop()
	} else {
		rate, _ := strconv.Atoi(c.PostForm("rate"))
		a.busy.start(max(1, min(rate, 6000)))
	}
	c.Redirect(http.StatusSeeOther, "/")
}
