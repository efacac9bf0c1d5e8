package dataset

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"eskadel/core/field"
	"eskadel/core/formula"
	"eskadel/core/locale"
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
	return locale.Upper(words)
}

var plannedWords = regexp.MustCompile(`(?i)promis|due|expect|plan|review|deadline|schedul`)

// numbered are names of columns whose whole numbers name something.
var numbered = regexp.MustCompile(`(^|_)(id|ids|no|nr|num|number|code|year|yr|jahr|annee|zip|plz|postcode|phone|tel|version)$`)

// identifies tells whether a column by itself tells records apart.
func (t *Table) identifies(column string) bool {
	return slices.ContainsFunc(t.Unique, func(key []string) bool { return len(key) == 1 && key[0] == column })
}

// Files is the name of the source of uploaded files.
const Files = "files"

// Suggest makes a dataset of a table: each column a field, each link shown by its
// display field. A builder finishes it.
func Suggest(source string, t *Table, c Catalogue) *Document {
	one, several := Records(Tidy(t.Name))
	d := &Document{
		Version: Version, Name: strings.ReplaceAll(NameOf(t.Name), "_", "-"), Title: locale.Upper(several),
		Record: [2]string{one, several}, Source: source, From: From{Table: t.ID()}, Key: append([]string{}, t.Key()...),
	}
	taken := map[string]bool{}
	name := func(of string) string {
		out := of
		for n := 2; taken[out]; n++ {
			out = fmt.Sprintf("%s_%d", of, n)
		}
		taken[out] = true
		return out
	}
	for _, col := range t.Columns {
		f := FieldDocument{Column: col.Name, Label: Tidy(col.Name), Description: col.Comment, Several: col.Array}
		if source == Files && col.Comment != "" { // the title that the column has in the file
			f.Label, f.Description = locale.Upper(col.Comment), ""
		}
		l := t.link(col.Name)
		if l != nil && (c.Table(l.Table) == nil || leads(t, l, c.Table(l.Table)) != nil) {
			l = nil
		}
		switch {
		case l != nil:
			f.Name, f.Column = name(strings.TrimSuffix(NameOf(col.Name), "_id")), ""
			f.Link, f.Show = []string{col.Name}, c.Table(l.Table).DisplayColumn()
		case col.Type.Temporal():
			f.Name, f.Time = name(NameOf(col.Name)), Happened
			if plannedWords.MatchString(col.Name) {
				f.Time = Planned
			} else if d.Date == "" {
				d.Date = f.Name
			}
		case col.Type.Numeric() && len(d.Key) == 1 && d.Key[0] == col.Name:
			f.Name, f.Usual = name(NameOf(col.Name)), "count"
		case col.Type == field.Number:
			f.Name, f.Usual = name(NameOf(col.Name)), "sum"
		default:
			f.Name = name(NameOf(col.Name))
		}
		if f.Link == nil && col.Type == field.Integer && (t.identifies(col.Name) || numbered.MatchString(NameOf(col.Name))) {
			f.Format = "plain" // numbers that name something, years among them, are no amounts
		}
		d.Fields = append(d.Fields, f)
	}
	for i := range t.Links {
		l := &t.Links[i]
		to := c.Table(l.Table)
		if len(l.Columns) < 2 || to == nil || leads(t, l, to) != nil {
			continue
		}
		label := Tidy(to.Name)
		d.Fields = append(d.Fields, FieldDocument{Name: name(NameOf(label)), Link: []string{l.Name()}, Show: to.DisplayColumn(), Label: label})
	}
	return d
}

// Records are the words for one record and for several of a table whose name is in words:
// one that is in the plural already stays so.
func Records(words string) (one, several string) {
	words = locale.Lower(words)
	head, last := "", words
	if i := strings.LastIndexByte(words, ' '); i >= 0 {
		head, last = words[:i+1], words[i+1:]
	}
	plain := strings.IndexFunc(last, func(r rune) bool { return r > unicode.MaxASCII || !unicode.IsLetter(r) }) < 0
	switch {
	case !plain: // another script or a code, of which no plural is known
		return words, words
	case strings.HasSuffix(last, "ies") && len(last) > 4:
		return head + strings.TrimSuffix(last, "ies") + "y", words
	case hasAny(last, "sses", "shes", "ches", "xes", "zes"):
		return head + strings.TrimSuffix(last, "es"), words
	case strings.HasSuffix(last, "s") && !hasAny(last, "ss", "us", "is", "news"):
		return head + strings.TrimSuffix(last, "s"), words
	}
	return words, head + Plural(last)
}

// Several is what several of a thing are called: "boats" of "boat"; words of another script
// and those that are in the plural stay as they are.
func Several(words string) string {
	_, several := Records(words)
	return several
}

// Plural is the plural of an English word, as spelling makes it.
func Plural(word string) string {
	switch {
	case hasAny(word, "s", "sh", "ch", "x", "z"):
		return word + "es"
	case strings.HasSuffix(word, "y") && len(word) > 1 && !strings.ContainsAny(word[len(word)-2:len(word)-1], "aeiou"):
		return strings.TrimSuffix(word, "y") + "ies"
	}
	return word + "s"
}

func hasAny(s string, ends ...string) bool {
	return slices.ContainsFunc(ends, func(end string) bool { return strings.HasSuffix(s, end) })
}
