// Bench compares Eskadel with queries written by hand: over a million jobs, each
// question of the dashboard Yard today through the HTTP API, uncached, against the same
// answer from SQL through pgx, in turn, in the same run. It prints medians and their
// ratios, and the time of a cached answer, which is all that Eskadel itself takes.
//
//	make bench                      one million jobs
//	make bench BENCH="-scale 2.5"   a hundred thousand
package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/signal"
	"runtime/pprof"
	"sort"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"eskadel/demo"
	"eskadel/localpg"
)

// A question is a widget, its hand-written twin, and the ratio it must not exceed.
type question struct {
	widget string
	what   string
	most   float64
	sql    []string
}

const zone = "'Europe/London'"

// since is the start of the last twelve months, counted from the current one.
const since = "(date_trunc('month', now() at time zone " + zone + ") - interval '11 months')"

var questions = []question{
	{"cost", "sum per week by kind", 0.5, []string{`select date_trunc('week', opened_at at time zone ` + zone + `) as week, kind, sum(yard_cost)
		from yard_job where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now() group by 1, 2`}},
	{"starts", "count per month by yard", 0.5, []string{`select date_trunc('month', j.started_on) as month, y.name, count(*) filter (where j.days_late > 0)
		from yard_job j join yard y on y.id = j.yard_id where j.status <> 'withdrawn' and j.started_on >= ` + since + `::date and j.started_on <= current_date group by 1, 2`}},
	{"money", "sum per month over a link, and the plan", 1.05, []string{`select date_trunc('month', i.issued_on) as month, sum(l.net)
		from invoice_line l join invoice i on i.id = l.invoice_id where i.issued_on >= ` + since + `::date and i.issued_on <= current_date group by 1`,
		`select month, sum(planned) from plan_month where month >= ` + since + `::date and month < date_trunc('month', current_date) + interval '1 month' group by 1`}},
	{"open", "two counts", 1.05, []string{`select count(*) filter (where status in ('open', 'waiting for parts', 'in hand')), count(*) filter (where status = 'waiting for parts')
		from yard_job where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now()`}},
	{"late", "count and average", 1.05, []string{`select count(*) filter (where days_late between 1 and 365), avg(days_late) filter (where days_late between 1 and 365)
		from yard_job where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now()`}},
	{"revenue", "two sums over a link, and those of the year before", 1.05, []string{`select sum(l.net), sum(l.margin) from invoice_line l join invoice i on i.id = l.invoice_id
		where i.issued_on >= ` + since + `::date and i.issued_on <= current_date`,
		`select sum(l.net), sum(l.margin) from invoice_line l join invoice i on i.id = l.invoice_id
		where i.issued_on >= (` + since + ` - interval '1 year')::date and i.issued_on <= (current_date - interval '1 year')::date`}},
	{"parts", "count by part group", 1.05, []string{`select part_group, count(*) from yard_job
		where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now() group by 1 order by 2 desc`}},
	{"crews", "four measures, one a median, of the largest 8 crews and the others", 1.05, []string{`with d as materialized (
		select team_id, crew_hours, yard_cost from yard_job where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now()),
		top as (select team_id from d where team_id is not null group by 1 order by count(*) desc limit 8)
		select case when t.team_id is not null then c.name when d.team_id is not null then 'Others' end, count(*), sum(d.crew_hours), avg(d.yard_cost), percentile_cont(0.5) within group (order by d.crew_hours)
		from d left join top t on t.team_id = d.team_id left join team c on c.id = t.team_id group by rollup (1)`}},
	{"jobs", "the first 50 records and their number", 1.05, []string{
		`select count(*) from yard_job where status <> 'withdrawn' and status in ('open', 'waiting for parts', 'in hand') and opened_at >= ` + since + ` at time zone ` + zone,
		`select j.id, j.title, v.name, y.name, j.status, j.promised_on, j.yard_cost from yard_job j join vessel v on v.id = j.vessel_id join yard y on y.id = j.yard_id
		where j.status <> 'withdrawn' and j.status in ('open', 'waiting for parts', 'in hand') and j.opened_at >= ` + since + ` at time zone ` + zone + ` order by j.id limit 50`}},
}

func main() {
	b := bench{}
	scale := flag.Float64("scale", 25, "how many records: 25 is a million jobs")
	flag.IntVar(&b.rounds, "rounds", 15, "how often each is asked")
	flag.StringVar(&b.only, "only", "", "one question, by its widget or kind; \"own\" for Eskadel's own share, \"eight\" for eight charts at once")
	flag.BoolVar(&b.cold, "cold", false, "start the database anew and empty the system's file cache before each question (as root)")
	skewed := flag.Bool("skewed", false, "seven of ten jobs have the same part, kind, crew and yard, and one of twenty boats; a few cost a thousandfold")
	kept := flag.String("profile", "", "where to keep a profile of the processor's time, as builds for use are guided by (cmd/eskadel/default.pgo)")
	flag.Parse()
	if *kept != "" {
		f, err := os.Create(*kept)
		if err == nil {
			err = pprof.StartCPUProfile(f)
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "bench:", err)
			os.Exit(1)
		}
		defer pprof.StopCPUProfile()
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	if err := b.run(ctx, *scale, *skewed); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// A bench measures one running demonstration.
type bench struct {
	d      *demo.Demo
	conn   *pgx.Conn // for queries by hand
	bearer string
	rounds int
	only   string
	cold   bool
}

func start(ctx context.Context, dir string, scale float64) (*demo.Demo, error) {
	return demo.Start(ctx, demo.Config{Measured: true, Dir: dir, Scale: scale, Again: true, Say: func(f string, a ...any) { fmt.Printf(f+"\n", a...) }})
}

func (b *bench) run(ctx context.Context, scale float64, skewed bool) error {
	root, err := os.Getwd()
	if err != nil {
		return err
	}
	dir := localpg.Folder(root, fmt.Sprintf("bench-%g", scale))
	if skewed {
		dir += "-skewed"
	}
	if b.d, err = start(ctx, dir, scale); err != nil {
		return err
	}
	defer func() { b.d.Stop() }()
	if skewed {
		changed, err := skew(ctx, b.d)
		if err != nil {
			return err
		}
		if changed { // statistics are read at the start
			b.d.Stop()
			if b.d, err = start(ctx, dir, scale); err != nil {
				return err
			}
		}
	}
	if b.bearer, err = b.d.Viewer(ctx); err != nil {
		return err
	}
	if b.conn, err = pgx.Connect(ctx, b.d.Cluster.URL(demo.Reader, "yarddesk")); err != nil {
		return err
	}
	defer func() { _ = b.conn.Close(ctx) }()
	var jobs int64
	if err := b.conn.QueryRow(ctx, "select count(*) from yard_job").Scan(&jobs); err != nil {
		return err
	}
	fmt.Printf("\n%d jobs, %d rounds, medians in milliseconds\n\n| question | by hand | Eskadel | ratio | at most | cached |\n|---|---|---|---|---|---|\n", jobs, b.rounds)
	switch b.only {
	case "own":
		_, err := ownShare(ctx, b.d, max(1000, b.rounds)) // prints whether it holds
		return err
	case "eight":
		_, err := b.wholeDashboard(ctx)
		return err
	}
	held := true
	for _, q := range questions {
		if b.only != "" && q.widget != b.only {
			continue
		}
		var cached []time.Duration
		ask := func() error { return ask(ctx, b.d, b.bearer, q.widget) }
		hand, ours, err := b.inTurn(ctx, q.sql, ask, func() error {
			c, err := clock(ask)
			cached = append(cached, c)
			return err
		})
		if err != nil {
			return fmt.Errorf("%s: %w", q.widget, err)
		}
		ratio, mark := float64(ours)/float64(hand), ""
		if ratio > q.most || !b.cold && median(cached) > 5*time.Millisecond { // nothing is kept while the source is not heard
			held, mark = false, " (missed)"
		}
		fmt.Printf("| %s: %s | %.1f | %.1f | %.2f%s | %.2f | %.1f |\n", q.widget, q.what, ms(hand), ms(ours), ratio, mark, q.most, ms(median(cached)))
	}
	if b.only == "" && scale <= 25 && !b.cold { // of more, eight at once take longer than the source's limit
		whole, err := b.wholeDashboard(ctx)
		if err != nil {
			return err
		}
		own, err := ownShare(ctx, b.d, max(1000, b.rounds))
		if err != nil {
			return err
		}
		held = held && whole && own
	}
	each, err := b.compareKinds(ctx)
	if err != nil {
		return err
	}
	if !held || !each {
		fmt.Println("\nNot every limit was held.")
	}
	return nil
}

// inTurn measures a question by hand and through Eskadel, as after a change, in turn, and
// returns the medians. after is done after each round.
func (b *bench) inTurn(ctx context.Context, sql []string, ask, after func() error) (hand, ours time.Duration, err error) {
	var hands, all []time.Duration
	for i := range b.rounds + 1 {
		if err := b.ready(ctx); err != nil {
			return 0, 0, err
		}
		h, err := clock(func() error { return byHand(ctx, b.conn, sql) })
		if err != nil {
			return 0, 0, fmt.Errorf("by hand: %w", err)
		}
		if err := b.ready(ctx); err != nil {
			return 0, 0, err
		}
		o, err := clock(ask)
		if err != nil {
			return 0, 0, err
		}
		if err := after(); err != nil {
			return 0, 0, err
		}
		if i > 0 || b.cold { // the first warms up
			hands, all = append(hands, h), append(all, o)
		}
	}
	return median(hands), median(all), nil
}

// ready has nothing kept of any answer, and where it is to be cold nothing of the tables in
// memory; connections are there.
func (b *bench) ready(ctx context.Context) error {
	defer forget(b.d)
	if !b.cold {
		return nil
	}
	_ = b.conn.Close(ctx)
	if err := b.d.Cluster.Stop(); err != nil {
		return err
	}
	syscall.Sync()
	if err := os.WriteFile("/proc/sys/vm/drop_caches", []byte("3"), 0o200); err != nil {
		return fmt.Errorf("empty the file cache, which needs root: %w", err)
	}
	if err := b.d.Cluster.Restart(ctx); err != nil {
		return err
	}
	var err error
	if b.conn, err = pgx.Connect(ctx, b.d.Cluster.URL(demo.Reader, "yarddesk")); err != nil {
		return err
	}
	src, err := b.d.Engine.Source("yard-desk")
	if err != nil {
		return err
	}
	good := 0
	for try := 0; try < 200 && good < 20; try++ { // until connections that have ended are all replaced
		if _, err = b.d.Store.Sources(ctx); err == nil {
			err = src.Test(ctx)
		}
		if good++; err != nil {
			good = 0
			time.Sleep(50 * time.Millisecond)
		}
	}
	if err != nil {
		return err
	}
	// What is to be cold are the records, not what Eskadel knows.
	c, err := demo.SignIn(ctx, b.d.Eskadel, demo.BuilderEmail, demo.Password)
	if err != nil {
		return err
	}
	for _, path := range []string{"/api/v1/dashboards/yard-today", "/api/v1/datasets", "/api/v1/datasets/yard-jobs", "/api/v1/datasets/invoice-lines", "/api/v1/datasets/enquiries"} {
		if _, _, err := c.Do(ctx, http.MethodGet, path, nil); err != nil {
			return err
		}
	}
	_, _, err = c.Do(ctx, http.MethodPost, "/api/v1/run", []byte(`{"definition":{"version":2,"dataset":"yards","measures":[{"count":"records"}]}}`))
	return err
}

// skew makes most jobs alike, once.
func skew(ctx context.Context, d *demo.Demo) (changed bool, err error) {
	conn, err := pgx.Connect(ctx, d.Cluster.URL("yarddesk", "yarddesk"))
	if err != nil {
		return false, err
	}
	defer conn.Close(ctx)
	var alike bool
	if err := conn.QueryRow(ctx, "select count(distinct part_group) = 1 from yard_job where id <= 7").Scan(&alike); err != nil || alike {
		return false, err
	}
	fmt.Println("making most jobs alike")
	for _, sql := range []string{
		"update yard_job set (part, part_group, kind, team_id, yard_id) = (select part, part_group, kind, team_id, yard_id from yard_job where id = 1), vessel_id = 1 + vessel_id % 20 where id % 10 < 7 or id <= 7",
		"update yard_job set yard_cost = yard_cost * 1000 where id % 5000 = 0",
		"vacuum (full, analyze) yard_job",
	} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return false, err
		}
	}
	return true, nil
}

func ask(ctx context.Context, d *demo.Demo, bearer, widget string) error {
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, d.Eskadel+"/api/v1/dashboards/yard-today/widgets/"+widget+"/run", nil)
	if err != nil {
		return err
	}
	r.Header.Set("Authorization", "Bearer "+bearer)
	response, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer response.Body.Close()
	b, err := io.ReadAll(response.Body)
	if err == nil && response.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s: %s", widget, b)
	}
	return err
}

func byHand(ctx context.Context, conn *pgx.Conn, statements []string) error {
	for _, sql := range statements {
		rows, err := conn.Query(ctx, sql)
		if err != nil {
			return err
		}
		for rows.Next() {
			if _, err := rows.Values(); err != nil {
				return err
			}
		}
		if rows.Err() != nil {
			return rows.Err()
		}
	}
	return nil
}

func clock(f func() error) (time.Duration, error) {
	start := time.Now()
	err := f()
	return time.Since(start), err
}

func median(d []time.Duration) time.Duration {
	sort.Slice(d, func(i, j int) bool { return d[i] < d[j] })
	return d[len(d)/2]
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }
