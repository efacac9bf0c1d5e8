// Package check proves row rules: what a viewer gets, on every path, must equal what
// somebody who may see everything gets from tables that hold only the rows the viewer may
// see. It copies those rows into a scratch database and asks both.
package check

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"eskadel/core/calc"
	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/planner"
	"eskadel/core/profile"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/steps"
	"eskadel/source"
)

// A Question is one that a chart, a list or a filter asks of a dataset.
type Question struct {
	Name       string // of the widget, for people
	Definition query.Definition
	Setting    query.Setting
}

// An Answer is what came of a path, as text, words of errors among it.
type Answer struct {
	Path string
	Text string
}

// asker asks on behalf of one viewer.
type asker struct {
	ctx context.Context
	src *source.Source
	ds  *dataset.Dataset // as the viewer knows it
	v   rule.Viewer
	out []Answer
}

// mostMarks is how many marks of each chart have their records listed.
const mostMarks = 6

// Ask asks every kind of question that the API offers about a dataset: charts, the
// records behind their marks, lists, the values of every field, a profile, counts,
// automatic grains and colours.
func Ask(ctx context.Context, src *source.Source, ds *dataset.Dataset, v rule.Viewer, questions []Question) []Answer {
	a := &asker{ctx: ctx, src: src, ds: ds, v: v}
	for _, q := range questions {
		if len(q.Definition.Measures) > 0 {
			a.chart(q)
		}
		a.list(q)
	}
	if len(questions) > 0 {
		s := questions[0].Setting
		s.Filters = filter.Condition{}
		a.values(s)
		a.profile(s)
	}
	return a.out
}

func (a *asker) say(path string, v any, err error) {
	text := fmt.Sprint(v)
	if err != nil {
		text = "error: " + err.Error()
	}
	a.out = append(a.out, Answer{path, text})
}

func (a *asker) one(p rule.Plan) (source.Rows, error) {
	s, err := rule.Seal(p, a.v)
	if err != nil {
		return nil, err
	}
	rows, err := a.src.Run(a.ctx, s)
	if err != nil {
		return nil, err
	}
	return rows[0], nil
}

func (a *asker) all(p rule.Plans) ([]source.Rows, error) {
	s, err := rule.SealAll(p, a.v)
	if err != nil {
		return nil, err
	}
	return a.src.Run(a.ctx, s)
}

// table computes a chart as viewers get it, but for what other datasets add.
func (a *asker) table(q Question) (*calc.Table, error) {
	d := q.Definition
	d.Target, d.Also = nil, nil
	return steps.Answered(func(ask *steps.Asker) (*calc.Table, error) {
		return calc.Answer(d, a.ds, q.Setting, nil, ask)
	}, func(q steps.Question) (steps.Rows, error) { return a.one(q) })
}

func (a *asker) chart(q Question) {
	t, err := a.table(q)
	if err != nil {
		a.say(q.Name+": chart", nil, err)
		return
	}
	grid, err := json.Marshal(chart.MakeGrid(t, &chart.Document{Definition: t.Plan.Definition}, 0))
	a.say(q.Name+": chart", fmt.Sprintf("%s %v", grid, t.Unplaced), err)
	if drawing, err := chart.Draw(t, &chart.Document{Definition: t.Plan.Definition, Form: chart.Columns}, 0); err == nil {
		var colours []string
		for _, s := range drawing.Series {
			colours = append(colours, s.Name+" "+s.Colour)
		}
		a.say(q.Name+": colours", strings.Join(colours, ", "), nil)
	}
	for i, keys := range t.Groups {
		if i >= mostMarks {
			break
		}
		p, err := planner.NewRecords(q.Definition, a.ds, q.Setting, t.Reference(0, 0, keys))
		var rows []source.Rows
		if err == nil {
			rows, err = a.all(p)
		}
		a.say(fmt.Sprintf("%s: records of mark %d", q.Name, i+1), rows, err)
	}
}

func (a *asker) list(q Question) {
	rows, err := a.all(planner.NewList(a.ds, q.Setting, 1000))
	a.say(q.Name+": list", rows, err)
}

func (a *asker) values(s query.Setting) {
	for _, f := range a.ds.Visible() {
		p, err := planner.NewValues(a.ds, f.Name, s, "")
		var rows source.Rows
		if err == nil {
			rows, err = a.one(p)
		}
		a.say("values of "+f.Name, rows, err)
	}
}

func (a *asker) profile(s query.Setting) {
	p := profile.New(a.ds, s, "").Even()
	rows, err := a.all(p)
	if err != nil {
		a.say("profile", nil, err)
		return
	}
	looked := p.Read(rows[0], rows[1])
	var b strings.Builder
	for _, f := range looked.Fields {
		fmt.Fprintf(&b, "%s %d %d %d %s %s %v %v\n", f.Of.Name, f.Filled, f.Empty, f.Distinct, f.Smallest, f.Largest, f.Top, f.Picture)
	}
	for _, o := range looked.Odd {
		fmt.Fprintln(&b, o.Words)
	}
	a.say("profile", b.String(), nil)
}
