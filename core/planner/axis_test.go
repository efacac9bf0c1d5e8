package planner_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/sql"
	"eskadel/core/steps"
)

func on(text string) time.Time {
	at, err := time.Parse("2006-01-02 15:04", text)
	if err != nil {
		panic(err)
	}
	return at
}

// lying answers each question for an extent by what is given for its field: the smallest, the
// largest and the quartiles, and what lies within the fences where that is asked for.
type lying map[string][]string

func (l lying) answer(t *testing.T, asked *[]string) func(steps.Question) (steps.Rows, error) {
	return func(q steps.Question) (steps.Rows, error) {
		e, is := q.(*sql.Extent)
		require.True(t, is)
		name := e.Dim.Field
		if !e.Fences.To.IsZero() {
			name += " within"
			*asked = append(*asked, fmt.Sprintf("%s %s to %s", name, e.Fences.From.Format("2006-01-02"), e.Fences.To.Format("2006-01-02")))
		} else {
			*asked = append(*asked, name)
		}
		if l[name] == nil {
			return steps.Rows{make([]field.Value, 4)}, nil
		}
		var row []field.Value
		for _, text := range l[name] {
			if text == "fails" {
				return nil, errors.New("the database is gone")
			}
			row = append(row, field.OfTime(on(text)))
		}
		return steps.Rows{row}, nil
	}
}

// only is a catalogue of one dataset.
type only struct{ set *dataset.Dataset }

func (o only) Dataset(string) (*dataset.Dataset, error) { return o.set, nil }

// shared plans a chart of jobs with others beside; asked is what was asked for.
func shared(t *testing.T, doc string, lies lying) (p *planner.Shared, asked []string, err error) {
	d := defined(t, `"measures":[{"count":"records"}],`+doc)
	p, err = steps.Answered(func(ask *steps.Asker) (*planner.Shared, error) {
		return planner.BuildShared(d, sample.Jobs(), setting, only{sample.Jobs()}, ask)
	}, lies.answer(t, &asked))
	return p, asked, err
}

// spans are the steps of axes: where they begin and end, and how many there are.
func spans(plans ...*planner.Plan) (out []string) {
	for _, p := range plans {
		b := p.Dims[0].Axis.Borders
		if len(b) == 0 {
			out = append(out, "none")
			continue
		}
		out = append(out, fmt.Sprintf("%s to %s: %d by %s", b[0].Format("2006-01-02"), b[len(b)-1].Format("2006-01-02"), len(b)-1, p.Dims[0].Axis.Grain))
	}
	return out
}

// Where records lie says what an axis spans, but for outliers, and but for what has not happened.
func TestWhatAnAxisSpans(t *testing.T) {
	const by, promised = `"by":[{"field":"opened","grain":"month"}]`, `"by":[{"field":"promised","grain":"month"}]`
	calm := []string{"2026-02-10 08:00", "2026-06-20 09:00", "2026-03-01 00:00", "2026-05-01 00:00"}
	for _, c := range []struct {
		name, doc   string
		lies        lying
		asked, want string
	}{
		{"what there is", by, lying{"opened": calm}, "opened", "2026-02-01 to 2026-07-01: 5 by month"},
		{"nothing", by, lying{}, "opened", "none"},
		{"a range that is set", by + `,"where":{"field":"opened","within":{"from":"2026-01-05","to":"2026-03-04"}}`, lying{}, "", "2026-01-01 to 2026-04-01: 3 by month"},
		{"a range that is open at its end", by + `,"where":{"field":"opened","within":{"since":"2026-04-05"}}`, lying{"opened": calm}, "opened", "2026-04-01 to 2026-07-01: 3 by month"},
		{"one after all records", by + `,"where":{"field":"opened","within":{"since":"2026-08-05"}}`, lying{"opened": calm}, "opened", "none"},
		{"what happened ends now", by, lying{"opened": {"2026-09-10 08:00", "2027-06-20 09:00", "2026-09-01 00:00", "2026-12-01 00:00"}}, "opened", "2026-09-01 to 2026-12-01: 3 by month"},
		{"what is planned does not", promised, lying{"promised": {"2026-09-10 00:00", "2027-06-20 00:00", "2026-09-01 00:00", "2026-12-01 00:00"}}, "promised", "2026-09-01 to 2027-07-01: 10 by month"},
		{"an outlier", by, lying{"opened": {"1926-02-10 08:00", "2026-06-20 09:00", "2026-03-01 00:00", "2026-05-01 00:00"}, "opened within": {"2026-02-11 00:00", "2026-06-20 09:00"}}, "opened/opened within 2025-08-30 to 2026-10-31", "2026-02-01 to 2026-07-01: 5 by month"},
		{"one that is gone meanwhile", by, lying{"opened": {"2025-02-10 08:00", "2026-06-20 09:00", "2026-03-01 00:00", "2026-05-01 00:00"}}, "opened/opened within 2025-08-30 to 2026-10-31", "2025-02-01 to 2026-07-01: 17 by month"},
		{"all on one day", by, lying{"opened": {"2025-02-10 08:00", "2026-06-20 09:00", "2026-03-01 00:00", "2026-03-01 00:00"}}, "opened", "2025-02-01 to 2026-07-01: 17 by month"},
		{"no grain", `"by":[{"field":"opened"}]`, lying{"opened": calm}, "opened", "2026-02-09 to 2026-06-22: 19 by week"},
		{"no grain and nothing", `"by":[{"field":"opened"}]`, lying{}, "opened", "none"},
		{"too fine a grain", `"by":[{"field":"opened","grain":"minute"}]`, lying{"opened": calm}, "opened", "2026-02-10 to 2026-06-20: 3122 by hour"},
	} {
		d := defined(t, `"measures":[{"count":"records"}],`+c.doc)
		var asked []string
		p, err := steps.Answered(func(ask *steps.Asker) (*planner.Plan, error) {
			return planner.BuildAsking(d, sample.Jobs(), setting, ask)
		}, c.lies.answer(t, &asked))
		require.NoError(t, err, c.name)
		assert.Equal(t, c.asked, strings.Join(asked, "/"), c.name)
		assert.Equal(t, []string{c.want}, spans(p), c.name)
	}
}

// What stands beside shares the chart's axis, which spans the records of both.
func TestWhatStandsBesideSharesTheAxis(t *testing.T) {
	early, late := []string{"2026-02-10 08:00", "2026-03-20 09:00", "2026-02-11 00:00", "2026-03-01 00:00"}, []string{"2026-05-10 00:00", "2026-06-20 00:00", "2026-05-11 00:00", "2026-06-01 00:00"}
	const by, also = `"by":[{"field":"opened","grain":"month"}]`, `,"also":[{"dataset":"jobs","measures":[{"count":"records"}],"by":"promised"`
	for _, c := range []struct {
		name, doc   string
		lies        lying
		asked       string
		want, other string
		steps       string
	}{
		{"the other is later", by + also + `}]`, lying{"opened": early, "promised": late}, "opened promised", "2026-02-01 to 2026-07-01: 5 by month", "2026-02-01 to 2026-07-01: 5 by month", "[0 1 2 3 4]"},
		{"the other is earlier", by + also + `}]`, lying{"opened": late, "promised": early}, "opened promised", "2026-02-01 to 2026-07-01: 5 by month", "2026-02-01 to 2026-07-01: 5 by month", "[0 1 2 3 4]"},
		{"the chart has none", by + also + `}]`, lying{"promised": late}, "opened promised", "2026-05-01 to 2026-07-01: 2 by month", "2026-05-01 to 2026-07-01: 2 by month", "[0 1]"},
		{"the other has none", by + also + `}]`, lying{"opened": early}, "opened promised", "2026-02-01 to 2026-04-01: 2 by month", "2026-02-01 to 2026-04-01: 2 by month", "[0 1]"},
		{"neither has any", by + also + `}]`, lying{}, "opened promised", "none", "none", "[]"},
		{"a range for the chart", by + `,"where":{"field":"opened","within":{"from":"2026-01-01","to":"2026-03-31"}}` + also + `}]`, lying{}, "", "2026-01-01 to 2026-04-01: 3 by month", "2026-01-01 to 2026-04-01: 3 by month", "[0 1 2]"},
		{"a range for the other", by + also + `,"where":{"field":"promised","within":{"from":"2026-03-01","to":"2026-04-30"}}}]`, lying{"opened": late}, "opened", "2026-05-01 to 2026-07-01: 2 by month", "2026-03-01 to 2026-05-01: 2 by month", "[-1 -1]"},
		{"no grain", `"by":[{"field":"opened"}]` + also + `}]`, lying{"opened": early, "promised": late}, "opened promised", "2026-02-09 to 2026-06-22: 19 by week", "2026-02-09 to 2026-06-22: 19 by week", "[0 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18]"},
	} {
		p, asked, err := shared(t, c.doc, c.lies)
		require.NoError(t, err, c.name)
		assert.Equal(t, c.asked, strings.Join(asked, " "), c.name)
		assert.Equal(t, []string{c.want, c.other}, spans(p.Plan, p.Others[0]), c.name)
		assert.Equal(t, c.steps, fmt.Sprint(p.Steps(0)), c.name)
	}
	_, _, err := shared(t, by+also+`}]`, lying{"opened": early, "promised": {"fails"}})
	assert.EqualError(t, err, "the database is gone")
}

// Key figures that all have one condition read only the records that meet it.
func TestAConditionThatMeasuresShare(t *testing.T) {
	const care, late = `,"where":{"field":"kind","is":"care"}`, `,"where":{"field":"late","is":true}`
	for doc, want := range map[string]bool{
		`"measures":[{"count":"records"` + care + `},{"average":"cost"` + care + `}]`:          true,
		`"measures":[{"count":"records"` + care + `},{"average":"cost"` + late + `}]`:          false,
		`"measures":[{"count":"records"` + care + `},{"average":"cost"}]`:                      false,
		`"measures":[{"count":"records"` + care + `},{"sum":"cost"` + care + `}]`:              false,
		`"measures":[{"count":"records"` + care + `}],"by":[{"field":"boat"}]`:                 false,
		`"measures":[{"count":"records"` + care + `}],"split":{"field":"boat"}`:                false,
		`"measures":[{"formula":"sum(cost) / 2"` + care + `},{"count":"records"` + care + `}]`: false,
	} {
		p := built(t, doc, sample.Jobs())
		assert.Equal(t, want, p.Shared != nil, doc)
		st, err := p.Compile(nil)
		require.NoError(t, err)
		assert.Equal(t, want, !strings.Contains(st.SQL, "filter (where"), "%s: %s", doc, st.SQL)
	}
}

// The steps of an axis end where what happened does: today, or now.
func TestStepsEndWithToday(t *testing.T) {
	for by, want := range map[string]string{
		`{"field":"opened","grain":"month"}`:   "11: 2026-11-23 12:30:00.000001",
		`{"field":"promised","grain":"month"}`: "12: 2027-01-01 00:00:00",
	} {
		name := by[10:strings.Index(by, `",`)]
		axis := built(t, `"measures":[{"count":"records"}],"by":[`+by+`],"where":{"field":"`+name+`","within":"this year"}`, sample.Jobs()).Dims[0].Axis
		assert.Len(t, axis.Borders, 13)
		assert.Equal(t, want, fmt.Sprintf("%d: %s", axis.Begun, axis.Placed[len(axis.Placed)-1].Format("2006-01-02 15:04:05.999999")))
	}
	axis := built(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"year"}],"where":{"field":"opened","within":{"from":"2025-06-01","to":"2026-02-01"}}`, sample.Jobs()).Dims[0].Axis
	assert.Equal(t, period.Year, axis.Grain)
	assert.Zero(t, axis.Asked)
}

// What stands beside a chart without an axis is asked for by the same groups; without groups,
// for all.
func TestWhatStandsBesideWithoutAnAxis(t *testing.T) {
	for by, groups := range map[string]int{`"by":[{"field":"kind"}],`: 1, ``: 0} {
		p, asked, err := shared(t, by+`"also":[{"dataset":"jobs","measures":[{"sum":"cost"}]}]`, lying{})
		require.NoError(t, err)
		assert.Empty(t, asked)
		assert.Len(t, p.Others[0].Dims, groups)
	}
}

// Years over which weeks are laid begin with their first week; others, in January.
func TestYearsOfWeeks(t *testing.T) {
	for part, want := range map[string]string{"week of year": "2024-12-30 2025-12-29 2027-01-04", "month of year": "2025-01-01 2026-01-01 2027-01-01"} {
		p := built(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","part":"`+part+`"}],"split":{"field":"opened","grain":"year"},"where":{"field":"opened","within":{"from":"2025-03-01","to":"2026-10-31"}}`, sample.Jobs())
		var got []string
		for _, b := range p.Dims[1].Axis.Borders {
			got = append(got, b.Format("2006-01-02"))
		}
		assert.Equal(t, want, strings.Join(got, " "), part)
	}
}

// Accounting periods are offered where the workspace has them and two or more lie there.
func TestAccountingPeriodsAreOffered(t *testing.T) {
	day := func(text string) time.Time { return on(text + " 00:00") }
	own := setting
	own.Calendar = own.Calendar.WithOwn([]period.Own{{Start: day("2026-01-01"), Name: "P1"}, {Start: day("2026-02-02"), Name: "P2"}, {Start: day("2026-03-02"), Name: "P3"}, {Start: day("2026-04-06")}})
	for within, want := range map[string]string{`{"from":"2026-01-05","to":"2026-03-31"}`: "[day week month accounting period]", `{"from":"2026-01-05","to":"2026-01-31"}`: "[day week month]"} {
		d := defined(t, `"measures":[{"count":"records"}],"by":[{"field":"opened","grain":"month"}],"where":{"field":"opened","within":`+within+`}`)
		p, err := planner.Build(d, sample.Jobs(), own, nil)
		require.NoError(t, err)
		_, offered := p.Offered()
		assert.Equal(t, want, fmt.Sprint(offered), within)
	}
}

func TestWhatHasNoPlaceIsCountedLast(t *testing.T) {
	p := built(t, `"measures":[{"average":{"sum":"cost"},"per":{"field":"opened","grain":"week"}}]`, sample.Jobs())
	last := p.Unread[len(p.Unread)-1]
	assert.True(t, last.Undated)
	assert.Equal(t, len(p.Columns)-1, last.Column)
	assert.Equal(t, "opened", last.Field)
}
