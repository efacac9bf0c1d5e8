package view

import (
	"fmt"
	"slices"
	"strings"

	"eskadel/core/chart"
	"eskadel/core/dataset"
	"eskadel/core/locale"
	"eskadel/core/marks"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/proof"
	"eskadel/core/query"
	"eskadel/core/rule"
)

// MostProved is how many records a proof names.
const MostProved = 5000

// Prove says how the figure of a mark comes about.
func (v *View) Prove(id string, ref marks.Reference, mac proof.Mac) (*proof.Proof, error) {
	q, err := v.recorded(id, ref)
	if err != nil {
		return nil, err
	}
	d, ds, s, r, err := ref.Behind(q.doc.Computed(q.ds), q.ds, q.setting, v.Engine.Sets(v.ctx, v.Viewer))
	if err != nil {
		return nil, err
	}
	p, err := planner.NewRecords(d, ds, s, r)
	if err != nil {
		return nil, err
	}
	p.Fields, p.Size = proved(d, p), MostProved+1
	sealed, err := rule.SealAll(p, v.Viewer)
	if err != nil {
		return nil, err
	}
	l, err := v.Engine.Records(v.ctx, p, v.Viewer)
	if err != nil {
		return nil, err
	}
	if l.Count > MostProved {
		return nil, problem.New(problem.TooMany, "", "A proof names each of its records, at most %s: choose a mark of fewer, or narrow the dashboard.", ds.Manner.Count(MostProved))
	}
	page := NewPage(l)
	out := &proof.Proof{
		Version: proof.Version, Dashboard: v.Doc.Name, DashboardVersion: v.Version, Widget: id, State: v.State, Mark: ref,
		Viewer:   proof.Viewer{ID: v.Viewer.ID, Name: v.Viewer.Name, Roles: v.Viewer.Roles, Attributes: v.Viewer.Attributes, Builder: v.Viewer.Builder},
		Sentence: v.Engine.says(v.ctx, q.doc, q.ds, v.Viewer), Conditions: locale.Upper(ds.Words(p.Where)), Rules: rule.Words(ds, v.Viewer),
		Read: l.At, Measure: locale.Upper(chart.MeasureLabel(p.Measure, ds)), Records: l.Count, Exact: l.Value.Exact(),
	}
	if out.Figure = strings.TrimPrefix(page.Total, chart.MeasureLabel(p.Measure, ds)+" "); p.Measure.Field == query.Records {
		out.Figure, out.Exact = ds.Manner.Count(l.Count), fmt.Sprint(l.Count)
	}
	for _, st := range sealed.Statements() {
		one := proof.Statement{SQL: st.SQL}
		for _, a := range st.Args {
			one.Values = append(one.Values, fmt.Sprint(a))
		}
		out.Statements = append(out.Statements, one)
	}
	links := len(ds.LinkColumns())
	var keys []string
	var values [][]string
	for _, row := range l.Rows {
		var key, of []string
		for i := range row {
			if i < links {
				key = append(key, row[i].Exact())
			} else {
				of = append(of, row[i].Exact())
			}
		}
		if links == 0 { // nothing else tells them apart
			key = of
		}
		keys, values = append(keys, strings.Join(key, " ")), append(values, of)
	}
	for _, f := range p.Fields {
		out.Fields = append(out.Fields, f.Label)
	}
	out.Digested(mac, keys, values)
	return out, nil
}

// proved are the fields whose values are in a proof's digests: those that the figure is made of, and
// by which its records were chosen, as far as they are seen; the first one where there are none.
func proved(d query.Definition, p *planner.Records) (out []*dataset.Field) {
	names := p.Where.Fields()
	for _, dim := range d.Dimensions() {
		names = append(names, dim.Field)
	}
	names = append(names, p.Measure.Field)
	if e, err := p.Measure.Expr(p.Dataset); err == nil && e != nil {
		names = append(names, e.Uses()...)
	}
	for _, f := range p.Dataset.Visible() {
		if slices.Contains(names, f.Name) {
			out = append(out, f)
		}
	}
	if len(out) == 0 {
		out = p.Dataset.Visible()[:1]
	}
	return out
}
