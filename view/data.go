package view

import (
	"context"
	"slices"
	"strings"
	"time"

	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/formula"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/profile"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sql"
)

// Profile looks at what is in a dataset, as far as the viewer may see it.
func (e *Reader) Profile(ctx context.Context, ds *dataset.Dataset, v rule.Viewer, only string) (*profile.Profile, error) {
	setting := e.Setting(ds, v, filter.Condition{}, time.Time{})
	var p *profile.Plan
	switch kept, _ := e.profiled.Load(ds.Name); {
	case only != "":
		p = profile.New(ds, setting, only)
	case v.Builder && kept != nil && time.Since(kept.(profiled).at) < profileKept:
		p = profile.Again(ds, setting, kept.(profiled).of, kept.(profiled).profile)
	}
	if p == nil {
		p = profile.New(ds, setting)
	}
	if !v.Builder {
		p.Even()
	}
	sealed, err := rule.SealAll(p, v)
	if err != nil {
		return nil, err
	}
	r, err := e.Do(ctx, sealed, v)
	if err != nil {
		return nil, err
	}
	out := p.Read(r.Rows[0], r.Rows[1])
	if v.Builder && only == "" {
		e.profiled.Store(ds.Name, profiled{&ds.Document, out, time.Now()})
	}
	return out, nil
}

// profiled is the last profile of a dataset that a builder saw: once a field is repaired,
// only that field is looked at again.
type profiled struct {
	of      *dataset.Document
	profile *profile.Profile
	at      time.Time
}

// profileKept is how long a profile is good for the fields that a repair leaves alone.
const profileKept = 2 * time.Minute

// KeyProblem looks in the records of a view or query whether its key tells them apart.
func (e *Reader) KeyProblem(ctx context.Context, ds *dataset.Dataset) error {
	if !ds.Unsure() {
		return nil
	}
	r, err := e.One(ctx, sql.NewKeyCheck(ds), rule.Viewer{Builder: true})
	if err != nil {
		return err
	}
	if len(r.Rows[0]) == 0 {
		return nil
	}
	var values []string
	for _, v := range r.Rows[0][0] {
		values = append(values, v.Exact())
	}
	return problem.New(problem.Invalid, "key", "The key (%s) does not tell records apart: several have %s.", strings.Join(ds.Key, ", "), strings.Join(values, ", "))
}

// A Trial is what a formula gives on the records at hand.
type Trial struct {
	Type    string `json:"type"`
	Over    string `json:"over"`    // "per record", "over groups" or "the same everywhere"
	Page    *Page  `json:"page"`    // of the first records, or groups
	Printed string `json:"printed"` // as it is written best
}

// Try computes a formula for the first ten records, or over all records and the groups of
// the first pick list.
func (e *Reader) Try(ctx context.Context, ds *dataset.Dataset, text string, v rule.Viewer) (*Trial, error) {
	expr, err := ds.Formula(text)
	if err != nil {
		return nil, err
	}
	t := &Trial{Type: expr.Type.String(), Over: [...]string{"the same everywhere", "per record", "over groups"}[expr.Width], Printed: expr.String()}
	if expr.Width == formula.OverGroup {
		return t, e.tryMeasure(ctx, ds, expr, v, t)
	}
	p, err := e.with(ds, v, []dataset.OwnField{{Label: "Result", Formula: text}}, expr.Uses(), 10)
	if err != nil {
		return nil, err
	}
	l, err := e.Records(ctx, p, v)
	if err != nil {
		return nil, err
	}
	t.Page = NewPage(l)
	return t, nil
}

// with plans a list of a dataset's records with formulas beside some of its fields.
func (e *Reader) with(ds *dataset.Dataset, v rule.Viewer, formulas []dataset.OwnField, beside []string, size int) (*planner.Records, error) {
	changed, err := ds.With(formulas...)
	if err != nil {
		return nil, err
	}
	p := planner.NewList(changed, e.Setting(changed, v, filter.Condition{}, time.Time{}), size)
	var show []string
	for _, name := range beside {
		if changed.Find(name) != nil {
			show = append(show, name)
		}
	}
	for _, f := range formulas {
		show = append(show, f.Name())
	}
	return p, p.Show(show)
}

func (e *Reader) tryMeasure(ctx context.Context, ds *dataset.Dataset, expr *formula.Expr, v rule.Viewer, t *Trial) error {
	d := query.Definition{Version: query.Version, Dataset: ds.Name, Measures: []query.Measure{{Formula: expr.String(), Label: "Result"}}}
	for _, f := range ds.Visible() {
		if f.Type.String() == "text" && (ds.Restricted() || !ds.Many(f, 50)) {
			d.By = []query.Dimension{{Field: f.Name, Largest: 10}}
			break
		}
	}
	table, _, err := e.Table(ctx, d, ds, v, e.Setting(ds, v, filter.Condition{}, time.Time{}))
	if err != nil {
		return err
	}
	t.Page = pageOf(table)
	return nil
}

// Help explains every function, each with an example made of the dataset's own fields and,
// where it is computed per record, what that gives for the first record.
func (e *Reader) Help(ctx context.Context, ds *dataset.Dataset, v rule.Viewer) ([]HelpLine, error) {
	var number, text, date string
	for _, f := range ds.Visible() {
		switch {
		case f.Type.Numeric() && number == "":
			number = f.Name
		case f.Type.String() == "text" && text == "":
			text = f.Name
		case f.Type.String() == "timestamp" && date == "", f.Type.Temporal() && date == "":
			date = f.Name
		}
	}
	var out []HelpLine
	var formulas []dataset.OwnField
	for _, h := range formula.Functions(number, text, date) {
		out = append(out, HelpLine{Help: h})
		one := dataset.OwnField{Label: h.Name, Formula: h.Example}
		same := func(o dataset.OwnField) bool { return o.Formula == one.Formula }
		if expr, err := ds.Formula(h.Example); err == nil && expr.Width != formula.OverGroup && !slices.ContainsFunc(formulas, same) {
			formulas = append(formulas, one)
		}
	}
	p, err := e.with(ds, v, formulas, nil, 1)
	if err != nil {
		return nil, err
	}
	l, err := e.Records(ctx, p, v)
	if err != nil {
		return nil, err
	}
	page := NewPage(l)
	for i := range out {
		example := dataset.OwnField{Formula: out[i].Example}.Name()
		for j, name := range page.Names {
			if name == example && len(page.Rows) > 0 {
				out[i].Gives = page.Rows[0].Cells[j].Text
			}
		}
	}
	return out, nil
}

// A HelpLine explains a function with what its example gives.
type HelpLine struct {
	formula.Help
	Gives string
}

// ViewAs is what a viewer would see of a dataset.
type ViewAs struct {
	Some   string   `json:"some"` // how many records: "12" of "40 jobs"
	All    string   `json:"all"`
	Rules  string   `json:"rules"`
	Hidden []string `json:"hidden"` // the labels of fields they may not see
	Page   *Page    `json:"page"`
}

// ViewAs looks at a dataset as another viewer would.
func (e *Reader) ViewAs(ctx context.Context, ds *dataset.Dataset, as rule.Viewer) (*ViewAs, error) {
	builder := rule.Viewer{Builder: true}
	_, all, err := e.Count(ctx, ds, builder, filter.Condition{})
	if err != nil {
		return nil, err
	}
	seen := rule.See(ds, as)
	_, some, err := e.Count(ctx, seen, as, filter.Condition{})
	if err != nil {
		return nil, err
	}
	l, err := e.Records(ctx, planner.NewList(seen, e.Setting(seen, as, filter.Condition{}, time.Time{}), 12), as)
	if err != nil {
		return nil, err
	}
	out := &ViewAs{Some: ds.Manner.Count(some), All: format.Records(ds, all), Rules: rule.Words(ds, as), Page: NewPage(l)}
	for _, f := range ds.Order() {
		if seen.Find(f.Name) == nil {
			out.Hidden = append(out.Hidden, f.Label)
		}
	}
	return out, nil
}

// CountWhere says how many records of a dataset meet a condition: "2 of 40 jobs".
func (e *Reader) CountWhere(ctx context.Context, ds *dataset.Dataset, c filter.Condition, v rule.Viewer) (string, error) {
	if err := query.CheckCondition(c, ds); err != nil {
		return "", err
	}
	some, all, err := e.Count(ctx, ds, v, c.ForFilter(v.Attributes))
	return ds.Manner.Count(some) + " of " + format.Records(ds, all), err
}

// A Listed value is one that a field has, as the condition editor offers it.
type Listed struct {
	Key   string `json:"key"`
	Label string `json:"label"`
	Count string `json:"count"`
}

// ListValues lists values of a field, most frequent first.
func (e *Reader) ListValues(ctx context.Context, ds *dataset.Dataset, name, find string, v rule.Viewer) ([]Listed, error) {
	return e.valuesWhere(ctx, ds, name, filter.Condition{}, find, v)
}

// NamesOf lists those values of a field that have some keys, as far as the viewer may see them.
func (e *Reader) NamesOf(ctx context.Context, ds *dataset.Dataset, name string, keys []string, v rule.Viewer) ([]Listed, error) {
	return e.valuesWhere(ctx, ds, name, filter.Compare(name, filter.OneOf, keys...), "", v)
}

func (e *Reader) valuesWhere(ctx context.Context, ds *dataset.Dataset, name string, c filter.Condition, find string, v rule.Viewer) ([]Listed, error) {
	p, err := planner.NewValues(ds, name, e.Setting(ds, v, c, time.Time{}), find)
	if err != nil {
		return nil, err
	}
	rows, err := e.Values(ctx, p, v)
	if err != nil {
		return nil, err
	}
	out := []Listed{}
	for _, r := range rows {
		if !r[0].IsEmpty() {
			n, _ := r[2].Decimal().Int64()
			out = append(out, Listed{r[0].Exact(), r[1].Exact(), ds.Manner.Count(n)})
		}
	}
	return out, nil
}

// Names lists what stands for each record that the viewer may see of the table that a
// field links to, in the order of their keys.
func (e *Reader) Names(ctx context.Context, ds *dataset.Dataset, f *dataset.Field, v rule.Viewer) ([]string, error) {
	target, err := ds.Target(f)
	if err != nil {
		return nil, err
	}
	l, err := e.Records(ctx, planner.NewList(rule.See(target, v), e.Setting(target, v, filter.Condition{}, time.Time{}), 200), v)
	if err != nil {
		return nil, err
	}
	var out []string
	for _, r := range l.Rows {
		if v := r[len(r)-1]; !v.IsEmpty() {
			out = append(out, v.Exact())
		}
	}
	return out, nil
}
