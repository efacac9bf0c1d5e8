package dataset

import (
	"regexp"
	"strings"

	"eskadel/core/field"
	"eskadel/core/formula"
)

// ColumnLabel turns a column's name, or a path of links and a column, into words:
// "berth_id.yard_id" → "Yard of berth".
func ColumnLabel(path string) string {
	parts := strings.Split(path, ".")
	label := Tidy(parts[len(parts)-1])
	for i := len(parts) - 2; i >= 0; i-- {
		label += " of " + strings.ToLower(Tidy(parts[i]))
	}
	return label
}

// Written is a field's name as it stands in a formula.
func Written(name string) string { return formula.PrintName(name) }

// Functions explains the functions of formulas.
func Functions() []formula.Help { return formula.Functions("", "", "") }

var notName = regexp.MustCompile(`[^a-z0-9]+`)

// NameOf makes a name of a label or title.
func NameOf(label string) string {
	name := strings.Trim(notName.ReplaceAllString(strings.ToLower(label), "_"), "_")
	if name == "" || name[0] < 'a' {
		name = "f" + name
	}
	return strings.TrimRight(name[:min(len(name), 60)], "_")
}

// Tidy turns a column's name into words: "qtd_prc_net" → "Qtd prc net".
func Tidy(column string) string {
	words := strings.TrimSpace(strings.NewReplacer("_", " ", "-", " ").Replace(column))
	words = strings.TrimSuffix(words, " id")
	if words == "" {
		return column
	}
	return strings.ToUpper(words[:1]) + words[1:]
}

var plannedWords = regexp.MustCompile(`(?i)promis|due|expect|plan|review|deadline|schedul`)

// Suggest makes a dataset of a table: each column a field, each link shown by its
// display field. A builder finishes it.
func Suggest(source string, t *Table, c Catalogue) *Document {
	record := strings.ToLower(Tidy(t.Name))
	d := &Document{
		Version: Version, Name: strings.ReplaceAll(NameOf(t.Name), "_", "-"), Title: Tidy(t.Name),
		Record: [2]string{record, record + "s"}, Source: source, From: From{Table: t.Name},
	}
	if c.Table(t.Name) != t {
		d.From.Table = t.ID()
	}
	switch {
	case len(t.Unique) > 0:
		d.Key = t.Unique[0]
	case t.Column("id") != nil:
		d.Key = []string{"id"}
	default:
		d.Key = []string{t.Columns[0].Name}
	}
	for _, col := range t.Columns {
		f := FieldDocument{Name: NameOf(col.Name), Column: col.Name, Label: Tidy(col.Name), Description: col.Comment}
		switch l := t.link(col.Name); {
		case l != nil && c.Table(l.Table) != nil:
			f.Name, f.Column = strings.TrimSuffix(f.Name, "_id"), ""
			f.Link, f.Show = []string{col.Name}, c.Table(l.Table).DisplayColumn()
		case col.Type.Temporal():
			f.Time = Happened
			if plannedWords.MatchString(col.Name) {
				f.Time = Planned
			} else if d.Date == "" {
				d.Date = f.Name
			}
		case col.Type.Numeric() && len(d.Key) == 1 && d.Key[0] == col.Name:
			f.Usual = "count"
		case col.Type == field.Number:
			f.Usual = "sum"
		}
		d.Fields = append(d.Fields, f)
	}
	return d
}
