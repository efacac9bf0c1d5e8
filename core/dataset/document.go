// Package dataset holds datasets: the document a builder writes, and the resolved
// form, in which every field is known to exist in the source's tables. It gives the
// SQL of each field and of the joins it needs. It runs nothing and knows no viewer.
package dataset

import (
	"encoding/json"
	"regexp"
	"strings"

	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
)

// Version is the version of the dataset document that this program writes.
const Version = 1

// Happened and Planned are the kinds of a date field.
const (
	Happened = "happened"
	Planned  = "planned"
)

// A Document is a dataset as it is written down; docs/schemas/dataset.json describes it.
type Document struct {
	Version     int               `json:"version"`
	Name        string            `json:"name"`
	Title       string            `json:"title"`
	Description string            `json:"description,omitempty"`
	Record      [2]string         `json:"record"` // what one record, and several, are called
	Source      string            `json:"source"`
	From        From              `json:"from"`
	Key         []string          `json:"key"`
	OpenRecord  string            `json:"open_record,omitempty"` // address of a record in the host app: /jobs/{id}
	Zone        string            `json:"zone,omitempty"`        // an IANA zone, instead of the workspace's
	Date        string            `json:"date,omitempty"`        // the field that date filters use unless told otherwise
	Fields      []FieldDocument   `json:"fields"`
	BaseFilter  *filter.Condition `json:"base_filter,omitempty"`
	RowRules    []RowRule         `json:"row_rules,omitempty"`
}

// From says where the records come from.
type From struct {
	Table string `json:"table"`
}

// A FieldDocument is one field: a column of the table, a linked record shown by one of
// its columns (link and show), or a column of a linked record (link and column).
type FieldDocument struct {
	Name        string   `json:"name"`
	Column      string   `json:"column,omitempty"`
	Link        []string `json:"link,omitempty"`
	Show        string   `json:"show,omitempty"`
	Label       string   `json:"label,omitempty"`
	Description string   `json:"description,omitempty"`
	Time        string   `json:"time,omitempty"` // happened or planned
	Unit        string   `json:"unit,omitempty"`
	Format      string   `json:"format,omitempty"`
	Usual       string   `json:"usual,omitempty"` // the aggregation offered first
	List        []string `json:"list,omitempty"`  // the values in order
	Hidden      bool     `json:"hidden,omitempty"`
}

// A RowRule gives viewers of some roles the records that meet a condition.
type RowRule struct {
	Roles []string         `json:"roles"`
	Where filter.Condition `json:"where"`
	Words string           `json:"words,omitempty"` // for the reading line: "at your yard"
}

var nameForm = regexp.MustCompile(`^[a-z][a-z0-9_-]{0,62}$`)

// CheckName tells in words what is wrong with a document's or field's name.
func CheckName(name string) error {
	if !nameForm.MatchString(name) {
		return problem.New(problem.Invalid, "name", "“%s” is not a name: use small letters, digits, - and _, beginning with a letter, at most 63.", name)
	}
	return nil
}

// Read reads a dataset document, without looking at any source.
func Read(data []byte) (*Document, error) {
	var d Document
	if err := problem.Decode(data, &d); err != nil {
		return nil, err
	}
	if d.Version != Version {
		return nil, problem.New(problem.Invalid, "version", "This program reads version %d of a dataset, not %d.", Version, d.Version)
	}
	return &d, CheckName(d.Name)
}

// JSON writes the document as files and the API carry it.
func (d *Document) JSON() []byte {
	b, _ := json.MarshalIndent(d, "", "  ")
	return b
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
		Version: Version, Name: strings.ToLower(strings.ReplaceAll(t.Name, "_", "-")), Title: Tidy(t.Name),
		Record: [2]string{record, record + "s"}, Source: source, From: From{Table: t.Name},
	}
	if c.Table(t.Name) != t {
		d.From.Table = t.ID()
	}
	if len(t.Unique) > 0 {
		d.Key = t.Unique[0]
	}
	for _, col := range t.Columns {
		f := FieldDocument{Name: strings.ToLower(col.Name), Column: col.Name, Label: Tidy(col.Name), Description: col.Comment}
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
