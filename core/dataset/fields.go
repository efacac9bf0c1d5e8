package dataset

import (
	"slices"
	"strings"

	"eskadel/core/aggregate"
	"eskadel/core/field"
	"eskadel/core/formula"
	"eskadel/core/problem"
)

// follow resolves links from a table: the steps to the last table. With last set the
// last link itself is returned apart.
func follow(t *Table, c Catalogue, links []string, last bool) (path []step, target *step, end *Table, err error) {
	for i, name := range links {
		l := t.link(name)
		if l == nil {
			return nil, nil, nil, problem.New(problem.Invalid, "link", "%s.%s is not a link to another table.", t.Name, name)
		}
		next := c.Table(l.Table)
		if next == nil {
			return nil, nil, nil, problem.New(problem.NotFound, "link", "The table %s that %s.%s points to may not be read.", l.Table, t.Name, name)
		}
		if p := leads(t, l, next); p != nil {
			return nil, nil, nil, problem.New(p.Code, "link", "%s", p.Words)
		}
		s := step{link: l, table: next}
		if last && i == len(links)-1 {
			return path, &s, next, nil
		}
		path = append(path, s)
		t = next
	}
	return path, nil, t, nil
}

// leads tells in words why a link cannot be followed: its columns must be there, and lead
// to what identifies one record.
func leads(t *Table, l *Link, to *Table) *problem.Problem {
	for i := range l.Columns {
		switch {
		case t.Column(l.Columns[i]) == nil:
			return problem.New(problem.NotFound, "column", "%s has no column “%s”.", t.Name, l.Columns[i])
		case to.Column(l.To[i]) == nil:
			return problem.New(problem.NotFound, "to", "%s has no column “%s”.", to.Name, l.To[i])
		}
	}
	if !to.unique(l.To...) {
		return problem.New(problem.Invalid, "to", "%s.%s does not identify one record, so following the link would multiply records.", to.Name, strings.Join(l.To, ", "))
	}
	return nil
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
	if doc.Usual != "" && !aggregate.Name(doc.Usual).Known() {
		return nil, problem.New(problem.Invalid, "usual", "“%s” is nothing that is computed of values, such as sum or average.", doc.Usual)
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
	if err == nil {
		err = d.checkOffers(f)
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
		for _, name := range f.target.link.Columns {
			f.columns = append(f.columns, owner.Column(name))
		}
		f.column = f.columns[0]
	} else {
		if f.column = t.Column(f.Column); f.column == nil {
			return problem.New(problem.NotFound, "column", "%s has no column “%s”.", t.Name, f.Column)
		}
		f.Type = f.column.Type
	}
	f.Zoned, f.Distinct = f.column.Zoned, f.column.Distinct
	// What foreign keys that are never empty lead to is there.
	f.NotNull = f.column.NotNull
	for _, c := range f.columns {
		f.NotNull = f.NotNull && c.NotNull
		f.Zoned = f.Zoned && len(f.columns) == 1
		f.Distinct = max(f.Distinct, c.Distinct)
	}
	owner := d.Table
	for _, s := range f.path {
		for _, name := range s.link.Columns {
			f.NotNull = f.NotNull && owner.Column(name).NotNull && s.link.Verified
		}
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
	if f.Several {
		if f.target != nil || !f.column.JSON && !f.column.Array || f.column.Array && len(f.Inside) > 0 || f.ReadAs != nil {
			return problem.New(problem.Invalid, "several", "Several values are those of a list: a column of lists, or a list in JSON.")
		}
		f.NotNull, f.Distinct = false, 0
	}
	if f.ReadAs != nil {
		if f.Type != field.Text || f.target != nil {
			return problem.New(problem.Invalid, "read_as", "%s holds %s; only text is read as something else.", f.Column, f.Type.Words())
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

// perRecord reads a formula over the columns of a table.
func perRecord(text string, t *Table, c Catalogue) (*formula.Expr, error) {
	e, err := formula.Parse(text, columnNames{t, c})
	if err == nil && e.Width == formula.OverGroup {
		err = problem.New(problem.Invalid, "", "Of linked records a formula has a value for each; what is taken of them all is said by “take”.")
	}
	return e, err
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
	f.linked = &linked{table: child, by: by, owner: owner, catalogue: d.catalogue}
	if owner.ID() != by.Table {
		return problem.New(problem.Invalid, "by", "%s.%s points to %s, not to %s: name in “of” the links that lead there.", child.Name, l.By, by.Table, owner.Name)
	}
	if p := leads(child, by, owner); p != nil {
		return problem.New(p.Code, "by", "%s", p.Words)
	}
	if !slices.Contains(Takes(), l.Take) {
		return problem.New(problem.Invalid, "take", "Of linked records one takes: %s.", strings.Join(Takes(), ", "))
	}
	var taken Column // what is taken, as far as its type goes
	what := child.Name + "." + l.Column
	switch column := child.Column(l.Column); {
	case l.Take == "count" || l.Take == "any":
	case l.Formula != "" && l.Column != "":
		return problem.New(problem.Invalid, "formula", "Take a column or a formula, not both.")
	case l.Formula != "":
		if f.linked.value, err = perRecord(l.Formula, child, d.catalogue); err != nil {
			return problem.At("formula", err)
		}
		taken.Type, what = f.linked.value.Type, "This formula"
	case column == nil:
		return problem.New(problem.NotFound, "column", "%s has no column “%s”.", child.Name, l.Column)
	default:
		taken = *column
	}
	if l.When != "" {
		if f.linked.when, err = perRecord(l.When, child, d.catalogue); err == nil && f.linked.when.Type != field.Boolean {
			err = problem.New(problem.Invalid, "", "Which records are taken is said by a condition, such as cost > 100.")
		}
		if err != nil {
			return problem.At("when", err)
		}
	}
	switch l.Take {
	case "count":
		f.Type = field.Integer
	case "any":
		f.Type = field.Boolean
	case "each":
		if taken.Type == field.Timestamp || taken.Type == field.Position || taken.JSON || taken.Array {
			return problem.New(problem.Invalid, "column", "%s holds %s; of each linked record one takes a text, a number, a date or yes or no.", what, kind(&taken))
		}
		f.Type, f.Several = field.Text, true
	case "sum":
		if !taken.Type.Numeric() {
			return problem.New(problem.Invalid, "column", "%s holds %s and cannot be added up.", what, taken.Type.Words())
		}
		f.Type = field.Number
	case "latest", "earliest":
		if o := child.Column(l.Order); o == nil || !o.Type.Temporal() && !o.Type.Numeric() {
			return problem.New(problem.Invalid, "order", "Name the column, a date or a number, that tells which record is the latest.")
		}
		f.Type, f.Zoned = taken.Type, taken.Zoned
	default:
		if !taken.Type.Numeric() && !taken.Type.Temporal() {
			return problem.New(problem.Invalid, "column", "%s holds %s, which has no size.", what, taken.Type.Words())
		}
		f.Type, f.Zoned = taken.Type, taken.Zoned
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
// those it needs; a circle is named. way is what stands on f.
func (d *Dataset) complete(f *Field, made map[*Field]bool, way ...*Field) error {
	if at := slices.Index(way, f); at >= 0 {
		if at == len(way)-1 {
			return problem.New(problem.Invalid, "formula", "“%s” stands on itself.", f.Label)
		}
		words := "“" + f.Label + "”"
		for _, next := range append(slices.Clone(way[at+1:]), f) {
			words += " stands on “" + next.Label + "”, which"
		}
		return problem.New(problem.Invalid, "formula", "%s.", strings.TrimSuffix(words, ", which"))
	}
	if made[f] {
		return nil
	}
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
			if err := d.complete(g, made, append(way, f)...); err != nil {
				return err
			}
		}
	}
	made[f] = true
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

// resolveStages checks which values of a field lie outside its sequence.
func (d *Dataset) resolveStages(f *Field) error {
	for _, v := range f.Lost {
		if !slices.Contains(f.List, v) {
			return problem.New(problem.Invalid, "lost", "“%s” is not in the pick list of %s.", v, f.Label)
		}
	}
	switch g := d.fields[f.Furthest]; {
	case f.Furthest == "":
	case len(f.Lost) == 0:
		return problem.New(problem.Missing, "lost", "Which values lie outside the sequence, so that %s says how far those had come?", f.Furthest)
	case g == nil:
		return problem.New(problem.NotFound, "furthest", "There is no field “%s”.", f.Furthest)
	case g == f || g.Type != f.Type:
		return problem.New(problem.Invalid, "furthest", "How far a record had come is said by another field with the same values.")
	}
	return nil
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
	if f.of.Several {
		return problem.New(problem.Invalid, "of", "%s can hold several values, which groups do not put together.", f.of.Label)
	}
	if f.of.Type != field.Text || len(f.Groups.Groups) == 0 {
		return problem.New(problem.Invalid, "of", "Groups are made of the values of a text; %s holds %s.", f.of.Label, f.of.Type.Words())
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
		return problem.New(problem.Invalid, "of", "Bins are made of numbers; %s holds %s.", f.of.Label, f.of.Type.Words())
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
