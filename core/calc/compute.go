package calc

import (
	"sort"
	"strings"

	"eskadel/core/field"
	"eskadel/core/query"
)

// fine is one row of a plan's result: its keys and components.
type fine struct {
	keys  []Key
	parts parts
}

// computing is the state of one Compute.
type computing struct {
	p     *query.Plan
	table *Table
	cells []fine           // all dimensions divided
	marg  map[string]parts // totals by marginal: dimension mask and keys
	steps []Key            // of the time axis
	count int              // of dimensions
}

// Compute makes a plan's table from the rows its statement returned.
func Compute(p *query.Plan, rows [][]field.Value) *Table {
	c := &computing{p: p, table: &Table{Plan: p, cells: map[[2]int][]field.Value{}}, count: len(p.Dims), marg: map[string]parts{}}
	for _, d := range p.Dims {
		if d.Axis != nil {
			for i := 0; i+1 < len(d.Axis.Borders); i++ {
				c.steps = append(c.steps, stepKey(d.Axis, i).named())
			}
		}
	}
	c.read(rows)
	if !p.Rolled {
		c.cut()
	}
	c.lay()
	if all := c.marginal(make([]Key, c.count), func(int) bool { return false }); all != nil {
		for _, u := range p.Unread {
			if n := whole(all[u.Column]); n > 0 {
				c.table.Unplaced = append(c.table.Unplaced, Unplaced{"unreadable", u.Field, n})
			}
		}
	}
	return c.table
}

// read parses rows into keys and components, setting aside what the axis cannot place.
func (c *computing) read(rows [][]field.Value) {
	unplaced := map[string]int64{}
	for _, row := range rows {
		if whole(row[len(row)-1]) == 0 {
			continue // a total over no records
		}
		level := 0
		if c.p.Rolled {
			level = int(whole(row[0]))
			row = row[1:]
		}
		f := fine{keys: make([]Key, c.count)}
		why := ""
		for i, d := range c.p.Dims {
			state := query.StateValue
			if c.p.Rolled {
				if !row[0].IsEmpty() {
					state = int(whole(row[0]))
				}
				row = row[1:]
			}
			value, label := row[0], ""
			row = row[1:]
			if d.F.IsLink() {
				label = row[0].Exact()
				if value.IsEmpty() && !row[0].IsEmpty() {
					state = query.StateNotShown
				}
				row = row[1:]
			}
			totalled := level&(1<<(c.count-1-i)) != 0
			switch {
			case totalled:
			case d.Axis != nil:
				f.keys[i], why = c.step(d.Axis, value, why)
			case state == query.StateOthers:
				f.keys[i] = Key{Kind: Others, Begun: true}.named()
			case state == query.StateNotShown:
				f.keys[i] = Key{Kind: NotShown, Begun: true}.named()
			case value.IsEmpty():
				f.keys[i] = Key{Kind: None, Begun: true}.named()
			default:
				f.keys[i] = Key{Kind: One, Value: value, Label: label, Begun: true}.named()
			}
		}
		f.parts = parts(row[:len(row)-1])
		switch {
		case why != "":
			unplaced[why] += whole(row[len(row)-1])
		case level == 0:
			c.cells = append(c.cells, f)
			if !c.p.Rolled {
				continue
			}
			c.marg[mask(f.keys, func(int) bool { return true })] = f.parts
		default:
			c.marg[mask(f.keys, func(i int) bool { return level&(1<<(c.count-1-i)) == 0 })] = f.parts
		}
	}
	for _, why := range []string{"none", "outside", "later"} {
		if n := unplaced[why]; n > 0 {
			c.table.Unplaced = append(c.table.Unplaced, Unplaced{why, c.axisField(), n})
		}
	}
}

func (c *computing) axisField() string {
	for _, d := range c.p.Dims {
		if d.Axis != nil {
			return d.Field
		}
	}
	return ""
}

func whole(v field.Value) int64 {
	n, _ := v.Decimal().Int64()
	return n
}

// step turns a bucket's number into the key of a step.
func (c *computing) step(a *query.Axis, bucket field.Value, why string) (Key, string) {
	if bucket.IsEmpty() {
		return Key{}, "none"
	}
	n := int(whole(bucket))
	switch {
	case n < 1 || len(a.Placed) == 0:
		return Key{}, "outside"
	case n >= len(a.Placed):
		if len(a.Placed) < len(a.Borders) || a.Placed[len(a.Placed)-1].Before(a.Borders[len(a.Borders)-1]) {
			return Key{}, "later"
		}
		return Key{}, "outside"
	}
	return c.steps[n-1], why
}

// stepKey is the i-th step of an axis.
func stepKey(a *query.Axis, i int) Key {
	k := Key{Kind: Step, From: a.Borders[i], To: a.Borders[i+1], Begun: i < a.Begun}
	k.Partial = k.From.Before(a.Range.From) && a.Fixed || k.To.After(a.Range.To) && a.Fixed
	if i < a.Begun && i < len(a.Placed)-1 && a.Placed[i+1].Before(k.To) {
		k.Partial = true
	}
	return k
}

// mask names the group of a row that has only the chosen dimensions.
func mask(keys []Key, chosen func(int) bool) string {
	var b strings.Builder
	for i, k := range keys {
		if chosen(i) {
			b.WriteString(k.same())
		}
		b.WriteByte(0)
	}
	return b.String()
}

// marginal returns the components over the records that share the chosen keys.
func (c *computing) marginal(keys []Key, chosen func(int) bool) parts {
	return c.marg[mask(keys, chosen)]
}

// cut ranks the values of each cut dimension over all records, maps the rest to Others
// or drops it, and merges every total. Largest first; those without a value last; ties
// by label in byte order, then by key.
func (c *computing) cut() {
	columns := c.p.Columns
	kept := make([]map[string]bool, c.count)
	for i, d := range c.p.Dims {
		if d.Largest == 0 {
			continue
		}
		ranked := c.rank(i)
		kept[i] = map[string]bool{}
		for n, k := range ranked {
			if n < d.Largest {
				kept[i][k.same()] = true
			}
		}
	}
	merged := make(map[string]int, len(c.cells))
	cells := make([]fine, 0, len(c.cells))
	for _, f := range c.cells {
		for i, k := range f.keys {
			if kept[i] != nil && k.Kind == One && !kept[i][k.same()] {
				f.keys[i] = Key{Kind: Others, Begun: true}.named()
			}
		}
		name := mask(f.keys, func(int) bool { return true })
		at, ok := merged[name]
		if !ok {
			at = len(cells)
			merged[name] = at
			cells = append(cells, fine{keys: f.keys})
		}
		cells[at].parts = cells[at].parts.merge(f.parts, columns)
	}
	c.cells = cells
	for subset := 0; subset < 1<<c.count; subset++ {
		for _, f := range cells {
			name := mask(f.keys, func(i int) bool { return subset&(1<<i) != 0 })
			if subset == 1<<c.count-1 {
				c.marg[name] = f.parts
				continue
			}
			c.marg[name] = c.marg[name].merge(f.parts, columns)
		}
	}
}

// rank orders the single values of a dimension by the ranking measure.
func (c *computing) rank(dim int) []Key {
	total := map[string]parts{}
	var keys []Key
	for _, f := range c.cells {
		k := f.keys[dim]
		if k.Kind != One {
			continue
		}
		if total[k.same()] == nil {
			keys = append(keys, k)
		}
		total[k.same()] = total[k.same()].merge(f.parts, c.p.Columns)
	}
	value := func(k Key) field.Value {
		return total[k.same()].values(&c.p.Measuring)[c.p.Rank]
	}
	values := map[string]field.Value{}
	for _, k := range keys {
		values[k.same()] = value(k)
	}
	sort.Slice(keys, func(i, j int) bool { return larger(values, keys[i], keys[j]) })
	return keys
}

// larger orders two keys by their values, largest first, those without one last.
func larger(values map[string]field.Value, a, b Key) bool {
	x, y := values[a.same()], values[b.same()]
	switch {
	case x.IsEmpty() != y.IsEmpty():
		return y.IsEmpty()
	case field.Compare(x, y) != 0:
		return field.Compare(x, y) > 0
	case text(a) != text(b):
		return text(a) < text(b)
	}
	return field.Compare(a.Value, b.Value) < 0
}

func text(k Key) string {
	if k.Label != "" {
		return k.Label
	}
	return k.Value.Exact()
}
