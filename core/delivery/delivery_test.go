package delivery_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"eskadel/core/dashboard"
	"eskadel/core/delivery"
	"eskadel/core/problem"
	"eskadel/core/schedule"
)

func TestOrders(t *testing.T) {
	d := &dashboard.Document{Pages: []dashboard.Page{{Title: "P", Widgets: []dashboard.Widget{{ID: "a"}, {ID: "b"}}}, {Title: "Q", Widgets: []dashboard.Widget{{ID: "c"}}}}}
	good := func() delivery.Order {
		return delivery.Order{Page: "P", As: []string{delivery.Pictures}, Schedule: schedule.Schedule{Every: "day", At: []string{"07:00"}}}
	}
	assert.NoError(t, good().Check(d))
	for place, change := range map[string]func(*delivery.Order){
		"page":           func(o *delivery.Order) { o.Page = "R" },
		"widgets":        func(o *delivery.Order) { o.Widgets = []string{"a", "c"} },
		"as":             func(o *delivery.Order) { o.As = nil },
		"as of no kind":  func(o *delivery.Order) { o.As = []string{"pdf", "docx"} },
		"only":           func(o *delivery.Order) { o.Only = "sometimes" },
		"note":           func(o *delivery.Order) { o.Note = strings.Repeat("é", delivery.LongestNote+1) },
		"state.narrow":   func(o *delivery.Order) { o.State.Narrow = []dashboard.Narrowing{{Widget: "a"}} },
		"schedule.every": func(o *delivery.Order) { o.Schedule.Every = "now and then" },
		"calendar":       func(o *delivery.Order) { o.Schedule.Holidays = "skip" },
	} {
		o := good()
		change(&o)
		p := problem.Of(o.Check(d))
		if assert.NotNil(t, p, place) {
			at, _, _ := strings.Cut(place, " ")
			assert.Equal(t, at, p.Place, place)
		}
	}
	o := good()
	o.Note, o.Calendar, o.Schedule.Holidays = strings.Repeat("é", delivery.LongestNote), 1, "skip"
	assert.NoError(t, o.Check(d))
	o.Widgets, o.Only, o.As = []string{"a", "b"}, delivery.Changed, []string{"xlsx", delivery.Pictures}
	assert.Equal(t, "Yards, page P, 2 parts of it, as pictures and figures in the letter and a spreadsheet (XLSX), every day at 07:00, not on holidays, only when it has changed since the last time", o.Words("Yards"))
	o.Widgets = o.Widgets[:1]
	assert.Contains(t, o.Words("P"), "P, one part of it, as")
}
