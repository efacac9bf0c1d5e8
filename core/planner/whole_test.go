package planner_test

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/golden"
)

// outline says how a plan is asked: each choice that it has made.
func outline(p *planner.Plan, indent string, say func(string, ...any)) {
	day := func(t time.Time) string { return t.Format("2006-01-02T15") }
	say("%sby the database %t, mergeable %t, siftable %t, tallied %t, several at %d", indent, p.Rolled, p.Mergeable(), p.Siftable(), p.Tallied(), p.Several())
	for i, d := range p.Dims {
		line := fmt.Sprintf("%s%s: early %t, cut %d, only %v", indent, d.Field, d.Early, d.Cut(), d.Only)
		if a := d.Axis; a != nil {
			line += fmt.Sprintf("; %s steps, %d borders %s to %s, %d placed to %s, %d begun, shows %s to %s, given %t %t, asked %s", a.Grain, len(a.Borders), day(a.Borders[0]), day(a.Borders[len(a.Borders)-1]), len(a.Placed), day(a.Placed[len(a.Placed)-1]), a.Begun, day(a.Range.From), day(a.Range.To), a.From, a.To, a.Asked)
		}
		if r, ok := p.Together(d); ok {
			line += fmt.Sprintf("; years together from %s to %s", day(r.From), day(r.To))
		}
		if len(p.Kept) > i {
			line += fmt.Sprintf("; kept %v", p.Kept[i])
		}
		say("%s", line)
	}
	for _, a := range p.Atoms {
		where, _ := json.Marshal(a.Where)
		say("%satom %s of %s %s, where %s, outer %s, tallied %t, careful %t: %v", indent, a.Aggregate, a.Field, a.P, where, a.Outer, a.Tallied, a.Careful, a.Components())
	}
	where, _ := json.Marshal([]any{p.Where, p.Span, p.Shared})
	say("%s%d columns, unread %v, where %s, margins %v", indent, len(p.Columns), p.Unread, where, p.Margins())
	if p.Level != nil {
		say("%smeasured per %s %s", indent, p.Level.Field, p.Level.Grain)
	}
	if r, ok := p.PlacedRange(); ok {
		say("%splaced from %s to %s", indent, day(r.From), day(r.To))
	}
}

// Plans, whole, of few records and as if there were many, with what they ask besides: the time
// before, what holds several values, spans of sifted values. testdata/plans.txt is read when
// it changes.
func TestPlansWhole(t *testing.T) {
	var got strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&got, format+"\n", args...) }
	tables := sample.Tables()
	tables.Table("public.yard").Rows = 50
	for _, doc := range []string{
		`"measures":[{"count":"records"}]`,
		`"measures":[{"sum":"cost"},{"average":"rough"}],"by":[{"field":"kind","largest":2,"others":true}]`,
		`"measures":[{"count":"records","where":{"field":"kind","is":"care"}},{"average":"cost","where":{"field":"kind","is":"care"}}]`,
		`"measures":[{"count":"records"}],"by":[{"field":"region"}],"split":{"field":"yard"}`,
		`"measures":[{"median":"cost"}],"by":[{"field":"kind"}]`, `"measures":[{"median":"cost"},{"percentile":"cost","p":0.9}],"by":[{"field":"boat","largest":3}]`, `"measures":[{"distinct":"boat"}],"by":[{"field":"yard"}]`,
		`"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}]`, `"measures":[{"sum":"cost"}],"by":[{"field":"opened"}],"where":{"field":"opened","within":"this year"}`, `"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"hour"}],"where":{"field":"opened","within":{"last":3,"unit":"year"}}`,
		`"measures":[{"count":"records"}],"by":[{"field":"promised","grain":"quarter"}],"where":{"all":[{"field":"promised","within":"this year"},{"field":"kind","is":"care"}]}`,
		`"measures":[{"count":"records"}],"by":[{"field":"opened","part":"weekday"}],"where":{"field":"opened","within":"this year"}`, `"measures":[{"count":"records"}],"by":[{"field":"opened","part":"month of year"}],"split":{"field":"opened","grain":"year"}`,
		`"measures":[{"sum":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"compare":"year before"`, `"measures":[{"median":"cost"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":"this year"},"compare":"period before"`,
		`"measures":[{"sum":"cost"}],"by":[{"field":"kind"}],"where":{"field":"opened","within":"this month"},"compare":{"with":"period before","on":"opened"}`, `"measures":[{"sum":"cost"}],"where":{"field":"opened","within":{"last":3,"unit":"month"}},"compare":{"range":{"since":"2025-01-01"},"on":"opened"}`, `"measures":[{"sum":"cost"}],"compare":{"with":"year before","on":"opened"}`,
		`"measures":[{"average":{"sum":"cost"},"per":{"field":"opened","grain":"week"}}],"by":[{"field":"kind"}]`, `"measures":[{"formula":"sum(cost) / nullif(count(*), 0)"}],"by":[{"field":"kind"},{"field":"yard","largest":1,"within":true}]`,
		`"measures":[{"count":"records"}],"by":[{"field":"kind","least":10}],"split":{"field":"late"}`,
	} {
		for _, rows := range []int64{1000, 1_000_000} {
			ds, err := dataset.Resolve(sample.Document(), tables, nil)
			require.NoError(t, err)
			ds.Table.Rows = rows
			for name, n := range map[string]float64{"kind": 5, "cost": 50_000, "yard": 50, "boat": 1300, "late": 2} {
				ds.Find(name).Distinct = n
			}
			say("%s of %d records", doc, rows)
			p, err := planner.Build(defined(t, doc), ds, setting, &planner.Extent{Low: time.Date(2026, 1, 10, 9, 0, 0, 0, time.UTC), High: time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC), Any: true})
			if err != nil {
				say("  refused: %s", err)
				continue
			}
			outline(p, "  ", say)
			for _, words := range p.Explain() {
				say("  “%s”", words)
			}
			grain, offered := p.Offered()
			date, r, others := p.InForce()
			rest, _ := json.Marshal(others)
			say("  offered %s of %v; in force %s from %s to %s and %s", grain, offered, date, r.From.Format(time.DateOnly), r.To.Format(time.DateOnly), rest)
			for _, c := range p.Columns {
				say("    column %d of atom %d", c.Component, c.Atom)
			}
			if p.Definition.Compare != nil {
				e, err := p.Earlier()
				require.NoError(t, err)
				if e == nil {
					say("  not compared")
					continue
				}
				say("  compared by %s at %d with %s to %s, cut %s, now %s to %s, %d steps", e.Field, e.Axis, e.Pairing.Total.From.Format(time.RFC3339), e.Pairing.Total.To.Format(time.RFC3339), e.Pairing.Cut.Format(time.RFC3339), e.Now.From.Format(time.DateOnly), e.Now.To.Format(time.DateOnly), len(e.Pairing.Steps))
				for i, of := range []*planner.Plan{e.Steps, e.Total, p.Both(e)} {
					if of != nil {
						say("  %s", []string{"its steps", "its total", "both at once"}[i])
						outline(of, "    ", say)
					}
				}
			}
			if p.Siftable() {
				b := p.Borders()
				say("  borders of atom %d from %.1f %%, %d spans", b.Atom, b.Sample, b.Spans)
				var borders []field.Value
				for i := range 20 {
					borders = append(borders, field.OfInt(int64(i)))
				}
				outline(p.Sift(borders), "    ", say)
			}
			outline(p.WithoutAxis(), "  without its axis: ", say)
			p.Force(true)
			say("  forced: by the database %t", p.Rolled)
			p.Force(false)
			say("  or not: by the database %t, plainly %t", p.Rolled, p.Plainly())
		}
	}
	golden.Compare(t, "testdata/plans.txt", got.String())
}
