package planner

import (
	"time"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/sql"
	"eskadel/core/statement"
)

// PageSize is how many records a page of the drawer lists.
const PageSize = 50

// Records lists records and computes one measure over all of them.
type Records struct {
	sql.List
	Measure query.Measure
}

// NewRecords plans the records behind a mark, or all of the chart's when r has no keys.
func NewRecords(d query.Definition, ds *dataset.Dataset, s query.Setting, r marks.Reference) (*Records, error) {
	if err := d.Check(ds); err != nil {
		return nil, err
	}
	ds = d.On(ds)
	s = s.In(ds)
	mark, err := r.Condition(d, ds)
	if err != nil {
		return nil, err
	}
	mark = s.Put(ds, mark)
	if err := mark.Check(dataset.NewScope(ds, nil, s.Env(&statement.Binder{}))); err != nil {
		return nil, err
	}
	where := query.Conditions(d, ds, s)
	measure := d.Measures[r.Measure]
	for i := range r.Keys {
		axis := query.TimeAxis(d, ds)
		along := axis != nil && axis.Place == i
		if !r.Unplaced(i, along) {
			continue
		}
		if along && r.Keys[i].None {
			// The date filter itself drops records without a date: they are listed past it.
			f := axis.Field
			_, where, _ = where.Span(f.Name, query.Column(f), s.Env(nil))
		}
		if axis != nil && !along {
			// What has no date is counted among what has no bin, whatever range dates are filtered to.
			f := axis.Field
			if _, rest, fixed := where.Span(f.Name, query.Column(f), s.Env(nil)); fixed {
				where = filter.And(rest, filter.Condition{Any: []filter.Condition{filter.Compare(f.Name, filter.Empty), where}})
			}
		}
		measure = query.Measure{Aggregate: aggregate.Count, Field: query.Records}
	}
	if r.Then != nil {
		if f, _, err := d.Compared(ds); err == nil {
			_, where, _ = where.Span(f.Name, query.Column(f), s.Env(nil))
		}
	}
	if r.Unreadable != "" {
		measure = query.Measure{Aggregate: aggregate.Count, Field: query.Records}
		ds = ds.AsKept(r.Unreadable)
	}
	p := &Records{sql.List{Dataset: ds, Fields: ds.Visible(), Setting: s, Where: filter.And(where, mark), Size: PageSize}, measure}
	return p, p.take(measure)
}

// take chooses the measure that is computed over all listed records; those that its own
// condition leaves out are not listed.
func (p *Records) take(m query.Measure) (err error) {
	m.Where = nil
	s := p.Setting
	s.Careful = true
	p.Level = level(query.Definition{Measures: []query.Measure{m}}, p.Dataset, s)
	p.Measuring, err = measure([]query.Measure{m}, p.Dataset, s)
	return err
}

// NewList plans a list of a dataset's records under a setting's filters.
func NewList(ds *dataset.Dataset, s query.Setting, size int) *Records {
	s = s.In(ds)
	p := &Records{sql.List{Dataset: ds, Fields: ds.Visible(), Setting: s, Where: query.Conditions(query.Definition{}, ds, s), Size: size}, query.Measure{Aggregate: aggregate.Count, Field: query.Records}}
	_ = p.take(p.Measure) // a count of records suits every dataset
	return p
}

// Choose keeps only some fields, in order (all when there are none), and records that
// meet a chart's own filter.
func (p *Records) Choose(fields []string, where *filter.Condition) error {
	if where != nil {
		p.Where = filter.And(p.Where, p.Setting.Put(p.Dataset, *where))
	}
	if len(fields) == 0 {
		return nil
	}
	p.Fields = nil
	for _, name := range fields {
		f, err := query.Visible(p.Dataset, name)
		if err != nil {
			return err
		}
		p.Fields = append(p.Fields, f)
	}
	return nil
}

// Show keeps only some fields, hidden ones among them, for builders who try something.
func (p *Records) Show(names []string) error {
	p.Fields = nil
	for _, name := range names {
		f, err := p.Dataset.Field(name)
		if err != nil {
			return err
		}
		p.Fields = append(p.Fields, f)
	}
	return nil
}

// Zone is where the times of moments are read.
func (p *Records) Zone() *time.Location { return p.Setting.Calendar.Zone }

// By chooses the page and order of the list.
func (p *Records) By(page int, sort string, descending bool) error {
	if page < 0 || page > 1_000_000 {
		return problem.New(problem.Invalid, "page", "There is no page %d.", page)
	}
	if sort != "" {
		if _, err := query.Visible(p.Dataset, sort); err != nil {
			return err
		}
	}
	p.Page, p.Sort, p.Descending = page, sort, descending
	return nil
}

// NewValues plans the values of a field that a setting's filters leave.
func NewValues(ds *dataset.Dataset, name string, s query.Setting, search string) (*sql.Values, error) {
	f, err := query.Visible(ds, name)
	if err != nil {
		return nil, err
	}
	return &sql.Values{Field: f, Dataset: ds, Setting: s.In(ds), Search: search}, nil
}
