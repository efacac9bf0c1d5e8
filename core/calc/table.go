package calc

import (
	"strconv"
	"time"

	"eskadel/core/field"
	"eskadel/core/query"
)

// A Kind tells what a key stands for.
type Kind int

const (
	Whole    Kind = iota // no division: the key of the split of an unsplit chart
	One                  // one value
	Step                 // a step of a time axis
	Others               // everything that was cut
	NotShown             // links to records that the viewer may not see
	None                 // records without a value
)

// A Key is one value of a dimension, as it appears in a table.
type Key struct {
	Kind     Kind
	Value    field.Value // for One
	Label    string      // of a linked record; other labels are made by core/format
	From, To time.Time   // for Step, half open
	Partial  bool        // the step is cut by a filter, or has not ended
	Begun    bool        // the step has begun, or lies on a planned field
	id       string      // what same returns, once it is known
}

// same identifies the key within its dimension.
func (k Key) same() string {
	if k.id != "" {
		return k.id
	}
	switch k.Kind {
	case One:
		return "=" + k.Value.Exact()
	case Step:
		return "@" + strconv.FormatInt(k.From.UnixNano(), 36)
	}
	return [...]string{"*", "=", "@", "others", "not shown", "none"}[k.Kind]
}

// named returns the key with its id, for keys that are compared often.
func (k Key) named() Key {
	k.id = k.same()
	return k
}

// Unplaced counts records that the chart cannot show.
type Unplaced struct {
	// "none": no date; "outside": outside the axis; "later": after now; "unreadable": no
	// value that measures could take.
	Why   string
	Field string
	Count int64
}

// Reference leads to the records that u counts.
func (u Unplaced) Reference(t *Table, version int) query.Reference {
	r := t.Reference(version, 0, nil)
	if u.Why == "unreadable" {
		r.Unreadable = u.Field
		return r
	}
	for _, d := range t.Plan.Dims {
		var k query.KeyRef
		if a := d.Axis; a != nil {
			switch cut := len(a.Placed) > 0 && !a.Placed[len(a.Placed)-1].Equal(a.Borders[len(a.Placed)-1]); {
			case u.Why == "none":
				k.None = true
			case u.Why == "later":
				k.From = r.To
			case cut:
				k.To = r.From
			default:
				k.Outside = true
			}
		}
		r.Keys = append(r.Keys, k)
	}
	return r
}

// A Table is a chart's computed figures: groups down, splits across, in final order.
type Table struct {
	Plan     *query.Plan
	Groups   [][]Key // per group, one key for each By dimension
	Splits   []Key   // one, of kind Whole, when there is no split
	Unplaced []Unplaced

	cells  map[[2]int][]field.Value
	groups [][]field.Value
	splits [][]field.Value
	total  []field.Value
}

// Cell returns the measures of a group and split, empty values where there are none.
func (t *Table) Cell(group, split int) []field.Value {
	if v := t.cells[[2]int{group, split}]; v != nil {
		return v
	}
	return make([]field.Value, len(t.Plan.Definition.Measures))
}

// GroupTotal returns the measures over all splits of a group, from its records.
func (t *Table) GroupTotal(group int) []field.Value { return t.groups[group] }

// SplitTotal returns the measures over all groups of a split, from its records.
func (t *Table) SplitTotal(split int) []field.Value { return t.splits[split] }

// Total returns the measures over all placed records.
func (t *Table) Total() []field.Value { return t.total }

// Kept returns, for each dimension, the keys by which Others is known: every single
// value shown. It is empty for a dimension that is not cut.
func (t *Table) Kept() [][]string {
	out := make([][]string, len(t.Plan.Dims))
	for i, d := range t.Plan.Dims {
		if d.Largest == 0 {
			continue
		}
		seen := map[string]bool{}
		note := func(k Key) {
			if k.Kind == One && !seen[k.Value.Exact()] {
				seen[k.Value.Exact()] = true
				out[i] = append(out[i], k.Value.Exact())
			}
		}
		if i == len(t.Plan.Definition.By) {
			for _, k := range t.Splits {
				note(k)
			}
			continue
		}
		for _, g := range t.Groups {
			note(g[i])
		}
	}
	return out
}

// IsEmpty tells whether no record was found at all.
func (t *Table) IsEmpty() bool { return len(t.cells) == 0 }

// Reference returns what leads from a mark of the table, given by its keys and measure,
// to its records. version is that of the published dashboard, 0 for a draft.
func (t *Table) Reference(version, measure int, keys []Key) query.Reference {
	r := query.Reference{Version: version, Now: t.Plan.Setting.Now, Measure: measure, Kept: t.Kept()}
	if span, ok := t.Plan.PlacedRange(); ok {
		r.From, r.To = &span.From, &span.To
	}
	for _, k := range keys {
		r.Keys = append(r.Keys, k.Ref())
	}
	return r
}

// Ref is the key as a reference carries it.
func (k Key) Ref() query.KeyRef {
	switch k.Kind {
	case One:
		is := k.Value.Exact()
		return query.KeyRef{Is: &is}
	case Step:
		return query.KeyRef{From: &k.From, To: &k.To}
	case Others:
		return query.KeyRef{Others: true}
	case NotShown:
		return query.KeyRef{NotShown: true}
	case None:
		return query.KeyRef{None: true}
	}
	return query.KeyRef{}
}

// Single computes the measure of a list of records and their number from the row of
// the list's first statement.
func Single(p *query.RecordsPlan, rows [][]field.Value) (field.Value, int64) {
	row := rows[0]
	last := len(row) - 1
	return parts(row[:last]).values(&p.Measuring)[0], whole(row[last])
}
