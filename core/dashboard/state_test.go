package dashboard_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/query"
)

// stepped is a mark of a step of time, in the last of so many dimensions.
func stepped(from, to string) marks.Reference {
	at := func(s string) *time.Time { v, _ := time.Parse(time.DateOnly, s); return &v }
	return marks.Reference{Keys: []marks.Key{{From: at(from), To: at(to)}}}
}

func TestDrilledCharts(t *testing.T) {
	d, charts := drilled(t, []string{"yard", "kind", "boat"})
	next := func(id string, s dashboard.State) (string, []string) {
		w, err := d.Widget(id)
		require.NoError(t, err)
		definition, ds, err := charts.Chart(w)
		require.NoError(t, err)
		next, others, err := s.Next(w, definition, ds)
		require.NoError(t, err)
		var into []string
		for _, step := range others {
			into = append(into, step.Into)
		}
		if next == nil {
			return "", into
		}
		assert.Equal(t, w.Place(definition, ds, next.Into), next.Place)
		return next.Into, into
	}
	first, into := next("b", dashboard.State{})
	assert.Equal(t, "kind", first)
	assert.NotContains(t, into, "kind", "what a path leads to is not among the others")
	assert.Contains(t, into, "boat")
	assert.NotContains(t, into, "yard", "what it is divided by already")
	assert.NotContains(t, into, "secret")

	s := dashboard.State{Drills: map[string][]dashboard.Drill{"b": {{Mark: on("1"), Into: "kind", Words: "Tarn Quay"}}}}
	first, _ = next("b", s)
	assert.Equal(t, "boat", first, "and on along the path")
	s.Drills["b"] = append(s.Drills["b"], dashboard.Drill{Mark: on("care"), Into: "late", Words: "care"})
	first, _ = next("b", s)
	assert.Empty(t, first, "beside the path it ends")
	first, _ = next("a", dashboard.State{})
	assert.Equal(t, "opened", first, "a step of time is taken apart into finer ones")
	w, _ := d.Widget("a")
	definition, ds, _ := charts.Chart(w)
	days, err := (dashboard.State{Drills: map[string][]dashboard.Drill{"a": {{Mark: stepped("2026-01-01", "2026-02-01"), Into: "opened", Words: "January"}}}}).Drilled(w, definition, ds, -1)
	require.NoError(t, err)
	assert.Equal(t, "day", days.By[0].Grain.String())

	// Others are narrowed by what was drilled into, as far as the group goes; the widget itself is not twice.
	other, own := d.Pages[0].Widgets[0], d.Pages[0].Widgets[1]
	s.Narrow = []dashboard.Narrowing{{Widget: "b", Marks: []marks.Reference{on("true")}, Words: "late", Depth: 2}, {Widget: "a", Marks: []marks.Reference{on("", "care")}, Words: "care", Without: true}}
	s.Narrow[1].Marks[0].Keys[0] = marks.Key{}
	r, err := d.Reach(&other, ds, s, nil, charts, "")
	require.NoError(t, err)
	assert.Equal(t, "Yard is 1 and Kind is care and Late is true and not (Kind is care)", ds.Words(r.Condition), "what is left out is left out of its own too")
	r, err = d.Reach(&own, ds, s, nil, charts, "")
	require.NoError(t, err)
	assert.Equal(t, "not (Kind is care)", ds.Words(r.Condition))
	visits := charts["visits"]
	r, err = d.Reach(&d.Pages[0].Widgets[2], visits, s, nil, charts, "")
	require.NoError(t, err)
	assert.True(t, r.Condition.IsZero(), "visits have neither")
	assert.Len(t, r.Missed, 4, "each says so")

	from, now, err := s.Trail(&own, ownDefinition(t, charts, &own), ds)
	require.NoError(t, err)
	require.Len(t, from, 2)
	assert.Equal(t, []string{"yard", "kind", "late"}, []string{from[0].Definition.By[0].Field, from[1].Definition.By[0].Field, now.By[0].Field})
	carried, err := dashboard.Through{Fill: map[string]string{"kind": "of", "yard": "there"}, To: dashboard.Target{Page: "Q"}}.Carry(append(from, dashboard.At{Mark: on("true"), Definition: now}), ds, d)
	require.NoError(t, err)
	assert.Equal(t, "care", *carried.Filters["of"].Values[0].Is, "what was drilled into goes along")
	assert.Equal(t, "1", *carried.Filters["there"].Values[0].Is)

	s.Drills["b"][0].Into = "gone"
	_, err = s.Drilled(&own, ownDefinition(t, charts, &own), ds, -1)
	assert.Equal(t, problem.Conflict, problem.Of(err).Code)
}

func ownDefinition(t *testing.T, charts named, w *dashboard.Widget) (d query.Definition) {
	d, _, err := charts.Chart(w)
	require.NoError(t, err)
	return d
}

func TestAsMuchAsSuits(t *testing.T) {
	d, _ := drilled(t)
	good := state(t, `{"page":"P","filters":{"of":["care"]},"drills":{"b":[{"mark":{"keys":[{"is":"1"}]},"into":"kind","words":"x"}]},"narrow":[{"widget":"b","words":"y","marks":[{"keys":[{"is":"care"}]}],"depth":1}],"looks":{"a":{"grain":"week"}}}`)
	require.NoError(t, good.Check(d))
	same, lost := good.Suiting(d)
	assert.Equal(t, good, same)
	assert.False(t, lost)
	for _, bad := range []string{`{"drills":{"b":[]}}`, `{"drills":{"gone":[{"mark":{"keys":[]},"into":"kind","words":""}]}}`, `{"narrow":[{"widget":"b","words":"y","marks":[{"keys":[]}],"depth":1}]}`, `{"narrow":[{"widget":"b","words":"y","marks":[{"keys":[]}],"depth":-1}]}`} {
		assert.Error(t, state(t, bad).Check(d), bad)
	}
	long := good
	long.Drills = map[string][]dashboard.Drill{"b": make([]dashboard.Drill, dashboard.MostDrills+1)}
	assert.Error(t, long.Check(d))

	mixed := state(t, `{"page":"gone","filters":{"of":["care"],"gone":["x"]},"drills":{"b":[{"mark":{"keys":[]},"into":"kind","words":"x"}],"gone":[{"mark":{"keys":[]},"into":"kind","words":"x"}]},"narrow":[{"widget":"b","words":"y","marks":[{"keys":[]}],"depth":1},{"widget":"gone","words":"y","marks":[{"keys":[]}]}],"looks":{"a":{"grain":"week"},"gone":{"grain":"week"}},"settings":{"rate":"2"}}`)
	rest, lost := mixed.Suiting(d)
	assert.True(t, lost)
	require.NoError(t, rest.Check(d))
	assert.Equal(t, []int{1, 1, 1, 1, 1}, []int{len(rest.Filters), len(rest.Drills), len(rest.Narrow), len(rest.Looks), len(rest.Settings)})
	assert.Empty(t, rest.Page)
}
