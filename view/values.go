package view

import (
	"time"

	"eskadel/core/dashboard"
	"eskadel/core/filter"
	"eskadel/core/format"
	"eskadel/core/marks"
	"eskadel/core/planner"
	"eskadel/core/problem"
)

// A ListedValue is one value in a filter's list.
type ListedValue struct {
	Key      string
	None     bool
	NotShown bool // a link to records that the viewer may not see
	Label    string
	Count    string
	Chosen   bool
}

func chosenNotShown(keys []marks.Key) bool {
	for _, k := range keys {
		if k.NotShown {
			return true
		}
	}
	return false
}

// Values lists the values of a filter: those that the other filters leave, under the
// viewer's rules, with their numbers of records. Values already chosen stay listed.
func (v *View) Values(name, search string) ([]ListedValue, error) {
	var f *dashboard.Filter
	for i := range v.Doc.Filters {
		if v.Doc.Filters[i].Name == name {
			f = &v.Doc.Filters[i]
		}
	}
	if f == nil || f.IsDate() {
		return nil, problem.New(problem.NotFound, "filter", "The dashboard has no such list of values.")
	}
	w, ds, fieldName, err := v.governed(f)
	if err != nil || ds == nil {
		return nil, err
	}
	chosen := v.chosen(f.Setting(v.State))
	is := func(key string, none bool) bool {
		for _, c := range chosen {
			if c.None == none && (none || c.Is != nil && *c.Is == key) {
				return true
			}
		}
		return false
	}
	ask := func(c filter.Condition) ([]ListedValue, error) {
		setting, err := v.setting(ds, c, time.Time{})
		if err != nil {
			return nil, err
		}
		p, err := planner.NewValues(ds, fieldName, setting, search)
		if err != nil {
			return nil, err
		}
		rows, err := v.Engine.Values(v.ctx, p, v.Viewer)
		if err != nil {
			return nil, err
		}
		var out, last []ListedValue
		plain := format.Plain(ds.Manner)
		for _, r := range rows {
			n, _ := r[2].Decimal().Int64()
			value := ListedValue{Key: r[0].Exact(), Label: plain.Value(r[1]), Count: ds.Manner.Count(n), Chosen: is(r[0].Exact(), r[0].IsEmpty())}
			switch {
			case r[3].Bool():
				value.NotShown, value.Chosen, value.Label = true, chosenNotShown(chosen), "(not shown)"
				last = append([]ListedValue{value}, last...)
				continue
			case r[0].IsEmpty():
				value.None, value.Label = true, "(none)"
				last = append(last, value)
				continue
			}
			if from, to, ok := ds.Find(fieldName).Bin(r[0]); ok {
				value.Label = plain.Value(from) + " to " + plain.Value(to)
			}
			out = append(out, value)
		}
		return append(out, last...), nil
	}
	reach, err := v.Doc.Reach(w, ds, v.State, v.Viewer.Attributes, v, name)
	if err != nil {
		return nil, err
	}
	out, err := ask(reach.Condition)
	if err != nil {
		return nil, err
	}
	listed := map[string]bool{}
	for _, value := range out {
		listed[value.Key] = true
	}
	var missing []string
	for _, c := range chosen {
		if c.Is != nil && !listed[*c.Is] {
			missing = append(missing, *c.Is)
		}
	}
	if len(missing) > 0 {
		more, err := ask(filter.Compare(fieldName, filter.OneOf, missing...))
		if err != nil {
			return nil, err
		}
		for _, value := range more {
			value.Count = "0"
			out = append(out, value)
		}
	}
	return out, nil
}
