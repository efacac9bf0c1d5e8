package alert_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/alert"
	"eskadel/core/dashboard"
	"eskadel/core/problem"
)

func num(s string) *apd.Decimal {
	if s == "" {
		return nil
	}
	d, _, _ := apd.NewFromString(s)
	return d
}

func TestWhatMeets(t *testing.T) {
	for _, of := range []struct {
		when, than    string
		percent       bool
		value, before string
		meets         bool
	}{
		{"above", "200", false, "200", "", false}, {"above", "200", false, "200.01", "", true}, {"above", "-5", false, "-4", "", true}, {"above", "0", false, "", "", false},
		{"below", "200", false, "200", "", false}, {"below", "200", false, "199.99", "", true}, {"below", "200", false, "", "", false},
		{"rises", "10", false, "110", "100", true}, {"rises", "10", false, "109.9", "100", false}, {"rises", "10", false, "90", "100", false}, {"rises", "10", false, "110", "", false},
		{"falls", "10", false, "90", "100", true}, {"falls", "10", false, "91", "100", false}, {"falls", "10", false, "110", "100", false},
		{"rises", "10", true, "110", "100", true}, {"rises", "10", true, "109.99", "100", false}, {"rises", "10", true, "1", "0", true}, {"rises", "10", true, "0", "0", false},
		{"falls", "10", true, "-110", "-100", true}, {"falls", "10", true, "-109", "-100", false}, {"rises", "33.3", true, "4", "3", true}, {"falls", "50", true, "0", "0", false},
	} {
		w := alert.Watch{When: of.when, Than: of.than, Percent: of.percent}
		assert.Equal(t, of.meets, w.Meets(alert.Point{Value: num(of.value), Before: num(of.before)}), "%+v", of)
	}
}

func TestQuiet(t *testing.T) {
	night := &alert.Quiet{From: "22:00", To: "06:30"}
	noon := &alert.Quiet{From: "12:00", To: "13:00", Weekends: true}
	for at, want := range map[string][2]bool{
		"2026-11-30 21:59": {false, false}, "2026-11-30 22:00": {true, false}, "2026-12-01 00:00": {true, false}, "2026-12-01 06:29": {true, false}, "2026-12-01 06:30": {false, false},
		"2026-12-01 12:00": {false, true}, "2026-12-01 13:00": {false, false}, "2026-12-05 09:00": {false, true}, "2026-12-06 23:59": {true, true}, "2026-12-07 00:00": {true, false},
	} {
		when, err := time.Parse("2006-01-02 15:04", at)
		require.NoError(t, err)
		assert.Equal(t, want, [2]bool{night.At(when), noon.At(when)}, at)
	}
	assert.False(t, (*alert.Quiet)(nil).At(time.Now()))
}

func TestChecks(t *testing.T) {
	d := &dashboard.Document{Pages: []dashboard.Page{{Title: "P", Widgets: []dashboard.Widget{{ID: "a"}}}}}
	good := func() alert.Watch {
		return alert.Watch{Page: "P", Widget: "a", When: alert.Above, Than: "200", By: []string{"mail"}}
	}
	require.NoError(t, good().Check(d))
	most := good()
	most.Note, most.After, most.When, most.Hours = strings.Repeat("é", alert.LongestNote), alert.LongestAfter, alert.Silent, alert.LongestHours
	require.NoError(t, most.Check(d))
	for place, change := range map[string]func(*alert.Watch){
		"page": func(w *alert.Watch) { w.Page = "Q" }, "widget": func(w *alert.Watch) { w.Widget = "b" }, "when": func(w *alert.Watch) { w.When = "" },
		"than": func(w *alert.Watch) { w.Than = "many" }, "than NaN": func(w *alert.Watch) { w.Than = "NaN" }, "than huge": func(w *alert.Watch) { w.Than = "1e999999" }, "than by nothing": func(w *alert.Watch) { w.When, w.Than = alert.Rises, "0" },
		"hours": func(w *alert.Watch) { w.When = alert.Silent }, "measure": func(w *alert.Watch) { w.Measure = -1 }, "by": func(w *alert.Watch) { w.By = nil }, "by post": func(w *alert.Watch) { w.By = []string{"post"} },
		"note": func(w *alert.Watch) { w.Note = strings.Repeat("x", 301) }, "after": func(w *alert.Watch) { w.After = -1 },
		"quiet": func(w *alert.Watch) { w.Quiet = &alert.Quiet{From: "22:00"} }, "quiet for ever": func(w *alert.Watch) { w.Quiet = &alert.Quiet{From: "22:00", To: "22:00"} },
		"state.narrow": func(w *alert.Watch) { w.State.Narrow = []dashboard.Narrowing{{Widget: "a"}} },
	} {
		w := good()
		change(&w)
		p := problem.Of(w.Check(d))
		if assert.NotNil(t, p, place) {
			at, _, _ := strings.Cut(place, " ")
			assert.Equal(t, at, p.Place, place)
		}
	}
	assert.Equal(t, "is up on the time before by at least 12.5%", alert.Watch{When: alert.Rises, Than: "12.5", Percent: true}.Words())
	assert.Equal(t, "has had no new record for 1 hour", alert.Watch{When: alert.Silent, Hours: 1}.Words())
}

// A teller is the plain reading of what is told of a point: of each stretch in which it is so, minute by minute.
type teller struct {
	on, told, again, back bool
	at                    int // when it was told
}

func (p *teller) minute(m int, meets, quiet bool, after int) (out []string) {
	if meets {
		p.on, p.back = true, false
	} else if p.on {
		if !p.told {
			*p = teller{}
			return nil
		}
		p.back = true
	}
	switch {
	case !p.on || quiet:
	case p.back:
		*p = teller{}
		out = append(out, alert.Recovered)
	case !p.told:
		p.told, p.at = true, m
		out = append(out, alert.Fired)
	case after > 0 && !p.again && m-p.at >= after:
		p.again = true
		out = append(out, alert.Lasts)
	}
	return out
}

// Over random streams of figures of groups that come and go, with quiet times, and what is known written down and read
// again at each step: the same is told as by the plain reading.
func TestWhatIsToldOfPoints(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := alert.Watch{When: rapid.SampledFrom([]string{alert.Above, alert.Below}).Draw(t, "when"), Than: "5", After: rapid.SampledFrom([]int{0, 3, 7}).Draw(t, "after")}
		groups := []string{"a", "b", "c"}
		plain := map[string]*teller{}
		for _, g := range groups {
			plain[g] = &teller{}
		}
		var known alert.Known
		begin := time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC)
		for m := range rapid.IntRange(1, 40).Draw(t, "minutes") {
			quiet := rapid.IntRange(0, 3).Draw(t, "quiet") == 0
			var seen alert.Seen
			want := []string{}
			for _, g := range groups {
				there, value := rapid.IntRange(0, 6).Draw(t, "there") > 0, rapid.IntRange(3, 7).Draw(t, g)
				if there {
					seen.Points = append(seen.Points, alert.Point{Key: g, Label: g, Text: fmt.Sprint(value), Value: apd.New(int64(value), 0)})
				}
				meets := there && (w.When == alert.Above && value > 5 || w.When == alert.Below && value < 5)
				for _, kind := range plain[g].minute(m, meets, quiet, w.After) {
					want = append(want, kind+" "+g)
				}
			}
			var told []alert.Event
			known, told = w.Step(known, seen, begin.Add(time.Duration(m)*time.Minute), quiet)
			got := []string{}
			for _, e := range told {
				got = append(got, e.Kind+" "+e.Words[:1])
			}
			assert.Equal(t, want, got, "minute %d", m)
			b, err := json.Marshal(known)
			require.NoError(t, err)
			known = alert.Known{}
			require.NoError(t, json.Unmarshal(b, &known))
		}
	})
}

// Of random records that come and go: each is told once when it comes, none that was there at first, and those that
// come while it is quiet when that ends, if they are still there.
func TestWhatIsToldOfRecords(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := alert.Watch{When: alert.Comes}
		var known alert.Known
		begin := time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC)
		var before []int
		var waiting []int
		for m := range rapid.IntRange(1, 20).Draw(t, "minutes") {
			quiet := rapid.IntRange(0, 2).Draw(t, "quiet") == 0
			now := rapid.SliceOfNDistinct(rapid.IntRange(1, 30), 0, 25, rapid.ID).Draw(t, "records")
			var seen alert.Seen
			want := []int{}
			for _, r := range now {
				seen.Records = append(seen.Records, alert.Record{Key: fmt.Sprint(r), Name: fmt.Sprintf("job %d", r)})
				if m > 0 && (!slices.Contains(before, r) || slices.Contains(waiting, r)) {
					want = append(want, r)
				}
			}
			waiting = nil
			if quiet {
				waiting, want = want, nil
			}
			before = now
			var told []alert.Event
			known, told = w.Step(known, seen, begin.Add(time.Duration(m)*time.Minute), quiet)
			if len(want) == 0 {
				assert.Empty(t, told)
				continue
			}
			require.Len(t, told, 1)
			for i, r := range want {
				if i < alert.MostNamed {
					assert.Contains(t, told[0].Words, fmt.Sprintf("job %d", r))
				}
			}
			assert.True(t, strings.HasPrefix(told[0].Words, fmt.Sprintf("%d new record", len(want))), told[0].Words)
			assert.Equal(t, len(want) > alert.MostNamed, strings.Contains(told[0].Words, " more"))
		}
	})
}

func TestSilence(t *testing.T) {
	w := alert.Watch{When: alert.Silent, Hours: 2, After: 60}
	begin := time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC)
	var known alert.Known
	var told []string
	records := []alert.Record{{Key: "1"}}
	for m := 0; m <= 300; m += 10 {
		if m == 240 {
			records = append(records, alert.Record{Key: "2"})
		}
		var events []alert.Event
		known, events = w.Step(known, alert.Seen{Records: records}, begin.Add(time.Duration(m)*time.Minute), false)
		for _, e := range events {
			told = append(told, fmt.Sprint(m, " ", e.Kind))
		}
		if m == 10 {
			assert.Equal(t, begin.Add(2*time.Hour), w.Due(known, begin.Add(10*time.Minute)))
		}
		if m == 130 {
			assert.Equal(t, begin.Add(3*time.Hour), w.Due(known, begin.Add(130*time.Minute)))
		}
	}
	assert.Equal(t, []string{"120 fired", "180 lasts", "240 recovered"}, told)
}

func TestWhatIsSaid(t *testing.T) {
	comes := alert.Watch{When: alert.Comes}
	at := time.Date(2026, 11, 30, 9, 0, 0, 0, time.UTC)
	known, _ := comes.Step(alert.Known{}, alert.Seen{}, at, false)
	_, told := comes.Step(known, alert.Seen{Records: []alert.Record{{Key: "1", Name: "Wren"}, {Key: "2", Name: "Tern"}}}, at, false)
	assert.Equal(t, []alert.Event{{Kind: alert.Came, Words: "2 new records: Wren, Tern", Since: at}}, told)
	above := alert.Watch{When: alert.Above, Than: "5"}
	known, told = above.Step(alert.Known{}, alert.Seen{Points: []alert.Point{{Key: "a", Label: "care", Text: "£7", Value: num("7")}}}, at, false)
	assert.Equal(t, []alert.Event{{Kind: alert.Fired, Words: "care is above 5: £7", Since: at}}, told)
	_, told = above.Step(known, alert.Seen{Points: []alert.Point{{Key: "a", Label: "care", Text: "£5", Value: num("5")}}}, at, false)
	assert.Equal(t, []alert.Event{{Kind: alert.Recovered, Words: "care no longer is above 5: £5", Since: at}}, told)
	_, told = above.Step(known, alert.Seen{}, at, false)
	assert.Equal(t, "care no longer is above 5: no longer there", told[0].Words)
}
