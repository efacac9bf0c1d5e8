package calc

import (
	"eskadel/core/field"
	"eskadel/core/planner"
	"eskadel/core/query"
	"eskadel/core/sql"
)

// fine is one row of a plan's result: its keys and components.
type fine struct {
	keys  []*Key
	at    [query.Most]int32 // the keys' numbers within their dimensions, see number
	parts parts
}

// computing is the records of one plan, grouped.
type computing struct {
	p        *planner.Plan
	cells    []fine // all dimensions divided
	marg     totals
	steps    []Key // of the time axis
	count    int   // of dimensions
	sizes    []int // how many keys of each dimension have numbers; nil before that
	unplaced []Unplaced
	extra    map[int][]*Key // values that a dimension has besides those of its records
	groups   [][]Key        // the groups, where they are given; nil where they follow from the records
	found    bool           // a dataset beside has records, so that what has none is filled
	whole    parts          // of all cells, see share
	valued   []int          // how many values each dimension has that is cut; nil where that is not known
	bound    *bound         // nil where it does not matter
}

// Compute makes a plan's table from the rows its statement returned, without what needs
// further questions: comparisons and targets. Answer makes those too.
func Compute(p *planner.Plan, rows [][]field.Value) *Table {
	c := group(p, rows)
	if !p.Rolled {
		c.cut(c.choose(nil))
	}
	return c.table(nil)
}

// group reads a plan's rows; those of a plan that is not rolled have yet to be cut.
func group(p *planner.Plan, rows [][]field.Value) *computing {
	c := &computing{p: p, count: len(p.Dims)}
	for _, d := range p.Dims {
		if d.Axis != nil {
			for i := 0; i+1 < len(d.Axis.Borders); i++ {
				c.steps = append(c.steps, stepKey(d.Axis, i).named())
			}
		}
	}
	c.read(rows)
	return c
}

// read parses rows into keys and components, setting aside what the axis cannot place.
func (c *computing) read(rows [][]field.Value) {
	unplaced := map[Unplaced]int64{} // by all but their number
	// All keys and components are cut from two pieces of memory, and each key is made once.
	allKeys := make([]*Key, len(rows)*c.count)
	var allParts parts
	if len(rows) > 0 {
		allParts = make(parts, len(rows)*len(c.p.Columns))
	}
	others, notShown, none := keyed(Key{Kind: Others, Begun: true}), keyed(Key{Kind: NotShown, Begun: true}), keyed(Key{Kind: None, Begun: true})
	type known struct {
		key *Key
		n   int32
	}
	made, sizes := make([]map[string]known, c.count), make([]int, c.count)
	for i, d := range c.p.Dims {
		made[i], sizes[i] = map[string]known{}, 3 // Others is 0, see number; then come those not shown and those without a value
		if d.Axis != nil {
			sizes[i] = len(c.steps) + 1
		}
	}
	c.cells = make([]fine, 0, len(rows))
	for _, row := range rows {
		records := whole(row[len(row)-1])
		if records == 0 {
			continue // a total over no records
		}
		level := 0
		if c.p.Rolled {
			level = int(whole(row[0]))
			row = row[1:]
		}
		f := fine{keys: allKeys[:c.count:c.count]}
		allKeys = allKeys[c.count:]
		placed := true
		cannot := func(dim int, why string) {
			placed = false
			unplaced[Unplaced{Why: why, Field: c.p.Dims[dim].Field, dim: dim}] += records
		}
		for i := range c.p.Dims {
			d, state := &c.p.Dims[i], sql.StateValue
			if c.p.Rolled {
				if !row[0].IsEmpty() {
					state = int(whole(row[0]))
				}
				row = row[1:]
			}
			value, label := row[0], ""
			row = row[1:]
			if d.Labelled() {
				label = row[0].Exact()
				if value.IsEmpty() && !row[0].IsEmpty() { // it stands aside
					state = sql.StateNotShown
					if d.F.Several {
						state = sql.StateOthers
					}
				}
				row = row[1:]
			}
			totalled := level&(1<<(c.count-1-i)) != 0
			switch {
			case totalled:
			case d.Axis != nil:
				var why string
				if f.keys[i], why = c.step(d.Axis, value); f.keys[i] != nil {
					f.at[i] = int32(whole(value))
				} else if why != "" {
					cannot(i, why)
				}
			case state == sql.StateUnreadable || unplaceable(d, value):
				cannot(i, map[bool]string{true: "outside", false: "unplaceable"}[d.F.IsBin()])
			case state == sql.StateOthers:
				f.keys[i] = others
			case state == sql.StateNotShown:
				f.keys[i], f.at[i] = notShown, 1
			case value.IsEmpty():
				f.keys[i], f.at[i] = none, 2
			default:
				text := value.Exact()
				k := made[i][text]
				if k.key == nil || k.key.Label != label {
					if k.key == nil {
						k.n = int32(sizes[i])
						sizes[i]++
					}
					k.key = keyed(Key{Kind: One, Value: value, Label: label, Begun: true})
					made[i][text] = k
				}
				f.keys[i], f.at[i] = k.key, k.n
			}
		}
		group := ""
		if l := c.p.Level; l != nil {
			group = l.Name(row[0])
			row = row[1:]
		}
		f.parts = allParts[:len(c.p.Columns):len(c.p.Columns)].read(row[:len(row)-1], c.p.Columns, &c.p.Measuring, group)
		allParts = allParts[len(c.p.Columns):]
		if !placed {
			continue
		}
		if level == 0 {
			c.cells = append(c.cells, f)
		}
		if c.p.Rolled {
			c.marg.put(f.place(), f.parts)
		}
	}
	if len(rows) > 0 {
		c.sizes = sizes
	}
	for i, d := range c.p.Dims {
		for _, why := range []string{"none", "outside", "later", "unplaceable"} {
			u := Unplaced{Why: why, Field: d.Field, dim: i}
			if u.Count = unplaced[u]; u.Count > 0 {
				c.unplaced = append(c.unplaced, u)
			}
		}
	}
}

// unplaceable tells whether a key is that of what no group of a dimension holds.
func unplaceable(d *sql.Dim, key field.Value) bool {
	_, unreadable := key.Unreadable()
	return unreadable || d.Part != 0 && !key.IsEmpty() && whole(key) == sql.Unplaceable
}

func whole(v field.Value) int64 {
	if n, exponent, ok := v.Small(); ok && exponent == 0 {
		return n
	}
	n, _ := v.Decimal().Int64()
	return n
}

// step turns a bucket's number into the key of a step.
func (c *computing) step(a *sql.Axis, bucket field.Value) (*Key, string) {
	if bucket.IsEmpty() {
		return nil, "none"
	}
	n := int(whole(bucket))
	switch {
	case n < 0 || n > len(a.Placed):
		return nil, "unplaceable"
	case n < 1 || len(a.Placed) == 0:
		return nil, "outside"
	case n >= len(a.Placed):
		if len(a.Placed) < len(a.Borders) || a.Placed[len(a.Placed)-1].Before(a.Borders[len(a.Borders)-1]) {
			return nil, "later"
		}
		return nil, "outside"
	}
	return &c.steps[n-1], ""
}

// stepKey is the i-th step of an axis.
func stepKey(a *sql.Axis, i int) Key {
	k := Key{Kind: Step, From: a.Borders[i], To: a.Borders[i+1], Begun: i < a.Begun}
	k.Partial = a.From && k.From.Before(a.Range.From) || a.To && k.To.After(a.Range.To)
	if i < a.Begun && i < len(a.Placed)-1 && a.Placed[i+1].Before(k.To) {
		k.Partial = true
	}
	return k
}

// list adds a value to those of a dimension, whether records have it or not.
func (c *computing) list(dim int, k *Key) {
	if c.extra == nil {
		c.extra = map[int][]*Key{}
	}
	c.extra[dim] = append(c.extra[dim], k)
}
