package dataset

import (
	"fmt"
	"maps"
	"regexp"
	"strings"
	"time"

	"github.com/cockroachdb/apd/v3"

	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/formula"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/statement"
)

// A Field is a field whose column is known.
type Field struct {
	FieldDocument
	Type     field.Type
	Zoned    bool
	NotNull  bool
	Distinct float64 // estimated number of values; 0 when unknown

	path    []step    // the links to follow to the table that holds column
	column  *Column   // what is compared and computed with; for a link, the first of its columns
	columns []*Column // of a link: all of its columns
	target  *step     // for a link: the linked table
	show    *Column   // for a link: its display column
	formula *formula.Expr
	linked  *linked
	of      *Field // of groups and bins
	place   [2]*Column
	own     *OwnField // where a chart added it
}

// step follows one link to the table that it leads to.
type step struct {
	link  *Link
	table *Table
}

// on is the SQL that joins the step's table, as to, to what it is reached from.
func (s step) on(to, from string) string {
	var parts []string
	for i, name := range s.link.To {
		parts = append(parts, to+"."+statement.Name(name)+" "+s.table.Column(name).equals()+" "+from+"."+statement.Name(s.link.Columns[i]))
	}
	return strings.Join(parts, " and ")
}

// linked is what a field takes of the records that point to this one.
type linked struct {
	table     *Table
	by        *Link  // their link
	owner     *Table // of the record that they point to, behind the field's path
	catalogue Catalogue
	value     *formula.Expr // what is taken, where that is no column
	when      *formula.Expr // nil for all
}

// IsLink tells whether the field is a linked record.
func (f *Field) IsLink() bool { return f.target != nil }

// Links is the id of the table that a link leads to; "" for other fields.
func (f *Field) Links() string {
	if f.target == nil {
		return ""
	}
	return f.target.table.ID()
}

// IsBin tells whether the field's values are spans of numbers.
func (f *Field) IsBin() bool { return f.Bins != nil }

// IsQuantity tells whether the field holds numbers as such, neither keys of a link nor spans.
func (f *Field) IsQuantity() bool { return f.Type.Numeric() && !f.IsLink() && !f.IsBin() }

// Lists tells whether the field is a column whose value may be a list.
func (f *Field) Lists() bool {
	return f.target == nil && f.column != nil && f.linked == nil && f.ReadAs == nil && (f.column.JSON || f.column.Array && len(f.Inside) == 0)
}

// Repairable tells whether the field is a text of a table, or within JSON, that may be
// read as something else.
func (f *Field) Repairable() bool {
	return f.target == nil && f.column != nil && f.linked == nil && !f.Several && (f.ReadAs != nil || f.Type == field.Text)
}

// Repaired tells whether what cannot be read of the field is left out of its values: a
// repaired text, or a NaN or an infinity among binary numbers.
func (f *Field) Repaired() bool {
	return f.ReadAs != nil || f.column != nil && f.column.Float && f.target == nil
}

// plain tells whether the field is a column as it is.
func (f *Field) plain() bool {
	return f.target == nil && f.column != nil && f.formula == nil && f.linked == nil && f.ReadAs == nil && len(f.Inside) == 0 && !f.Several
}

// fallible tells whether a value of the field may be one that cannot be read: a repaired
// text, a NaN, an infinity, a date beyond all years.
func (f *Field) fallible() bool {
	return f.Repaired() || f.plain() && f.column.readable("r") != ""
}

// Unplaceable tells whether a value of the field may be one that no group holds: a number or
// a date that cannot be read, or a number in no bin.
func (f *Field) Unplaceable() bool {
	return f.Bins != nil || f.plain() && f.column.readable("r") != "" || f.Repaired() && (f.Type.Numeric() || f.Type.Temporal())
}

// Planned tells whether the field holds a plan, whose future counts like any other time.
func (f *Field) Planned() bool { return f.Time == Planned }

// A Dataset is a document resolved against the tables of its source.
type Dataset struct {
	Document
	Table     *Table
	Zone      *time.Location // nil for the workspace's
	Manner    *locale.Manner // how its values are written
	fields    map[string]*Field
	order     []*Field
	measures  map[string]*Measure
	settings  map[string]*SettingDocument
	catalogue Catalogue
	tables    []string        // see Tables
	ruling    map[string]bool // of these, the ones that rules look at
	all       *Dataset        // with every field, where this is what a viewer knows of it
	viewed    []string        // see Viewed
	own       []OwnField      // that a chart added
	bare      *Dataset        // without them; nil where there are none
	guard     *Guard          // where this is what a viewer knows of it
	// restricted is set where some records are kept from whoever knows the dataset like this.
	restricted bool
}

// A Measure is a measure of the dataset whose formula has been checked.
type Measure struct {
	MeasureDocument
	Expr *formula.Expr
}

// Fields returns the fields in the document's order, without hidden ones.
func (d *Dataset) Visible() []*Field {
	var out []*Field
	for _, f := range d.order {
		if !f.Hidden {
			out = append(out, f)
		}
	}
	return out
}

// Field finds a field by name; nearest names are offered when there is none.
func (d *Dataset) Field(name string) (*Field, error) {
	if f := d.fields[name]; f != nil {
		return f, nil
	}
	return nil, problem.New(problem.NotFound, "field", "%s has no field “%s”.", d.Title, d.Called(name))
}

// Order returns all fields, hidden ones among them.
func (d *Dataset) Order() []*Field { return d.order }

// Catalogue returns the tables of the dataset's source.
func (d *Dataset) Catalogue() Catalogue { return d.catalogue }

// Linked finds a table of the dataset's source by its id.
func (d *Dataset) Linked(id string) *Table { return d.catalogue.Table(id) }

// Target is the table that a field links to as a dataset of one field, its display field.
func (d *Dataset) Target(f *Field) (*Dataset, error) {
	t := f.target.table
	doc := &Document{Version: Version, Name: "target", Title: t.Name, Record: [2]string{"record", "records"}, Source: d.Source, From: From{Table: t.ID()}, Key: t.Key(),
		Fields: []FieldDocument{{Name: "shown", Column: f.show.Name}}}
	return Resolve(doc, d.catalogue, nil)
}

// Foreign returns the table that a plain field's column links to: an id that could be
// shown as a linked record; nil for other fields.
func (d *Dataset) Foreign(f *Field) *Table {
	if f.target != nil || f.column == nil || len(f.path) > 0 || f.Column == "" {
		return nil
	}
	if l := d.Table.link(f.Column); l != nil {
		return d.catalogue.Table(l.Table)
	}
	return nil
}

// Find is Field for those who know that the field exists; nil when it does not.
func (d *Dataset) Find(name string) *Field { return d.fields[name] }

// Displays returns the columns that may stand for a linked record.
func (f *Field) Displays() (out []string) {
	for _, c := range f.target.table.Columns {
		out = append(out, c.Name)
	}
	return out
}

var placeholder = regexp.MustCompile(`\{([^}]*)\}`)

// LinkColumns returns the columns that the address of a record is made of.
func (d *Dataset) LinkColumns() []string {
	var out []string
	for _, m := range placeholder.FindAllStringSubmatch(d.OpenRecord, -1) {
		out = append(out, m[1])
	}
	return out
}

// CheckAddress tells in words what is wrong with the address of records: it is a path of the
// host app, whatever its records hold.
func CheckAddress(pattern string) error {
	odd := func(r rune) bool { return r <= ' ' || r == '\\' || r == 0x7f }
	if pattern != "" && (!strings.HasPrefix(pattern, "/") || strings.HasPrefix(pattern, "//") || strings.ContainsFunc(pattern, odd)) {
		return problem.New(problem.Invalid, "open_record", "The address of a record is a path of the host app such as /jobs/{id}.")
	}
	return nil
}

// Address fills a record's values into open_record; none when a value is missing. A value
// is one part of the path, whatever signs it holds.
func (d *Dataset) Address(values []string) string {
	i, whole := -1, true
	out := placeholder.ReplaceAllStringFunc(d.OpenRecord, func(string) string {
		i++
		whole = whole && values[i] != "" && values[i] != "." && values[i] != ".."
		return Escape(values[i])
	})
	if !whole {
		return ""
	}
	return out
}

// Escape writes a text as a part of a path (RFC 3986, 2.3).
func Escape(s string) string {
	var b strings.Builder
	for i := range len(s) {
		c := s[i]
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || strings.IndexByte("-._~", c) >= 0 {
			b.WriteByte(c)
		} else {
			fmt.Fprintf(&b, "%%%02X", c)
		}
	}
	return b.String()
}

// Bin returns the borders of the bin whose lower border is low; ok is false for fields
// that are not bins.
func (f *Field) Bin(low field.Value) (from, to field.Value, ok bool) {
	if f.Bins == nil || low.Decimal() == nil {
		return low, low, false
	}
	width, _ := field.Parse(field.Number, f.Bins.Width)
	var high apd.Decimal
	_, _ = apd.BaseContext.Add(&high, low.Decimal(), width.Decimal())
	return low, field.OfDecimal(&high), true
}

// Words says a condition with the fields' labels.
func (d *Dataset) Words(c filter.Condition) string { return c.Words(d.Manner, d.Label, nil) }

// Label returns the label of a field or setting for sentences, or, after a question mark,
// of a condition kept by name, or after an equals sign of a measure; the name when there is none.
func (d *Dataset) Label(name string) string {
	if f := d.fields[name]; f != nil {
		return f.Label
	}
	if s := d.settings[name]; s != nil {
		return s.Label
	}
	if kept, ok := strings.CutPrefix(name, "="); ok && d.measures[kept] != nil {
		return d.measures[kept].Label
	}
	if kept, ok := strings.CutPrefix(name, "?"); ok {
		for _, c := range d.Conditions {
			if c.Name == kept {
				return c.Title
			}
		}
		return kept
	}
	return name
}

// Measure finds a measure of the dataset by name.
func (d *Dataset) Measure(name string) (*Measure, error) {
	if m := d.measures[name]; m != nil {
		seen := true
		for _, f := range m.Expr.Uses() {
			seen = seen && (d.fields[f] != nil || d.settings[f] != nil)
		}
		if seen {
			return m, nil
		}
	}
	return nil, problem.New(problem.NotFound, "measure", "%s has no measure “%s”.", d.Title, name)
}

// Formula checks a formula over the dataset's fields and settings.
func (d *Dataset) Formula(text string) (*formula.Expr, error) { return formula.Parse(text, names{d}) }

// stands visits names, and all that the fields among them stand on, each once.
func (d *Dataset) stands(names []string, visit func(name string, f *Field)) {
	seen := map[string]bool{}
	var look func(name string)
	look = func(name string) {
		if seen[name] {
			return
		}
		seen[name] = true
		f := d.fields[name]
		visit(name, f)
		if f == nil {
			return
		}
		if f.of != nil {
			look(f.of.Name)
		}
		if f.formula != nil {
			for _, n := range f.formula.Uses() {
				look(n)
			}
		}
	}
	for _, n := range names {
		look(n)
	}
}

// SettingsOf returns the settings among names, and those that the fields among them stand
// on, in the document's order.
func (d *Dataset) SettingsOf(names []string) (out []string) {
	found := map[string]bool{}
	d.stands(names, func(name string, _ *Field) { found[name] = true })
	for _, s := range d.Settings {
		if found[s.Name] {
			out = append(out, s.Name)
		}
	}
	return out
}

// Fallible returns the fields among names, and those that they stand on, of which a value
// may be one that cannot be read.
func (d *Dataset) Fallible(names []string) (out []*Field) {
	d.stands(names, func(_ string, f *Field) {
		if f != nil && f.fallible() {
			out = append(out, f)
		}
	})
	return out
}

// Setting returns a setting, nil when there is none.
func (d *Dataset) Setting(name string) *SettingDocument { return d.settings[name] }

// CheckSettings tells in words which setting that a condition names is none.
func (d *Dataset) CheckSettings(c filter.Condition) error {
	for _, name := range c.Settings() {
		if d.settings[name] == nil {
			return problem.New(problem.NotFound, "setting", "%s has no setting “%s”.", d.Title, name)
		}
	}
	return nil
}

// CheckSetting tells in words what is wrong with the value that a viewer gives a setting.
func (d *Dataset) CheckSetting(name, value string) error {
	s := d.settings[name]
	if s == nil {
		return nil // of another dataset of the dashboard
	}
	if v, err := formula.Read(s.Type, value); err != nil || v.IsEmpty() {
		return problem.New(problem.Invalid, "settings."+name, "“%s” is not %s, which “%s” takes.", value, s.Type.Words(), s.Label)
	}
	return nil
}

// AsKept returns the dataset with one more field at its beginning: the text that a field
// is read from, as it is kept; the dataset itself where the field is not read from text.
func (d *Dataset) AsKept(name string) *Dataset {
	f := d.fields[name]
	if f == nil || f.ReadAs == nil {
		return d
	}
	kept := *f
	kept.Name, kept.Label, kept.ReadAs, kept.Type, kept.Unit, kept.Format = name+"-as-kept", f.Label+", as kept", nil, field.Text, "", ""
	out := *d
	out.all = nil
	out.order = append([]*Field{&kept}, d.order...)
	out.fields = maps.Clone(d.fields)
	out.fields[kept.Name] = &kept
	if d.all != nil {
		out.all = d.all.AsKept(name)
	}
	return &out
}

// Context tells what the names in conditions on the dataset stand for.
func (d *Dataset) Context(viewer filter.Attributes, settings map[string]string) filter.Context {
	set := map[string]string{}
	for name, s := range d.settings {
		if set[name] = settings[name]; set[name] == "" {
			set[name] = s.Default
		}
	}
	return filter.Context{Viewer: viewer, Settings: set, Named: func(name string) (filter.Condition, bool) {
		for _, c := range d.Conditions {
			if c.Name == name {
				return c.Where, true
			}
		}
		return filter.Condition{}, false
	}}
}

// Tables returns the ids of all tables of the database that the dataset reads, for
// anybody: those of its fields and those that row rules look at.
func (d *Dataset) Tables() []string { return d.tables }

// Ruling tells whether row rules look at a table's records, whoever may see them.
func (d *Dataset) Ruling(id string) bool { return d.ruling[id] || len(d.RowRules) > 0 }

// read finds what Tables returns.
func (d *Dataset) read() []string {
	seen := map[string]bool{}
	d.ruling = map[string]bool{}
	var out []string
	var add func(t *Table)
	add = func(t *Table) {
		for _, base := range t.Bases() {
			if seen[base.ID()] {
				continue
			}
			seen[base.ID()] = true
			out = append(out, base.ID())
			if base.Rules == nil {
				continue
			}
			for _, r := range base.Rules.RowRules {
				for _, name := range r.Where.Fields() {
					_, _ = walkColumn(base, d.catalogue, name, func(s step) {
						d.ruling[s.table.ID()] = true
						add(s.table)
					})
				}
			}
		}
	}
	add(d.Table)
	for _, f := range d.order {
		d.needs(f, func(t *Table, _ string) { add(t) })
	}
	return out
}

// Heard returns the ids of the tables whose changes change what the dataset holds: those
// that it reads, and those that views among them read.
func (d *Dataset) Heard() (out []string) {
	seen := map[string]bool{}
	for _, id := range d.Tables() {
		of := []string{id}
		if t := d.catalogue.Table(id); t != nil {
			of = t.heard()
		}
		for _, h := range of {
			if !seen[h] {
				seen[h] = true
				out = append(out, h)
			}
		}
	}
	return out
}

// Restricted tells whether some records are kept from whoever knows the dataset like this:
// nothing that they are told or offered then comes from statistics over all records.
func (d *Dataset) Restricted() bool { return d.restricted }

// Many tells whether a field has more values than a chart shows well, as far as that may be
// known: of what is kept from a viewer it is taken for granted.
func (d *Dataset) Many(f *Field, most float64) bool {
	if f.Type.Temporal() || f.Type == field.Boolean {
		return false
	}
	if d.restricted {
		return float64(len(f.List)) > most || len(f.List) == 0
	}
	return f.Distinct > most
}

// Live tells whether every change of what the dataset reads is announced.
func (d *Dataset) Live() bool {
	for _, id := range d.Tables() {
		if t := d.catalogue.Table(id); t == nil || !t.Watched {
			return false
		}
	}
	return true
}

// Ruleless returns the first table the dataset reads for which no row rule says who may
// see its records; nil when there is none.
func (d *Dataset) Ruleless() *Table {
	for _, id := range d.Tables() {
		if t := d.catalogue.Table(id); t == nil || t.Rules == nil || len(t.Rules.RowRules) == 0 {
			return t
		}
	}
	return nil
}

// Rules returns the rules of every table the dataset reads.
func (d *Dataset) Rules() map[string]*TableRules {
	out := map[string]*TableRules{}
	for _, id := range d.Tables() {
		if t := d.catalogue.Table(id); t != nil {
			out[id] = t.Rules
		}
	}
	return out
}

// needs tells every column that a field stands on, with those of the links to it.
func (d *Dataset) needs(f *Field, visit func(t *Table, column string)) {
	t := d.Table
	for _, s := range f.path {
		for _, name := range s.link.Columns {
			visit(t, name)
		}
		t = s.table
	}
	if f.column != nil {
		visit(t, f.column.Name)
	}
	for _, c := range f.columns {
		visit(t, c.Name)
	}
	if f.show != nil {
		visit(f.target.table, f.show.Name)
	}
	for _, c := range f.place {
		if c != nil {
			visit(t, c.Name)
		}
	}
	others := d.everything().fields
	if f.of != nil {
		d.needs(f.of, visit)
	}
	if f.formula != nil {
		for _, name := range f.formula.Uses() {
			if g := others[name]; g != nil {
				d.needs(g, visit)
			}
		}
	}
	if f.linked == nil {
		return
	}
	l, child := f.Linked, f.linked.table
	for _, column := range append([]string{l.Column, l.Order}, f.linked.by.Columns...) {
		if column != "" {
			visit(child, column)
		}
	}
	names := append(formula.Uses(l.Formula), formula.Uses(l.When)...)
	if l.Where != nil {
		names = append(names, l.Where.Fields()...)
	}
	for _, name := range names {
		last := child
		c, _ := walkColumn(child, f.linked.catalogue, name, func(s step) {
			for _, name := range s.link.Columns {
				visit(last, name)
			}
			last = s.table
		})
		if c != nil {
			visit(last, c.Name)
		}
	}
}
