package main

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"sync"
	"time"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/filter"
	"eskadel/core/planner"
	"eskadel/core/rule"
	"eskadel/core/steps"
	"eskadel/demo"
	"eskadel/source"
)

// A kind is a kind of calculation as a definition, its hand-written twin that gives the
// same answer, totals among it, and the ratio it must not exceed.
type kind struct {
	name, definition string
	most             float64
	sql              []string
}

const (
	jobs = `status <> 'withdrawn' and opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now()`
	year = `"where":{"field":"opened","within":{"last":12,"unit":"month"}}`
	week = `date_trunc('week', opened_at at time zone ` + zone + `)`
	mon  = `date_trunc('month', opened_at at time zone ` + zone + `)`
)

var kinds = []kind{
	{"median of few values", `{"version":2,"dataset":"yard-jobs","measures":[{"median":"days_late"}],"by":[{"field":"part_group"}]}`, 0.35,
		[]string{`select part_group, percentile_cont(0.5) within group (order by days_late) from yard_job where status <> 'withdrawn' group by rollup (1)`}},
	{"90th percentile of many values", `{"version":2,"dataset":"yard-jobs","measures":[{"percentile":"yard_cost","p":0.9}],"by":[{"field":"part_group"}],` + year + `}`, 1.05,
		[]string{`select part_group, percentile_cont(0.9) within group (order by yard_cost) from yard_job where ` + jobs + ` group by rollup (1)`}},
	{"different boats", `{"version":2,"dataset":"yard-jobs","measures":[{"distinct":"boat"}],"by":[{"field":"part_group"}],` + year + `}`, 1.05,
		[]string{`select part_group, count(distinct vessel_id) from yard_job where ` + jobs + ` group by rollup (1)`}},
	{"spread", `{"version":2,"dataset":"yard-jobs","measures":[{"spread":"yard_cost"}],"by":[{"field":"kind"}],` + year + `}`, 1.05,
		[]string{`select kind, stddev_samp(yard_cost) from yard_job where ` + jobs + ` group by rollup (1)`}},
	{"largest 10 and the others", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"part","largest":10,"others":true}],` + year + `}`, 0.6,
		[]string{`with top as (select part from yard_job where ` + jobs + ` group by 1 order by sum(yard_cost) desc limit 10)
			select case when t.part is not null then j.part else 'Others' end, sum(yard_cost) from yard_job j left join top t using (part) where ` + jobs + ` group by rollup (1)`}},
	{"largest 2 within each", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"part_group"},{"field":"part","largest":2,"others":true,"within":true}],` + year + `}`, 1.05,
		[]string{`with s as (select part_group, part, sum(yard_cost) as cost, row_number() over (partition by part_group order by sum(yard_cost) desc) as n from yard_job where ` + jobs + ` group by 1, 2)
			select part_group, case when n <= 2 then part else 'Others' end, sum(cost) from s group by rollup (1, 2)`}},
	{"compared with the year before", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"opened","grain":"month"}],` + year + `,"compare":"year before"}`, 1.05,
		[]string{`select ` + mon + `, sum(yard_cost) from yard_job where ` + jobs + ` group by rollup (1)`,
			`select ` + mon + `, sum(yard_cost) from yard_job where status <> 'withdrawn' and opened_at >= (` + since + ` - interval '1 year') at time zone ` + zone + ` and opened_at <= now() - interval '1 year' group by rollup (1)`}},
	{"running total", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost","then":{"running_total":{"restart":"year"}}}],"by":[{"field":"opened","grain":"week"}],` + year + `}`, 1.05,
		[]string{`select week, sum(cost) over (partition by date_trunc('year', week) order by week) from (select ` + week + ` as week, sum(yard_cost) as cost from yard_job where ` + jobs + ` group by 1) w`}},
	{"moving average", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost","then":{"moving_average":{"steps":4}}}],"by":[{"field":"opened","grain":"week"}],` + year + `}`, 1.05,
		[]string{`select week, avg(cost) over (order by week rows 3 preceding) from (select ` + week + ` as week, sum(yard_cost) as cost from yard_job where ` + jobs + ` group by 1) w`}},
	{"years laid over each other", `{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"by":[{"field":"opened","part":"month of year"}],"split":{"field":"opened","grain":"year"},"where":{"field":"opened","within":{"last":3,"unit":"year"}}}`, 1.05,
		[]string{`select extract(month from opened_at at time zone ` + zone + `), date_trunc('year', opened_at at time zone ` + zone + `), count(*) from yard_job where status <> 'withdrawn' and opened_at >= (date_trunc('year', now() at time zone ` + zone + `) - interval '2 years') at time zone ` + zone + ` and opened_at <= now() group by cube (1, 2)`}},
	{"shares of the group", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost","then":{"share":"group"}}],"by":[{"field":"part_group"}],"split":{"field":"kind"},` + year + `}`, 1.05,
		[]string{`select part_group, kind, sum(yard_cost) / sum(sum(yard_cost)) over (partition by part_group) from yard_job where ` + jobs + ` group by 1, 2`}},
	{"weekday by hour", `{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"by":[{"field":"opened","part":"weekday"}],"split":{"field":"opened","part":"hour of day"},` + year + `}`, 1.05,
		[]string{`select extract(isodow from opened_at at time zone ` + zone + `), extract(hour from opened_at at time zone ` + zone + `), count(*) from yard_job where ` + jobs + ` group by 1, 2`}},
	{"where a far link is", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"part_group"}],"where":{"field":"home_port","is":"Pell"}}`, 1.05,
		[]string{`select j.part_group, sum(j.yard_cost) from yard_job j join vessel v on v.id = j.vessel_id join customer c on c.id = v.customer_id where j.status <> 'withdrawn' and c.home_port = 'Pell' group by rollup (1)`}},
	{"region, behind a link, by kind", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"region"}],"split":{"field":"kind"}}`, 1.05,
		[]string{`select y.region, j.kind, sum(j.yard_cost) from yard_job j join yard y on y.id = j.yard_id where j.status <> 'withdrawn' group by cube (1, 2)`}},
	{"two datasets on one axis", `{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month"}],` + year + `,"also":[{"dataset":"enquiries","measures":[{"sum":"quoted_value"}],"by":"opened"}]}`, 1.05,
		[]string{`select ` + mon + `, count(*) from yard_job where ` + jobs + ` group by 1`, `select ` + mon + `, sum(quoted_value) from enquiry where opened_at >= ` + since + ` at time zone ` + zone + ` and opened_at <= now() group by 1`}},
	{"pivot with every total", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"part_group"},{"field":"part"}],"split":{"field":"kind"},"across":[{"field":"status"}],` + year + `}`, 1.05,
		[]string{`select part_group, part, kind, status, sum(yard_cost) from yard_job where ` + jobs + ` group by rollup (part_group, part), rollup (kind, status)`}},
	{"month by a service line, its date behind a link", `{"version":2,"dataset":"invoice-lines","measures":[{"sum":"net"}],"by":[{"field":"issued","grain":"month"}],"split":{"field":"service_line"},"where":{"field":"issued","within":{"last":12,"unit":"month"}}}`, 1.05,
		[]string{`select date_trunc('month', i.issued_on), l.service_line, sum(l.net) from invoice_line l join invoice i on i.id = l.invoice_id where i.issued_on >= ` + since + `::date and i.issued_on <= current_date group by 1, 2`}},
	{"stages reached", `{"version":2,"dataset":"enquiries","measures":[{"count":"records"}],"by":[{"field":"stage"}],"split":{"field":"furthest_stage"}}`, 1.05,
		[]string{`select stage, furthest_stage, count(*) from enquiry group by cube (1, 2)`}},
}

// compareKinds measures each kind of calculation, uncached, through the HTTP API.
func (b *bench) compareKinds(ctx context.Context) (held bool, err error) {
	c, err := demo.SignIn(ctx, b.d.Eskadel, demo.BuilderEmail, demo.Password)
	if err != nil {
		return false, err
	}
	fmt.Printf("\n| kind of calculation | by hand | Eskadel | ratio | at most |\n|---|---|---|---|---|\n")
	held = true
	for _, k := range kinds {
		if b.only != "" && k.name != b.only {
			continue
		}
		hand, ours, err := b.inTurn(ctx, k.sql, func() error {
			answer, status, err := c.Do(ctx, http.MethodPost, "/api/v1/run", []byte(`{"definition":`+k.definition+`}`))
			if err == nil && status != http.StatusOK {
				err = fmt.Errorf("%s", answer)
			}
			return err
		}, func() error { return nil })
		if err != nil {
			return false, fmt.Errorf("%s: %w", k.name, err)
		}
		ratio, mark := float64(ours)/float64(hand), ""
		if ratio > k.most {
			held, mark = false, " (missed)"
		}
		fmt.Printf("| %s | %.1f | %.1f | %.2f%s | %.2f |\n", k.name, ms(hand), ms(ours), ratio, mark, k.most)
	}
	return held, nil
}

// forget makes every answer be asked for anew, as after a change.
func forget(d *demo.Demo) {
	for _, table := range []string{"yard_job", "invoice_line", "invoice", "enquiry"} {
		d.Engine.Hub.Changed("yard-desk", source.Change{Table: "public." + table})
	}
}

// wholeDashboard compares eight charts asked for at once with their queries one after another.
func (b *bench) wholeDashboard(ctx context.Context) (bool, error) {
	var hand, ours []time.Duration
	eight := questions[:8]
	for i := range b.rounds + 1 {
		h, err := clock(func() error {
			for _, q := range eight {
				if err := byHand(ctx, b.conn, q.sql); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return false, err
		}
		forget(b.d)
		o, err := clock(func() error {
			errs := make([]error, len(eight))
			var all sync.WaitGroup
			for n, q := range eight {
				all.Go(func() { errs[n] = ask(ctx, b.d, b.bearer, q.widget) })
			}
			all.Wait()
			for _, err := range errs {
				if err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return false, err
		}
		if i > 0 {
			hand, ours = append(hand, h), append(ours, o)
		}
	}
	ratio := float64(median(ours)) / float64(median(hand))
	fmt.Printf("\nEight charts at once: %.1f ms, their queries one after another %.1f ms, ratio %.2f, at most 0.60.\n", ms(median(ours)), ms(median(hand)), ratio)
	return ratio <= 0.6, nil
}

// shares are what is measured of Eskadel's own time: all but the database's; most is what
// it must not exceed, where that is said.
var shares = []struct {
	name, document string
	most           time.Duration
}{
	{"chart of 2,000 marks", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"}],"by":[{"field":"opened","grain":"week"}],"split":{"field":"part","largest":9,"others":true},"where":{"field":"opened","within":{"last":199,"unit":"week"}},"form":{"columns":"stacked"}}`, 5 * time.Millisecond},
	{"pivot of 5,000 cells", `{"version":2,"dataset":"yard-jobs","measures":[{"sum":"yard_cost"},{"count":"records"}],"by":[{"field":"crew"},{"field":"part_group"}],"split":{"field":"opened","grain":"month"},"where":{"field":"opened","within":{"last":23,"unit":"month"}},"form":"pivot"}`, 0},
}

// warming is how often it is done before it is measured: a program that has just started still
// looks at its sources.
const warming = 200

// ownShare measures what Eskadel itself takes from the database's rows to the answer's JSON.
func ownShare(ctx context.Context, d *demo.Demo, rounds int) (bool, error) {
	held := true
	fmt.Printf("\n| Eskadel's own share | rows | marks or cells | ms |\n|---|---|---|---|\n")
	viewer := rule.Viewer{Roles: []string{"director"}, Builder: true}
	for _, s := range shares {
		doc, err := chart.Read([]byte(s.document))
		if err != nil {
			return false, err
		}
		ds, err := d.Engine.Dataset(ctx, doc.Dataset, viewer)
		if err != nil {
			return false, err
		}
		src, err := d.Engine.Source(ds.Source)
		if err != nil {
			return false, err
		}
		setting := d.Engine.Setting(ds, viewer, filter.Condition{}, time.Time{})
		run := func(p rule.Plan) (source.Rows, error) {
			sealed, err := rule.Seal(p, viewer)
			if err != nil {
				return nil, err
			}
			rows, err := src.Run(ctx, sealed)
			if err != nil {
				return nil, err
			}
			return rows[0], nil
		}
		plan := func() (*planner.Plan, error) {
			return steps.Answered(func(ask *steps.Asker) (*planner.Plan, error) {
				return planner.BuildAsking(doc.Computed(ds), ds, setting, ask)
			}, func(q steps.Question) (steps.Rows, error) { return run(q) })
		}
		p, err := plan()
		if err != nil {
			return false, err
		}
		rows, err := run(p)
		if err != nil {
			return false, err
		}
		var took []time.Duration
		marks := 0
		for i := range rounds + warming {
			t, err := clock(func() error {
				p, err := plan()
				if err != nil {
					return err
				}
				t := calc.Compute(p, rows)
				marks = len(t.Groups) * len(t.Splits) * len(doc.Measures)
				var out any
				if doc.Form == chart.Pivot {
					out = chart.MakePivot(t, doc, 1)
				} else if out, err = chart.Draw(t, doc, 1); err != nil {
					return err
				}
				_, err = json.Marshal(out) // as answers are written
				return err
			})
			if err != nil {
				return false, err
			}
			if i >= warming {
				took = append(took, t)
			}
		}
		mark := ""
		if s.most > 0 && median(took) > s.most {
			held, mark = false, " (missed)"
		}
		fmt.Printf("| %s | %d | %d | %.1f%s |\n", s.name, len(rows), marks, ms(median(took)), mark)
	}
	return held, nil
}
