package chart_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/field"
	"eskadel/core/period"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// placed is the dataset of jobs with a field that holds positions.
func placed(t *testing.T) *dataset.Dataset {
	d := sample.Document()
	d.Fields = append(d.Fields, dataset.FieldDocument{Name: "place", Label: "Place", Position: []string{"cost", "rough"}})
	ds, err := dataset.Resolve(d, sample.Tables(), nil)
	require.NoError(t, err)
	return ds
}

type of map[string]field.Value

// list makes the listing of a document from records, each with an id and values by field;
// of more records than are given when there are more.
func list(t *testing.T, doc string, more int, records ...of) (*chart.Listing, error) {
	d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],` + doc + `}`))
	require.NoError(t, err)
	ds := placed(t)
	require.NoError(t, d.Fits(d.Form, ds), doc)
	london, err := time.LoadLocation("Europe/London")
	require.NoError(t, err)
	cal := period.ISO(london)
	p := planner.NewList(ds, query.Setting{Now: now, Calendar: cal}, 500)
	var names []string
	for _, f := range chart.RolesOf(d, ds).Fields() {
		names = append(names, f.Name)
	}
	require.NoError(t, p.Choose(names, nil))
	var rows [][]field.Value
	for i, r := range records {
		row := []field.Value{num(int64(i + 1))}
		for _, f := range p.Fields {
			row = append(row, r[f.Name])
		}
		rows = append(rows, row)
	}
	// What is asked besides: the numbers of all records, and the last date up to this month's end.
	counts, latest := map[string]int64{"care": int64(more)}, time.Time{}
	for _, r := range records {
		kind := "(none)"
		if v := r["kind"]; !v.IsEmpty() {
			kind = v.Exact()
		}
		counts[kind]++
		if at := r["promised"].Time(); at.After(latest) && at.Before(on("2026-12-01").Time()) {
			latest = at
		}
	}
	return chart.List(d, ds, chart.Listed{Plan: p, Rows: rows, Count: int64(len(rows) + more), Now: now, Cal: cal, Counts: counts, Month: chart.Month(cal.Wall(now), latest)})
}

func at(s string) field.Value {
	v, err := field.Parse(field.Timestamp, s)
	if err != nil {
		panic(err)
	}
	return v
}

func on(s string) field.Value {
	v, err := field.Parse(field.Date, s)
	if err != nil {
		panic(err)
	}
	return v
}

// titles writes columns with the titles in them: "care: one, two".
func titles(l *chart.Listing) (out []string) {
	for _, c := range l.Columns {
		var cards []string
		for _, card := range c.Cards {
			cards = append(cards, card.Title)
		}
		out = append(out, fmt.Sprintf("%s %d: %s", c.Name, c.Count, strings.Join(cards, ", ")))
	}
	return out
}

func TestBoardsHaveAColumnForEachValueOfTheList(t *testing.T) {
	l, err := list(t, `"form":"board","show":["cost","late"],"finish":{"stage":"kind","heading":"boat"}`, 3,
		of{"boat": txt("Tern"), "kind": txt("rework"), "cost": money(1250), "late": field.OfBool(true)}, of{"boat": txt("Wren"), "kind": txt("care")},
		of{"boat": txt("Skua"), "kind": txt("refit")}, of{"boat": txt("Dove")}, of{"boat": txt("Kite"), "kind": txt("care")})
	require.NoError(t, err)
	assert.Equal(t, []string{"care 5: Wren, Kite", "mishap 0: ", "rework 1: Tern", "refit 1: Skua", "(none) 1: Dove"}, titles(l), "by the list, then what stands on none, then those without a value")
	card := l.Columns[2].Cards[0]
	assert.Equal(t, []string{"Cost £12.50", "Late Yes"}, card.Lines, "with their labels")
	assert.Equal(t, "/jobs/1", card.Address)
	assert.Empty(t, l.Columns[0].Cards[0].Lines)
	assert.Equal(t, 3, l.More)
}

func TestTheLatestAreListedByDay(t *testing.T) {
	l, err := list(t, `"form":"latest","finish":{"from":"opened","heading":"boat"}`, 0,
		of{"boat": txt("Tern"), "opened": at("2026-07-01T23:30:00Z")}, of{"boat": txt("Wren"), "opened": at("2026-07-01T22:30:00Z")}, of{"boat": txt("Dove"), "opened": at("2026-01-15T09:05:00Z")}, of{"boat": txt("Kite")})
	require.NoError(t, err)
	assert.Equal(t, []string{"2 Jul 2026 1: Tern", "1 Jul 2026 1: Wren", "15 Jan 2026 1: Dove"}, titles(l), "the day is that of the clock in London, an hour ahead in summer")
	assert.Equal(t, "00:30", l.Columns[0].Cards[0].When)
	l, err = list(t, `"form":"latest","finish":{"from":"opened","heading":"boat"}`, 2, of{"boat": txt("Wren"), "opened": at("2026-07-01T22:30:00Z")})
	require.NoError(t, err)
	assert.Equal(t, []string{"1 Jul 2026 0: Wren"}, titles(l), "the last day goes on, so that it is not counted")
	l, err = list(t, `"form":"latest","finish":{"from":"opened","heading":"boat"}`, 0, of{"boat": txt("Tern"), "opened": at("2026-07-01T23:30:00Z")}, of{"boat": txt("Wren"), "opened": at("2026-07-01T22:30:00Z")}, of{"boat": txt("Dove"), "opened": at("2026-01-15T09:05:00Z")})
	require.NoError(t, err)
	assert.Equal(t, "09:05", l.Columns[2].Cards[0].When)
	l, err = list(t, `"form":"latest","finish":{"from":"promised","heading":"boat"}`, 0, of{"boat": txt("Tern"), "promised": on("2026-07-02")})
	require.NoError(t, err)
	assert.Empty(t, l.Columns[0].Cards[0].When, "a date has no time of day")
}

func TestCalendarsShowTheMonthOfTheLatestRecord(t *testing.T) {
	for _, c := range []struct{ name, promised, month, first, last string }{
		{"this month", "2026-11-05", "November 2026", "26", "6"},
		{"an earlier one", "2026-02-28", "February 2026", "26", "1"},
		{"what lies ahead leaves it at today", "2027-03-01", "November 2026", "26", "6"},
	} {
		l, err := list(t, `"form":"calendar","finish":{"from":"promised","heading":"boat"}`, 0, of{"boat": txt("Tern"), "promised": on(c.promised)})
		require.NoError(t, err)
		last := l.Weeks[len(l.Weeks)-1]
		assert.Equal(t, []string{c.month, c.first, c.last}, []string{l.Month, l.Weeks[0][0].Label, last[6].Label}, c.name)
		assert.Equal(t, []string{"Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"}, l.Days)
	}
	l, err := list(t, `"form":"calendar","finish":{"from":"promised","heading":"boat"}`, 0, of{"boat": txt("Tern"), "promised": on("2026-11-23")}, of{"boat": txt("Wren"), "promised": on("2026-11-23")}, of{"boat": txt("Dove"), "promised": on("2026-12-01")})
	require.NoError(t, err)
	day := l.Weeks[4][0]
	assert.Equal(t, "23", day.Label)
	assert.True(t, day.Today)
	assert.Len(t, day.Cards, 2)
	assert.True(t, l.Weeks[5][1].Other, "1 December is of another month")
	assert.Empty(t, l.Weeks[5][1].Cards, "and shows nothing")
}

func TestTimelinesGoFromTheFirstToTheLast(t *testing.T) {
	l, err := list(t, `"form":"timeline","show":["cost"],"finish":{"from":"opened","to":"promised","heading":"boat","stage":"kind"}`, 0,
		of{"boat": txt("Tern"), "opened": at("2026-11-02T00:00:00Z"), "promised": on("2026-11-05"), "kind": txt("care")},
		of{"boat": txt("Wren"), "opened": at("2026-11-08T12:00:00Z")},
		of{"boat": txt("Dove"), "promised": on("2026-11-05")},
		of{"boat": txt("Kite"), "opened": at("2026-11-08T12:00:00Z"), "promised": on("2026-11-01")})
	require.NoError(t, err)
	assert.Equal(t, 2, l.Missing, "without a beginning, and ending before it begins")
	cards := l.Columns[0].Cards
	assert.Equal(t, []string{"2 Nov 2026 to 5 Nov 2026", "8 Nov 2026, not ended"}, []string{cards[0].When, cards[1].When})
	assert.Equal(t, "2 Nov", l.Ticks[0].Label)
	day := 100 * 24.0 / (28 * 24) // four weeks are shown, from 2 to 29 November
	assert.InDelta(t, 0, cards[0].From, 0.001)
	assert.InDelta(t, 4*day, cards[0].Width, 0.01, "the whole of its last day")
	assert.InDelta(t, 6.5*day, cards[1].From, 0.01)
	assert.InDelta(t, l.Today, cards[1].From+cards[1].Width, 0.01, "what has not ended goes on to now")
	assert.NotEqual(t, "none", cards[0].Colour)
	assert.Equal(t, "none", cards[1].Colour)
	_, err = list(t, `"form":"timeline","finish":{"from":"opened","heading":"boat"}`, 0, of{"boat": txt("Dove")})
	assert.Contains(t, problem.Of(err).Words, "None of these jobs has a date in “Opened”")
}

func TestPointsLieOnThePlanOrAreCounted(t *testing.T) {
	records := []of{{"boat": txt("Tern"), "place": txt("20, 80")}, {"boat": txt("Wren"), "place": txt("(100, 0)")}, {"boat": txt("Dove"), "place": txt("101, 5")}, {"boat": txt("Kite"), "place": txt("somewhere")}, {"boat": txt("Skua")}}
	l, err := list(t, `"form":"plan","finish":{"position":"place","heading":"boat","picture":"/plan.svg"}`, 0, records...)
	require.NoError(t, err)
	assert.Equal(t, []string{" 2: Tern, Wren"}, titles(l))
	assert.Equal(t, []int{1, 2}, []int{l.Outside, l.Missing})
	assert.Equal(t, []float64{20, 80}, []float64{l.Columns[0].Cards[0].X, l.Columns[0].Cards[0].Y})
	assert.Equal(t, "c1", l.Columns[0].Cards[0].Colour)
	outline := `"outline":{"type":"Polygon","coordinates":[[[-4,50],[4,50],[4,60],[-4,60],[-4,50]]]}`
	l, err = list(t, `"form":"plan","finish":{"position":"place","heading":"boat",`+outline+`}`, 0, of{"boat": txt("Tern"), "place": txt("60, -4")}, of{"boat": txt("Wren"), "place": txt("55, 0")}, of{"boat": txt("Dove"), "place": txt("0, 55")})
	require.NoError(t, err)
	cards := l.Columns[0].Cards
	assert.InDelta(t, 2, cards[0].X, 0.01, "the north-west corner stands at the left")
	assert.InDelta(t, 50, cards[1].X, 0.01)
	assert.InDelta(t, 50, cards[1].Y, 0.01)
	assert.Equal(t, 1, l.Outside)
	assert.Len(t, l.Outline, 1)
	for bad, words := range map[string]string{
		`"outline":{"type":"Point","coordinates":[1,2]}`:                         "no line to draw",
		`"outline":{"type":"LineString","coordinates":[[1],[2]]}`:                "fewer than two numbers",
		`"outline":{"type":"Polygon","coordinates":"here"}`:                      "cannot be read",
		`"outline":{"type":"LineString","coordinates":[[1,1],[1,5]]}`:            "no line to draw",
		`"outline":{"type":"GeometryCollection","geometries":[{"type":"Moon"}]}`: "no line to draw",
	} {
		_, err := list(t, `"form":"plan","finish":{"position":"place","heading":"boat",`+bad+`}`, 0, records[0])
		if assert.NotNil(t, problem.Of(err), bad) {
			assert.Contains(t, problem.Of(err).Words, words)
		}
	}
}

func TestCardsShowPicturesOfTheHostAppOnly(t *testing.T) {
	l, err := list(t, `"form":"cards","finish":{"picture":"boat","heading":"kind"}`, 0, of{"kind": txt("care"), "boat": txt("/pictures/tern.svg")}, of{"kind": txt("rework"), "boat": txt("//elsewhere.example/x.png")}, of{"kind": txt("mishap"), "boat": txt("https://elsewhere.example/x.png")})
	require.NoError(t, err)
	var pictures []string
	for _, c := range l.Columns[0].Cards {
		pictures = append(pictures, c.Picture)
	}
	assert.Equal(t, []string{"/pictures/tern.svg", "", ""}, pictures)
	assert.True(t, l.Pictures, "a card without one keeps its room")
	l, err = list(t, `"form":"cards","finish":{"heading":"kind"}`, 0, of{"kind": txt("care")})
	require.NoError(t, err)
	assert.False(t, l.Pictures)
}

// A record is chosen by the fields by which it sorts, in the order in which they are seen; a click says
// of which of them it takes its words.
func TestWhatARecordIsChosenBy(t *testing.T) {
	ds := placed(t)
	for doc, want := range map[string][]string{
		`"form":"records","show":["cost","yard","opened","kind"]`:                          {"yard", "kind"},
		`"form":"board","show":["cost","boat"],"finish":{"heading":"yard","stage":"kind"}`: {"yard", "kind", "boat"},
		`"form":"columns","by":[{"field":"opened"}]`:                                       {"opened"},
	} {
		d, err := chart.Read([]byte(`{"version":2,"dataset":"jobs","measures":[{"count":"records"}],` + doc + `}`))
		require.NoError(t, err)
		var by []string
		chosen := d.Choosing(ds)
		for _, dim := range chosen.By {
			by = append(by, dim.Field)
		}
		assert.Equal(t, want, by, doc)
		assert.Equal(t, d.Form.Lists(), chosen.Listed, doc)
	}
	told := []field.Value{field.OfText("=Tarn = Quay"), field.OfText("-"), field.OfText("?"), field.OfText("!"), field.OfText("=-"), {}}
	c := chart.Choose(told, []string{"a", "b", "c", "d", "e", "f"})
	assert.Equal(t, []any{"Tarn = Quay", true, true, true, "-", true}, []any{*c.Keys[0].Is, c.Keys[1].None, c.Keys[2].NotShown, c.Keys[3].Unreadable, *c.Keys[4].Is, c.Keys[5].IsAny()})
	for want, selects := range map[string][]bool{"a": {true}, "a, none": {true, true}, "not shown, not readable, e": {false, false, true, true, true, true, true}, "": {false, false, false, false, false, true}} {
		c.Call(selects)
		assert.Equal(t, want, c.Words)
	}
	(*chart.Choosable)(nil).Call([]bool{true}) // of what cannot be chosen nothing is said
}
