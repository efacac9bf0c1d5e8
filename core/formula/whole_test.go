package formula

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"eskadel/core/field"
	"eskadel/core/problem"
	"eskadel/core/statement"
	"eskadel/golden"
)

// testdata/formulas.txt has formulas, and below each what is known of it: how it is printed,
// its type and what it is computed over, how many digits it may have before and after the
// point, its SQL with what is bound, and its value of a record; or where it is refused and
// why. It is read when it changes.
func TestFormulasWhole(t *testing.T) {
	now := time.Date(2026, 3, 31, 14, 5, 0, 0, time.UTC)
	record := map[string]field.Value{"nights": field.OfInt(7), "kind": field.OfText("Care of hull"), "opened": field.OfTime(now.Add(-50 * time.Hour)), "promised": field.OfDate(now), "late": field.OfBool(true), "rate": field.OfInt(2)}
	for name, s := range map[string]string{"yard_cost": "1240.50", "parts": "-3.25", "crew hours": "7.5"} {
		v, err := field.Parse(field.Number, s)
		require.NoError(t, err)
		record[name] = v
	}
	var got strings.Builder
	say := func(format string, args ...any) { fmt.Fprintf(&got, format+"\n", args...) }
	for _, in := range golden.Cases(t, "testdata/formulas.txt") {
		say("%s", in)
		e, err := Parse(in, fields)
		if p := problem.Of(err); p != nil {
			say("  at %s: %s", p.Place, p.Words)
			continue
		}
		require.NoError(t, err, in)
		say("  %s", e)
		say("  %s, %s, %d digits and %d decimals", e.Type, []string{"constant", "of a record", "over a group"}[e.Width], e.Digits, e.Scale)
		bind := &statement.Binder{}
		target := Target{Bind: bind, Now: now, Wall: func(s string) string { return "wall(" + s + ")" }, Column: func(name string) (Column, error) {
			return Column{SQL: PrintName(name), Zoned: name == "opened", Safe: name == "crew hours"}, nil
		}}
		if e.Width == OverGroup {
			target.Aggregate = func(a Aggregate) string { return a.Func + "!" }
		}
		sql, err := e.SQL(target)
		require.NoError(t, err, in)
		say("  %s", sql)
		if args := bind.Args(); len(args) > 0 {
			say("  with %v", args)
		}
		values := Values{Now: now, Name: func(name string) field.Value { return record[name] }, Aggregate: func(a Aggregate) field.Value {
			if a.Of == nil {
				return field.OfInt(4)
			}
			return a.Of.Eval(Values{Now: now, Name: func(name string) field.Value { return record[name] }})
		}}
		say("  = %s", e.Eval(values))
	}
	golden.Compare(t, "testdata/formulas.txt", got.String())
}
