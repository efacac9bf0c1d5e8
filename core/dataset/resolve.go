package dataset

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// Resolve checks the document against the source's tables. A dataset of a query gets the
// table that the source made of it; for the others it is nil.
func Resolve(d *Document, c Catalogue, query *Table) (*Dataset, error) {
	t, err := d.From.Records(c, query)
	if err != nil {
		return nil, problem.At("from", err)
	}
	if len(d.Links) > 0 {
		if t, err = withLinks(t, d.Links, c); err != nil {
			return nil, err
		}
	}
	ds := &Dataset{Document: *d, Table: t, fields: map[string]*Field{}, measures: map[string]*Measure{}, settings: map[string]*SettingDocument{}, catalogue: c, viewed: d.speaks()}
	if d.Title == "" || d.Record[0] == "" || d.Record[1] == "" {
		return nil, problem.New(problem.Missing, "title", "A dataset needs a title, and words for one record and for several.")
	}
	if err := ds.checkKey(); err != nil {
		return nil, err
	}
	if d.Zone != "" {
		z, err := time.LoadLocation(d.Zone)
		if err != nil {
			return nil, problem.New(problem.Invalid, "zone", "“%s” is not an IANA time zone such as Europe/London.", d.Zone)
		}
		ds.Zone = z
	}
	if err := ds.resolveSettings(); err != nil {
		return nil, err
	}
	for i := range d.Fields {
		f, err := ds.resolveField(&d.Fields[i])
		if err == nil && (ds.fields[f.Name] != nil || ds.settings[f.Name] != nil) {
			err = problem.New(problem.Invalid, "name", "There are two fields called “%s”.", f.Name)
		}
		if err != nil {
			return nil, problem.At(fmt.Sprintf("fields[%d]", i), err)
		}
		ds.fields[f.Name] = f
		ds.order = append(ds.order, f)
	}
	made := map[*Field]bool{}
	for i, f := range ds.order {
		if err := ds.complete(f, made); err != nil {
			return nil, problem.At(fmt.Sprintf("fields[%d]", i), err)
		}
	}
	for i, f := range ds.order {
		if err := ds.resolveStages(f); err != nil {
			return nil, problem.At(fmt.Sprintf("fields[%d]", i), err)
		}
	}
	if d.Date != "" {
		if f := ds.fields[d.Date]; f == nil || !f.Type.Temporal() {
			return nil, problem.New(problem.Invalid, "date", "“%s” is not a date field of this dataset.", d.Date)
		}
	}
	if err := CheckAddress(d.OpenRecord); err != nil {
		return nil, err
	}
	for _, name := range ds.LinkColumns() {
		if t.Column(name) == nil {
			return nil, problem.New(problem.Invalid, "open_record", "There is no column “%s” in %s.", name, t.Name)
		}
	}
	if err := ds.resolveMeasures(); err != nil {
		return nil, err
	}
	if err := ds.checkDrillPaths(); err != nil {
		return nil, err
	}
	if err := ds.checkEditing(); err != nil {
		return nil, err
	}
	ds.tables = ds.read()
	return ds, ds.checkConditions()
}

var fieldPlace = regexp.MustCompile(`^fields\[([0-9]+)\]`)

// Misfits tells everything in a document that does not suit a source's tables, at most
// fifty things: of its fields one problem each, of all else the first.
func Misfits(d *Document, c Catalogue, query *Table) (out []*problem.Problem) {
	rest := *d
	places := make([]int, len(d.Fields))
	for i := range places {
		places[i] = i
	}
	for len(out) < 50 {
		_, err := Resolve(&rest, c, query)
		p := problem.Of(err)
		if p == nil {
			return out
		}
		m := fieldPlace.FindStringSubmatch(p.Place)
		if m == nil {
			return append(out, p)
		}
		i, _ := strconv.Atoi(m[1])
		named := *p
		named.Words = "“" + rest.Fields[i].Name + "”: " + p.Words
		named.Place = strings.Replace(p.Place, m[0], fmt.Sprintf("fields[%d]", places[i]), 1)
		out = append(out, &named)
		rest.Fields = slices.Delete(slices.Clone(rest.Fields), i, i+1)
		places = slices.Delete(places, i, i+1)
	}
	return out
}

// Unsure tells whether nothing in the database keeps the key unique, so that it must be
// looked at in the records: the key of a view or of a query.
func (d *Dataset) Unsure() bool {
	return len(d.Key) > 0 && d.Table.Kind != "table" && !d.Table.unique(d.Key...)
}

// Keyless tells in words what a dataset whose records nothing identifies cannot do; "" for
// others.
func (d *Dataset) Keyless() string {
	if len(d.Key) > 0 {
		return ""
	}
	return "Nothing identifies one of these " + d.Record[1] + ": they can be listed, counted and charted, but no other record can link to them, and of two that are the same in every field it cannot be told which is which. A primary key on the table mends that."
}

func (d *Dataset) checkKey() error {
	t := d.Table
	for _, k := range d.Key {
		if t.Column(k) == nil {
			return problem.New(problem.NotFound, "key", "%s has no column “%s”.", t.Name, k)
		}
	}
	if len(d.Key) > 0 && t.Kind == "table" && !t.unique(d.Key...) {
		return problem.New(problem.Invalid, "key", "The key (%s) does not identify one record of %s: choose the columns of a primary or unique key.", strings.Join(d.Key, ", "), t.Name)
	}
	return nil
}

func (d *Dataset) resolveSettings() error {
	for i := range d.Settings {
		s := d.Settings[i]
		place := fmt.Sprintf("settings[%d]", i)
		if err := CheckName(s.Name); err != nil {
			return problem.At(place, err)
		}
		if d.settings[s.Name] != nil {
			return problem.New(problem.Invalid, place+".name", "There are two settings called “%s”.", s.Name)
		}
		if s.Label == "" {
			s.Label = Tidy(s.Name)
		}
		if v, err := formula.Read(s.Type, s.Default); err != nil || v.IsEmpty() {
			return problem.New(problem.Invalid, place+".default", "The setting “%s” needs a default: %s.", s.Label, s.Type.Words())
		}
		d.settings[s.Name] = &s
	}
	return nil
}

func (d *Dataset) resolveMeasures() error {
	for i := range d.Measures {
		m := &Measure{MeasureDocument: d.Measures[i]}
		place := fmt.Sprintf("measures[%d]", i)
		err := CheckName(m.Name)
		if err == nil && (d.measures[m.Name] != nil || d.fields[m.Name] != nil) {
			err = problem.New(problem.Invalid, "name", "There is a field or measure called “%s” already.", m.Name)
		}
		if err == nil {
			if m.Expr, err = d.Formula(m.Formula); err == nil && m.Expr.Width == formula.PerRecord {
				err = problem.New(problem.Invalid, "", "A measure is computed over groups: take sum, avg, count … of the fields. A value for each record is a field.")
			}
			if err == nil && !m.Expr.Type.Numeric() && !m.Expr.Type.Temporal() {
				err = problem.New(problem.Invalid, "", "A measure gives a number or a date.")
			}
			err = problem.At("formula", err)
		}
		if err != nil {
			return problem.At(place, err)
		}
		if m.Label == "" {
			m.Label = Tidy(m.Name)
		}
		d.measures[m.Name] = m
	}
	return nil
}

// checking is what conditions are compiled against to see whether they suit their fields.
func checking() filter.Env {
	return filter.Env{Bind: &statement.Binder{}, Now: time.Unix(0, 0), Calendar: period.ISO(time.UTC)}
}

func (d *Dataset) checkConditions() error {
	check := func(c filter.Condition) error {
		if err := d.CheckSettings(c); err != nil {
			return err
		}
		return c.In(d.Context(nil, nil)).Check(NewScope(d, nil, checking()))
	}
	seen := map[string]bool{}
	for i, c := range d.Conditions {
		place := fmt.Sprintf("conditions[%d]", i)
		if CheckName(c.Name) != nil || c.Title == "" || seen[c.Name] {
			return problem.New(problem.Invalid, place+".name", "A condition kept by name needs a name of its own, of small letters, and a title.")
		}
		seen[c.Name] = true
		if mentionsNamed(c.Where) {
			return problem.New(problem.Invalid, place+".where", "A condition kept by name cannot stand on another.")
		}
		if err := check(c.Where); err != nil {
			return problem.At(place+".where", err)
		}
	}
	if d.BaseFilter != nil {
		if err := check(*d.BaseFilter); err != nil {
			return problem.At("base_filter", err)
		}
	}
	for i, r := range d.RowRules {
		if err := checkRule(r, NewScope(d, nil, checking())); err != nil {
			return problem.At(fmt.Sprintf("row_rules[%d]", i), err)
		}
	}
	return nil
}

func mentionsNamed(c filter.Condition) bool {
	b, _ := c.MarshalJSON()
	return strings.Contains(string(b), `"named":`)
}

var colourForm = regexp.MustCompile(`^#[0-9A-Fa-f]{6}$`)
