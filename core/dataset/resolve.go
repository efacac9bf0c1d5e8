package dataset

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"eskadel/core/field"
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
	ds := &Dataset{Document: *d, Table: t, fields: map[string]*Field{}, measures: map[string]*Measure{}, settings: map[string]*SettingDocument{}, catalogue: c}
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
	made := map[*Field]int{}
	for i, f := range ds.order {
		if err := ds.complete(f, made); err != nil {
			return nil, problem.At(fmt.Sprintf("fields[%d]", i), err)
		}
	}
	if d.Date != "" {
		if f := ds.fields[d.Date]; f == nil || !f.Type.Temporal() {
			return nil, problem.New(problem.Invalid, "date", "“%s” is not a date field of this dataset.", d.Date)
		}
	}
	for _, name := range ds.LinkColumns() {
		if t.Column(name) == nil {
			return nil, problem.New(problem.Invalid, "open_record", "There is no column “%s” in %s.", name, t.Name)
		}
	}
	if err := ds.resolveMeasures(); err != nil {
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
func (d *Dataset) Unsure() bool { return d.Table.Kind != "table" && !d.Table.unique(d.Key...) }

func (d *Dataset) checkKey() error {
	t := d.Table
	for _, k := range d.Key {
		if t.Column(k) == nil {
			return problem.New(problem.NotFound, "key", "%s has no column “%s”.", t.Name, k)
		}
	}
	if len(d.Key) == 0 || t.Kind == "table" && !t.unique(d.Key...) {
		return problem.New(problem.Invalid, "key", "The key (%s) does not identify one record of %s: choose the columns of a primary or unique key.", strings.Join(d.Key, ", "), t.Name)
	}
	return nil
}

// Records finds or makes the table that the records come from; query is what the source
// made of a query of the builder's own, nil for the others.
func (f From) Records(c Catalogue, query *Table) (*Table, error) {
	ways := 0
	for _, used := range []bool{f.Table != "", f.Select != "", f.Unnest != nil, f.Wide != nil} {
		if used {
			ways++
		}
	}
	if ways != 1 {
		return nil, problem.New(problem.Invalid, "", "Records come from one of: table, select, unnest, wide.")
	}
	switch {
	case f.Select != "":
		if query == nil {
			return nil, problem.New(problem.Invalid, "select", "The query has not been checked.")
		}
		return query, nil
	case f.Unnest != nil:
		t, err := f.Unnest.table(c)
		return t, problem.At("unnest", err)
	case f.Wide != nil:
		t, err := f.Wide.table(c)
		return t, problem.At("wide", err)
	}
	return find(c, f.Table)
}

func find(c Catalogue, name string) (*Table, error) {
	if t := c.Table(name); t != nil {
		return t, nil
	}
	return nil, problem.New(problem.NotFound, "table", "The source has no table “%s” that may be read.", name)
}

// Relation is the name that the n-th table of a query goes by.
func Relation(n int) string { return fmt.Sprintf("eskadel_%d", n+1) }

func (u *Unnest) table(c Catalogue) (*Table, error) {
	t, err := find(c, u.Table)
	if err != nil {
		return nil, err
	}
	col := t.Column(u.Column)
	if col == nil || !col.JSON && !col.Array {
		return nil, problem.New(problem.Invalid, "column", "%s has no column “%s” that holds JSON or a list.", t.Name, u.Column)
	}
	if len(t.Unique) == 0 {
		return nil, problem.New(problem.Invalid, "table", "%s has no key, so its elements could not be told apart.", t.Name)
	}
	var columns []Column
	var selected []string
	links := []Link{}
	for _, k := range t.Unique[0] {
		key := *t.Column(k)
		key.Name = t.Name + "_" + k
		columns = append(columns, key)
		selected = append(selected, "t."+statement.Name(k)+" as "+statement.Name(key.Name))
		if len(t.Unique[0]) == 1 {
			links = append(links, Link{Column: key.Name, Table: t.ID(), To: k, Verified: true})
		}
	}
	value := Column{Name: "value", SQLType: strings.TrimSuffix(col.SQLType, "[]")}
	value.Type, value.Native = ColumnType(value.SQLType)
	value.Zoned = value.SQLType == "timestamp with time zone"
	list := "unnest(t." + statement.Name(u.Column) + ")"
	columns = append(columns, Column{Name: "position", SQLType: "bigint", Type: field.Integer, Native: true, NotNull: true})
	selected = append(selected, "e.position", "e.value")
	if col.JSON {
		inside := "t." + statement.Name(u.Column) + "::jsonb #> " + textArray(u.Inside)
		list = "jsonb_array_elements(case when jsonb_typeof(" + inside + ") = 'array' then " + inside + " end)"
		value = Column{Name: "value", SQLType: "jsonb", Type: field.Text, JSON: true}
		columns = append(columns, Column{Name: "text", SQLType: "text", Type: field.Text, Native: true})
		selected = append(selected, "e.value #>> '{}' as text")
	} else if len(u.Inside) > 0 {
		return nil, problem.New(problem.Invalid, "inside", "There is nothing inside the elements of %s.", u.Column)
	}
	columns = append(columns, value)
	d := &Derived{Names: []string{Relation(0)}, Reads: []*Table{t}, Mentions: map[string]bool{u.Column: true},
		SQL: "select " + strings.Join(selected, ", ") + " from " + Relation(0) + " t cross join lateral " + list + " with ordinality e(value, position)"}
	for _, k := range t.Unique[0] {
		d.Mentions[k] = true
	}
	out := Derive(t.Name+" "+u.Column, d, columns)
	out.Links = links
	out.Unique = [][]string{{}}
	for _, k := range t.Unique[0] {
		out.Unique[0] = append(out.Unique[0], t.Name+"_"+k)
	}
	out.Unique[0] = append(out.Unique[0], "position")
	return out, nil
}

// textArray writes keys as a constant array; each is quoted.
func textArray(keys []string) string {
	var out []string
	for _, k := range keys {
		out = append(out, "'"+strings.ReplaceAll(k, "'", "''")+"'")
	}
	return "array[" + strings.Join(out, ", ") + "]::text[]"
}

func (w *Wide) table(c Catalogue) (*Table, error) {
	t, err := find(c, w.Table)
	if err != nil {
		return nil, err
	}
	if CheckName(w.Name) != nil || CheckName(w.Value) != nil || w.Name == w.Value {
		return nil, problem.New(problem.Invalid, "name", "Give the two new columns names of small letters: one for which column it was, one for its value.")
	}
	if len(w.Columns) < 2 {
		return nil, problem.New(problem.Invalid, "columns", "Name at least two columns that become records.")
	}
	var columns []Column
	var selected, values []string
	var value *Column
	for _, name := range w.Columns {
		col := t.Column(name)
		if col == nil {
			return nil, problem.New(problem.NotFound, "columns", "%s has no column “%s”.", t.Name, name)
		}
		if value == nil {
			copied := *col
			value = &copied
		}
		if col.Type != value.Type {
			if !col.Type.Numeric() || !value.Type.Numeric() {
				return nil, problem.New(problem.Invalid, "columns", "“%s” holds a %s and “%s” a %s: columns that become records hold the same.", name, col.Type, value.Name, value.Type)
			}
			value.Type = field.Number
		}
		sql := col.sql("t")
		if col.Type.Numeric() {
			sql += "::numeric"
		}
		values = append(values, "('"+strings.ReplaceAll(name, "'", "''")+"', "+sql+")")
	}
	value.Name, value.NotNull, value.Native, value.Float = w.Value, false, true, false
	for _, col := range t.Columns {
		if slices.Contains(w.Columns, col.Name) {
			continue
		}
		if col.Name == w.Name || col.Name == w.Value {
			return nil, problem.New(problem.Invalid, "name", "%s has a column “%s” already.", t.Name, col.Name)
		}
		columns = append(columns, col)
		selected = append(selected, "t."+statement.Name(col.Name))
	}
	columns = append(columns, Column{Name: w.Name, SQLType: "text", Type: field.Text, Native: true, NotNull: true, List: w.Columns}, *value)
	out := Derive(t.Name, &Derived{Names: []string{Relation(0)}, Reads: []*Table{t},
		SQL: "select " + strings.Join(append(selected, "e."+statement.Name(w.Name), "e."+statement.Name(w.Value)), ", ") + " from " + Relation(0) + " t cross join lateral (values " + strings.Join(values, ", ") + ") e(" + statement.Name(w.Name) + ", " + statement.Name(w.Value) + ")"}, columns)
	for _, l := range t.Links {
		if out.Column(l.Column) != nil {
			out.Links = append(out.Links, l)
		}
	}
	for _, u := range t.Unique {
		out.Unique = append(out.Unique, append(append([]string{}, u...), w.Name))
	}
	return out, nil
}

func withLinks(t *Table, links []LinkDocument, c Catalogue) (*Table, error) {
	out := *t
	out.Links = append([]Link{}, t.Links...)
	for i, l := range links {
		to := c.Table(l.Table)
		place := fmt.Sprintf("links[%d]", i)
		switch {
		case to == nil:
			return nil, problem.New(problem.NotFound, place+".table", "The source has no table “%s” that may be read.", l.Table)
		case t.Column(l.Column) == nil:
			return nil, problem.New(problem.NotFound, place+".column", "%s has no column “%s”.", t.Name, l.Column)
		case !to.unique(l.To):
			return nil, problem.New(problem.Invalid, place+".to", "%s.%s does not identify one record, so following the link would multiply records.", to.Name, l.To)
		case to.Column(l.To).Type != t.Column(l.Column).Type:
			return nil, problem.New(problem.Invalid, place+".to", "%s.%s holds a %s, %s.%s a %s.", t.Name, l.Column, t.Column(l.Column).Type, to.Name, l.To, to.Column(l.To).Type)
		}
		out.Links = append(out.Links, Link{Column: l.Column, Table: to.ID(), To: l.To})
	}
	return &out, nil
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
			return problem.New(problem.Invalid, place+".default", "The setting “%s” needs a default of type %s.", s.Label, s.Type)
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

// follow resolves links from a table: the steps to the last table. With last set the
// last link itself is returned apart.
func follow(t *Table, c Catalogue, links []string, last bool) (path []step, target *step, end *Table, err error) {
	for i, from := range links {
		l := t.link(from)
		if l == nil {
			return nil, nil, nil, problem.New(problem.Invalid, "link", "%s.%s is not a link to another table.", t.Name, from)
		}
		next := c.Table(l.Table)
		if next == nil {
			return nil, nil, nil, problem.New(problem.NotFound, "link", "The table %s that %s.%s points to may not be read.", l.Table, t.Name, from)
		}
		if !next.unique(l.To) {
			return nil, nil, nil, problem.New(problem.Invalid, "link", "%s.%s does not identify one record, so following the link would multiply records.", next.Name, l.To)
		}
		s := step{from: from, table: next, to: l.To, verified: l.Verified}
		if last && i == len(links)-1 {
			return path, &s, next, nil
		}
		path = append(path, s)
		t = next
	}
	return path, nil, t, nil
}

func (d *Dataset) resolveField(doc *FieldDocument) (*Field, error) {
	f := &Field{FieldDocument: *doc}
	if err := CheckName(doc.Name); err != nil {
		return nil, err
	}
	if f.Label == "" {
		f.Label = Tidy(doc.Name)
	}
	for value, colour := range doc.Colours {
		if !colourForm.MatchString(colour) {
			return nil, problem.New(problem.Invalid, "colours", "The colour of “%s” is written like #1D3557.", value)
		}
	}
	ways := 0
	for _, used := range []bool{doc.Formula != "", doc.Linked != nil, doc.Groups != nil, doc.Bins != nil, len(doc.Position) > 0, doc.Column != "" || len(doc.Link) > 0} {
		if used {
			ways++
		}
	}
	if ways != 1 {
		return nil, problem.New(problem.Invalid, "column", "A field is one of: a column or a link, a formula, linked, groups, bins, a position.")
	}
	var err error
	switch {
	case doc.Linked != nil:
		err = problem.At("linked", d.resolveLinked(f))
	case len(doc.Position) > 0:
		err = problem.At("position", d.resolvePosition(f))
	case doc.Column != "" || len(doc.Link) > 0:
		err = d.resolveColumn(f)
	}
	if err != nil {
		return nil, err
	}
	return f, nil
}

func (d *Dataset) resolveColumn(f *Field) (err error) {
	var t *Table
	if f.path, f.target, t, err = follow(d.Table, d.catalogue, f.Link, f.Column == ""); err != nil {
		return err
	}
	if f.target != nil {
		show := f.Show
		if show == "" {
			show = t.DisplayColumn()
		}
		if f.show = t.Column(show); f.show == nil {
			return problem.New(problem.NotFound, "show", "%s has no column “%s”.", t.Name, show)
		}
		f.Type = field.Text
		owner := d.Table
		if n := len(f.path); n > 0 {
			owner = f.path[n-1].table
		}
		f.column = owner.Column(f.target.from)
	} else {
		if f.column = t.Column(f.Column); f.column == nil {
			return problem.New(problem.NotFound, "column", "%s has no column “%s”.", t.Name, f.Column)
		}
		f.Type = f.column.Type
	}
	f.Zoned, f.Distinct = f.column.Zoned, f.column.Distinct
	// What foreign keys that are never empty lead to is there.
	f.NotNull = f.column.NotNull
	owner := d.Table
	for _, s := range f.path {
		f.NotNull = f.NotNull && owner.Column(s.from).NotNull && s.verified
		owner = s.table
	}
	if len(f.List) == 0 && f.target == nil {
		f.List = f.column.List
	}
	if len(f.Inside) > 0 {
		if !f.column.JSON {
			return problem.New(problem.Invalid, "inside", "%s does not hold JSON.", f.Column)
		}
		f.Type, f.NotNull, f.Distinct = field.Text, false, 0
	}
	if f.ReadAs != nil {
		if f.Type != field.Text || f.target != nil {
			return problem.New(problem.Invalid, "read_as", "%s holds a %s; only text is read as something else.", f.Column, f.Type)
		}
		f.Type, f.Zoned, f.NotNull, f.Distinct = f.ReadAs.Type, f.ReadAs.Zoned, false, 0
	}
	return nil
}

func (d *Dataset) resolvePosition(f *Field) error {
	if len(f.Position) != 2 {
		return problem.New(problem.Invalid, "", "A position has two columns: latitude, then longitude.")
	}
	for i, name := range f.Position {
		col := d.Table.Column(name)
		if col == nil || !col.Type.Numeric() {
			return problem.New(problem.Invalid, "", "%s has no column “%s” of numbers.", d.Table.Name, name)
		}
		f.place[i] = col
	}
	f.Type = field.Position
	return nil
}

func (d *Dataset) resolveLinked(f *Field) error {
	l := f.Linked
	child, err := find(d.catalogue, l.Table)
	if err != nil {
		return err
	}
	by := child.link(l.By)
	if by == nil {
		return problem.New(problem.Invalid, "by", "%s.%s is not a link.", child.Name, l.By)
	}
	path, _, owner, err := follow(d.Table, d.catalogue, l.Of, false)
	if err != nil {
		return problem.At("of", err)
	}
	f.path = path
	f.linked = &linked{table: child, catalogue: d.catalogue}
	key := by.To
	if owner.ID() != by.Table {
		return problem.New(problem.Invalid, "by", "%s.%s points to %s, not to %s: name in “of” the links that lead there.", child.Name, l.By, by.Table, owner.Name)
	}
	f.linked.key = owner.Column(key)
	if !slices.Contains(Takes(), l.Take) {
		return problem.New(problem.Invalid, "take", "Of linked records one takes: %s.", strings.Join(Takes(), ", "))
	}
	column := child.Column(l.Column)
	needs := l.Take != "count" && l.Take != "any"
	if needs && column == nil {
		return problem.New(problem.NotFound, "column", "%s has no column “%s”.", child.Name, l.Column)
	}
	switch l.Take {
	case "count":
		f.Type = field.Integer
	case "any":
		f.Type = field.Boolean
	case "sum":
		if !column.Type.Numeric() {
			return problem.New(problem.Invalid, "column", "%s.%s holds a %s and cannot be added up.", child.Name, l.Column, column.Type)
		}
		f.Type = field.Number
	case "latest", "earliest":
		if o := child.Column(l.Order); o == nil || !o.Type.Temporal() && !o.Type.Numeric() {
			return problem.New(problem.Invalid, "order", "Name the column, a date or a number, that tells which record is the latest.")
		}
		f.Type, f.Zoned = column.Type, column.Zoned
	default:
		if !column.Type.Numeric() && !column.Type.Temporal() {
			return problem.New(problem.Invalid, "column", "%s.%s holds a %s, which has no size.", child.Name, l.Column, column.Type)
		}
		f.Type, f.Zoned = column.Type, column.Zoned
	}
	if l.Where != nil {
		if l.Where.Borrows() {
			return problem.New(problem.Invalid, "where", "This condition takes no setting and no condition kept by name.")
		}
		return problem.At("where", l.Where.Check(NewTableScope(child, d.catalogue, nil, checking())))
	}
	return nil
}

// complete resolves what stands on other fields: formulas, groups and bins, each after
// those it needs; a circle is named.
func (d *Dataset) complete(f *Field, made map[*Field]int) error {
	switch made[f] {
	case 1:
		return problem.New(problem.Invalid, "formula", "“%s” stands on itself, by way of the fields it uses.", f.Name)
	case 2:
		return nil
	}
	made[f] = 1
	var uses []string
	switch {
	case f.Formula != "":
		uses = formula.Uses(f.Formula)
	case f.Groups != nil:
		uses = []string{f.Groups.Of}
	case f.Bins != nil:
		uses = []string{f.Bins.Of}
	}
	for _, name := range uses {
		if g := d.fields[name]; g != nil {
			if err := d.complete(g, made); err != nil {
				return err
			}
		}
	}
	made[f] = 2
	var err error
	switch {
	case f.Formula != "":
		err = problem.At("formula", d.resolveFormula(f))
	case f.Groups != nil:
		err = problem.At("groups", d.resolveGroups(f))
	case f.Bins != nil:
		err = problem.At("bins", d.resolveBins(f))
	}
	if err == nil && f.Time != "" && (!f.Type.Temporal() || f.Time != Happened && f.Time != Planned) {
		err = problem.New(problem.Invalid, "time", "Only a date field is happened or planned.")
	}
	return err
}

func (d *Dataset) resolveFormula(f *Field) (err error) {
	if f.formula, err = d.Formula(f.Formula); err != nil {
		return err
	}
	if f.formula.Width == formula.OverGroup {
		return problem.New(problem.Invalid, "", "A field has a value for each record; a formula with sum, count or avg is a measure.")
	}
	f.Type = f.formula.Type
	return nil
}

func (d *Dataset) resolveGroups(f *Field) error {
	if f.of = d.fields[f.Groups.Of]; f.of == nil {
		return problem.New(problem.NotFound, "of", "There is no field “%s”.", f.Groups.Of)
	}
	if f.of.Type != field.Text || len(f.Groups.Groups) == 0 {
		return problem.New(problem.Invalid, "of", "Groups are made of the values of a text; %s holds a %s.", f.of.Label, f.of.Type)
	}
	seen := map[string]string{}
	if len(f.List) == 0 {
		for _, g := range f.Groups.Groups {
			f.List = append(f.List, g.Name)
		}
		if f.Groups.Rest != "" && !slices.Contains(f.List, f.Groups.Rest) {
			f.List = append(f.List, f.Groups.Rest)
		}
	}
	for _, g := range f.Groups.Groups {
		if g.Name == "" || len(g.Values) == 0 {
			return problem.New(problem.Missing, "groups", "Each group needs a name and at least one value.")
		}
		for _, v := range g.Values {
			if other, twice := seen[v]; twice {
				return problem.New(problem.Invalid, "groups", "“%s” is in two groups, %s and %s.", v, other, g.Name)
			}
			seen[v] = g.Name
		}
	}
	f.Type = field.Text
	return nil
}

func (d *Dataset) resolveBins(f *Field) error {
	if f.of = d.fields[f.Bins.Of]; f.of == nil {
		return problem.New(problem.NotFound, "of", "There is no field “%s”.", f.Bins.Of)
	}
	if !f.of.Type.Numeric() {
		return problem.New(problem.Invalid, "of", "Bins are made of numbers; %s holds a %s.", f.of.Label, f.of.Type)
	}
	width, err := field.Parse(field.Number, f.Bins.Width)
	if err != nil || width.Decimal().Sign() <= 0 {
		return problem.New(problem.Invalid, "width", "The width of a bin is a number above 0.")
	}
	if f.Bins.Start == "" {
		f.Bins.Start = "0"
	}
	if _, err := field.Parse(field.Number, f.Bins.Start); err != nil {
		return problem.New(problem.Invalid, "start", "Bins start at a number.")
	}
	if f.Bins.Count < 0 || f.Bins.Count > 1000 {
		return problem.New(problem.Invalid, "count", "There are at most 1000 bins.")
	}
	f.Type = field.Number
	return nil
}
