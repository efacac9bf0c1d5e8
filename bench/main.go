// Bench compares Eskadel with queries written by hand: over a million jobs, each
// question of the dashboard Yard today through the HTTP API, uncached, against the same
// answer from SQL through pgx, in turn, in the same run. It prints medians and their
// ratios, and the time of a cached answer, which is all that Eskadel itself takes.
//
//	make bench                      one million jobs
//	make bench BENCH="-scale 2.5"   a hundred thousand
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/signal"
	"runtime/pprof"
	"sort"
	"time"

	"github.com/golang-jwt/jwt/v5"
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
	{"cost", "sum per week by kind", 0.6, []string{`select date_trunc('week', opened_at at time zone ` + zone + `) as week, kind, sum(yard_cost)
		from yard_job where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now() group by 1, 2`}},
	{"starts", "count per month by yard", 0.6, []string{`select date_trunc('month', j.started_on) as month, y.name, count(*) filter (where j.days_late > 0)
		from yard_job j join yard y on y.id = j.yard_id where j.status <> 'withdrawn' and j.started_on >= ` + since + `::date and j.started_on <= current_date group by 1, 2`}},
	{"money", "sum per month over a link, and the plan", 1.1, []string{`select date_trunc('month', i.issued_on) as month, sum(l.net)
		from invoice_line l join invoice i on i.id = l.invoice_id where i.issued_on >= ` + since + `::date and i.issued_on <= current_date group by 1`,
		`select month, sum(planned) from plan_month where month >= ` + since + `::date and month < date_trunc('month', current_date) + interval '1 month' group by 1`}},
	{"open", "two counts", 1.1, []string{`select count(*) filter (where status in ('open', 'waiting for parts', 'in hand')), count(*) filter (where status = 'waiting for parts')
		from yard_job where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now()`}},
	{"late", "count and average", 1.1, []string{`select count(*) filter (where days_late between 1 and 365), avg(days_late) filter (where days_late between 1 and 365)
		from yard_job where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now()`}},
	{"revenue", "two sums over a link, and those of the year before", 1.1, []string{`select sum(l.net), sum(l.margin) from invoice_line l join invoice i on i.id = l.invoice_id
		where i.issued_on >= ` + since + `::date and i.issued_on <= current_date`,
		`select sum(l.net), sum(l.margin) from invoice_line l join invoice i on i.id = l.invoice_id
		where i.issued_on >= (` + since + ` - interval '1 year')::date and i.issued_on <= (current_date - interval '1 year')::date`}},
	{"parts", "count by part group", 1.1, []string{`select part_group, count(*) from yard_job
		where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now() group by 1 order by 2 desc`}},
	{"crews", "four measures, one a median, of the largest 8 crews and the others", 1.1, []string{`with d as materialized (
		select team_id, crew_hours, yard_cost from yard_job where status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now()),
		top as (select team_id from d where team_id is not null group by 1 order by count(*) desc limit 8)
		select case when t.team_id is not null then c.name when d.team_id is not null then 'Others' end, count(*), sum(d.crew_hours), avg(d.yard_cost), percentile_cont(0.5) within group (order by d.crew_hours)
		from d left join top t on t.team_id = d.team_id left join team c on c.id = t.team_id group by rollup (1)`}},
	{"jobs", "the first 50 records and their number", 1.1, []string{
		`select count(*) from yard_job where status <> 'withdrawn' and status in ('open', 'waiting for parts', 'in hand') and opened_at >= ` + since + ` at time zone ` + zone,
		`select j.id, j.title, v.name, y.name, j.status, j.promised_on, j.yard_cost from yard_job j join vessel v on v.id = j.vessel_id join yard y on y.id = j.yard_id
		where j.status <> 'withdrawn' and j.status in ('open', 'waiting for parts', 'in hand') and j.opened_at >= ` + since + ` at time zone ` + zone + ` order by j.id limit 50`}},
}

func main() {
	scale := flag.Float64("scale", 25, "how many records: 25 is a million jobs")
	rounds := flag.Int("rounds", 15, "how often each is asked")
	only := flag.String("only", "", "one question, by its widget or kind; \"own\" for Eskadel's own share, \"eight\" for eight charts at once")
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
	if err := run(ctx, *scale, *rounds, *only); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, scale float64, rounds int, only string) error {
	root, err := os.Getwd()
	if err != nil {
		return err
	}
	d, err := demo.Start(ctx, demo.Config{Dir: localpg.Folder(root, fmt.Sprintf("bench-%g", scale)), Scale: scale, Again: true, Say: func(f string, a ...any) { fmt.Printf(f+"\n", a...) }})
	if err != nil {
		return err
	}
	defer d.Stop()
	bearer, err := viewer(d)
	if err != nil {
		return err
	}
	conn, err := pgx.Connect(ctx, d.Cluster.URL(demo.Reader, "yarddesk"))
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	var jobs int64
	if err := conn.QueryRow(ctx, "select count(*) from yard_job").Scan(&jobs); err != nil {
		return err
	}
	fmt.Printf("\n%d jobs, %d rounds, medians in milliseconds\n\n| question | by hand | Eskadel | ratio | at most | cached |\n|---|---|---|---|---|---|\n", jobs, rounds)
	if only == "own" {
		_, err := ownShare(ctx, d, rounds) // prints whether it holds
		return err
	}
	if only == "eight" {
		_, err := wholeDashboard(ctx, d, bearer, conn, rounds)
		return err
	}
	held := true
	for _, q := range questions {
		if only != "" && q.widget != only {
			continue
		}
		var hand, ours, cached []time.Duration
		for i := range rounds + 1 {
			h, err := clock(func() error { return byHand(ctx, conn, q.sql) })
			if err != nil {
				return fmt.Errorf("%s by hand: %w", q.widget, err)
			}
			// As after a change: nothing of it is kept any more.
			forget(d)
			ask := func() error { return ask(ctx, d, bearer, q.widget) }
			o, err := clock(ask)
			if err != nil {
				return err
			}
			c, err := clock(ask)
			if err != nil {
				return err
			}
			if i > 0 { // the first warms up
				hand, ours, cached = append(hand, h), append(ours, o), append(cached, c)
			}
		}
		ratio := float64(median(ours)) / float64(median(hand))
		mark := ""
		if ratio > q.most || median(cached) > 5*time.Millisecond {
			held, mark = false, " (missed)"
		}
		fmt.Printf("| %s: %s | %.1f | %.1f | %.2f%s | %.2f | %.1f |\n", q.widget, q.what, ms(median(hand)), ms(median(ours)), ratio, mark, q.most, ms(median(cached)))
	}
	if only == "" && scale <= 25 { // at more, eight at once take longer than the source's limit
		whole, err := wholeDashboard(ctx, d, bearer, conn, rounds)
		if err != nil {
			return err
		}
		own, err := ownShare(ctx, d, rounds)
		if err != nil {
			return err
		}
		held = held && whole && own
	}
	each, err := compareKinds(ctx, d, conn, rounds, only)
	if err != nil {
		return err
	}
	if !held || !each {
		fmt.Println("\nNot every limit was held.")
	}
	return nil
}

func viewer(d *demo.Demo) (string, error) {
	token := jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.MapClaims{"iss": "yard-desk", "aud": "eskadel", "sub": "1", "name": "Bench", "exp": time.Now().Add(10 * time.Minute).Unix(),
		"roles": []string{"director"}, "scope": map[string]any{"dashboards": []string{"yard-today"}}})
	token.Header["kid"] = d.Key.KeyID
	pass, err := token.SignedString([]byte(d.Key.Secret))
	if err != nil {
		return "", err
	}
	b, _ := json.Marshal(map[string]string{"pass": pass, "origin": d.YardDesk})
	response, err := http.Post(d.Eskadel+"/embed/yard-desk/yard-today/session", "application/json", bytes.NewReader(b))
	if err != nil {
		return "", err
	}
	defer response.Body.Close()
	var out struct{ Bearer string }
	err = json.NewDecoder(response.Body).Decode(&out)
	return out.Bearer, err
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
