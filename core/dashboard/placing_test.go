package dashboard_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/problem"
)

// forms are those of widgets by the first letter of their ids: k key figures, b bars, l records, t a text.
func forms(w *dashboard.Widget) *chart.Form {
	return map[byte]*chart.Form{'k': &chart.KeyFigures, 'b': {Kind: "bars"}, 'l': &chart.Records}[w.ID[0]]
}

func placedAt(ids ...string) *dashboard.Page {
	p := &dashboard.Page{Title: "P"}
	for i, id := range ids {
		p.Widgets = append(p.Widgets, dashboard.Widget{ID: id, At: [4]int{0, i * 5, 6, 4}})
	}
	return p
}

func places(p *dashboard.Page) map[string][4]int {
	out := map[string][4]int{}
	for _, w := range p.Widgets {
		out[w.ID] = w.At
	}
	return out
}

func TestLayouts(t *testing.T) {
	_, k := chart.KeyFigures.Size()
	_, b := chart.Form{Kind: "bars"}.Size()
	_, l := chart.Records.Size()
	for layout, want := range map[string]map[string][4]int{
		dashboard.Headline: {"k1": {0, 0, 6, k}, "k2": {6, 0, 6, k}, "b1": {0, k, 6, b}, "b2": {6, k, 6, b}, "b3": {0, k + b, 12, b}, "l1": {0, k + 2*b, 12, l}},
		dashboard.Halves:   {"l1": {0, 0, 6, max(l, k)}, "k1": {6, 0, 6, max(l, k)}, "b1": {0, max(l, k), 6, b}, "b2": {6, max(l, k), 6, b}, "k2": {0, max(l, k) + b, 6, max(k, b)}, "b3": {6, max(l, k) + b, 6, max(k, b)}},
		dashboard.Thirds:   {"l1": {0, 0, 4, max(l, k, b)}, "k1": {4, 0, 4, max(l, k, b)}, "b1": {8, 0, 4, max(l, k, b)}, "b2": {0, max(l, k, b), 4, max(k, b)}, "k2": {4, max(l, k, b), 4, max(k, b)}, "b3": {8, max(l, k, b), 4, max(k, b)}},
		dashboard.Strip:    {"l1": {0, 0, 2, max(l, k, b)}, "k1": {2, 0, 2, max(l, k, b)}, "b1": {4, 0, 2, max(l, k, b)}, "b2": {6, 0, 2, max(l, k, b)}, "k2": {8, 0, 2, max(l, k, b)}, "b3": {10, 0, 2, max(l, k, b)}},
		dashboard.Panel:    {"l1": {0, 0, 12, l}, "k1": {0, l, 12, k}, "b1": {0, l + k, 12, b}, "b2": {0, l + k + b, 12, b}, "k2": {0, l + k + 2*b, 12, k}, "b3": {0, l + 2*k + 2*b, 12, b}},
		dashboard.Foot:     {"k1": {0, 0, 6, 4}, "b1": {0, 4, 6, 4}, "b2": {0, 8, 6, 4}, "k2": {0, 12, 6, 4}, "b3": {0, 16, 6, 4}, "l1": {0, 20, 12, l}},
		dashboard.Closed:   {"l1": {0, 0, 6, 4}, "k1": {0, 4, 6, 4}, "b1": {0, 8, 6, 4}, "b2": {0, 12, 6, 4}, "k2": {0, 16, 6, 4}, "b3": {0, 20, 6, 4}},
	} {
		p := placedAt("l1", "k1", "b1", "b2", "k2", "b3")
		require.NoError(t, p.Arrange(layout, forms))
		assert.Equal(t, want, places(p), layout)
	}
	assert.Equal(t, problem.Invalid, problem.Of(placedAt("b1").Arrange("upside down", forms)).Code)
	assert.Len(t, dashboard.Layouts(), 7)
}

// Whatever stands on a page, a layout has no widget lie on another or outside, and loses none;
// one that makes rows leaves no hole.
func TestLayoutsHaveRoomForAll(t *testing.T) {
	rapid.Check(t, func(r *rapid.T) {
		p := &dashboard.Page{}
		for i := range rapid.IntRange(0, 14).Draw(r, "widgets") {
			wide := rapid.IntRange(1, 12).Draw(r, "wide")
			p.Widgets = append(p.Widgets, dashboard.Widget{ID: fmt.Sprint(rapid.SampledFrom([]string{"k", "b", "l", "t"}).Draw(r, "form"), i),
				At: [4]int{rapid.IntRange(0, 12-wide).Draw(r, "x"), rapid.IntRange(0, 30).Draw(r, "y"), wide, rapid.IntRange(1, 8).Draw(r, "high")}})
		}
		n := len(p.Widgets)
		layout := rapid.SampledFrom(dashboard.Layouts()).Draw(r, "layout")
		switch which := rapid.IntRange(0, 2).Draw(r, "which"); {
		case which == 0 && n > 1:
			layout = dashboard.Closed
			require.NoError(r, p.Shift([]string{p.Widgets[0].ID, p.Widgets[n-1].ID}, rapid.IntRange(-13, 13).Draw(r, "right"), rapid.IntRange(-40, 40).Draw(r, "down")))
		case which == 1 && n > 1:
			layout = dashboard.Closed
			require.NoError(r, p.Match([]string{p.Widgets[0].ID, p.Widgets[n-1].ID}, rapid.Bool().Draw(r, "wide"), rapid.Bool().Draw(r, "high")))
		default:
			require.NoError(r, p.Arrange(layout, forms))
		}
		require.Len(r, p.Widgets, n)
		area, high := 0, 0
		for i, w := range p.Widgets {
			require.True(r, w.At[0] >= 0 && w.At[2] > 0 && w.At[3] > 0 && w.At[0]+w.At[2] <= 12, "%v", w.At)
			area, high = area+w.At[2]*w.At[3], max(high, w.At[1]+w.At[3])
			for _, o := range p.Widgets[:i] {
				require.False(r, w.At[0] < o.At[0]+o.At[2] && o.At[0] < w.At[0]+w.At[2] && w.At[1] < o.At[1]+o.At[3] && o.At[1] < w.At[1]+w.At[3], "%v lies on %v", w.At, o.At)
			}
		}
		if layout != dashboard.Closed && layout != dashboard.Foot {
			assert.Equal(r, 12*high, area, "a hole in %s: %v", layout, places(p))
		}
	})
}

func TestWidgetsMatch(t *testing.T) {
	p := &dashboard.Page{Widgets: []dashboard.Widget{{ID: "a", At: [4]int{0, 0, 8, 3}}, {ID: "b", At: [4]int{8, 0, 4, 5}}, {ID: "c", At: [4]int{0, 5, 3, 2}}}}
	require.NoError(t, p.Match([]string{"a", "b"}, false, true))
	assert.Equal(t, map[string][4]int{"a": {0, 0, 8, 3}, "b": {8, 0, 4, 3}, "c": {0, 3, 3, 2}}, places(p))
	require.NoError(t, p.Match([]string{"a", "b", "c"}, true, false))
	assert.Equal(t, map[string][4]int{"a": {0, 0, 8, 3}, "b": {4, 3, 8, 3}, "c": {0, 6, 8, 2}}, places(p))
	assert.Equal(t, problem.Missing, problem.Of(p.Match([]string{"a"}, true, true)).Code)
	assert.Equal(t, problem.NotFound, problem.Of(p.Match([]string{"a", "x"}, true, true)).Code)
	assert.Equal(t, problem.NotFound, problem.Of(p.Match([]string{"x", "a"}, true, true)).Code)
}

func TestWidgetsShiftTogether(t *testing.T) {
	at := func() *dashboard.Page {
		return &dashboard.Page{Widgets: []dashboard.Widget{{ID: "a", At: [4]int{0, 0, 4, 2}}, {ID: "b", At: [4]int{4, 0, 4, 2}}, {ID: "c", At: [4]int{0, 2, 12, 3}}}}
	}
	p := at()
	require.NoError(t, p.Shift([]string{"a", "b"}, 2, 0))
	assert.Equal(t, map[string][4]int{"a": {2, 0, 4, 2}, "b": {6, 0, 4, 2}, "c": {0, 2, 12, 3}}, places(p))
	require.NoError(t, p.Shift([]string{"a", "b"}, 9, 0))
	assert.Equal(t, [4]int{4, 0, 4, 2}, places(p)["a"], "as far as both stay on the ground")
	p = at()
	require.NoError(t, p.Shift([]string{"a", "b"}, 0, 3))
	assert.Equal(t, map[string][4]int{"a": {0, 3, 4, 2}, "b": {4, 3, 4, 2}, "c": {0, 0, 12, 3}}, places(p), "under what they leave behind, which closes up")
	require.NoError(t, p.Shift([]string{"a", "b"}, 0, -9))
	assert.Equal(t, places(at()), places(p), "in the place of what stood there")
	assert.Equal(t, problem.NotFound, problem.Of(p.Shift([]string{"a", "x"}, 1, 1)).Code)
}

func TestTheOneColumnOfANarrowScreen(t *testing.T) {
	p := &dashboard.Page{Widgets: []dashboard.Widget{{ID: "low", At: [4]int{0, 5, 4, 2}}, {ID: "right", At: [4]int{6, 0, 4, 2}}, {ID: "left", At: [4]int{0, 0, 4, 2}}}}
	assert.Equal(t, []string{"left", "right", "low"}, p.Narrow(), "as it is read")
	require.NoError(t, p.MoveNarrow("low", -1))
	assert.Equal(t, []string{"left", "low", "right"}, p.Narrow())
	require.NoError(t, p.MoveNarrow("left", 9))
	assert.Equal(t, []string{"low", "right", "left"}, p.Narrow())
	p.Widgets[1].WideOnly = true
	assert.Equal(t, []string{"low", "left"}, p.Narrow())
	p.Widgets = append(p.Widgets, dashboard.Widget{ID: "new", At: [4]int{0, 9, 4, 2}})
	p.Phone = append(p.Phone, "gone", "low")
	assert.Equal(t, []string{"low", "left", "new"}, p.Narrow(), "what is new follows, what is gone is left out")
	assert.Equal(t, problem.NotFound, problem.Of(p.MoveNarrow("right", 1)).Code)
}
