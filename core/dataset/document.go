// Package dataset holds datasets: the document a builder writes, and the resolved
// form, in which every field is known to exist in the source's tables. It gives the
// SQL of each field and of the joins it needs. It runs nothing and knows no viewer.
package dataset

import (
	"encoding/json"
	"regexp"

	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/reading"
	"eskadel/core/upgrade"
)

var upgrades = upgrade.Chain{Kind: "dataset"}

// Version is the version of the dataset document that this program writes.
var Version = upgrades.Version()

// Happened and Planned are the kinds of a date field.
const (
	Happened = "happened"
	Planned  = "planned"
)

// A Document is a dataset as it is written down; web/schemas/dataset.json describes it.
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
	Links       []LinkDocument    `json:"links,omitempty"`       // besides the foreign keys
	Settings    []SettingDocument `json:"settings,omitempty"`
	Fields      []FieldDocument   `json:"fields"`
	Measures    []MeasureDocument `json:"measures,omitempty"`
	Conditions  []NamedCondition  `json:"conditions,omitempty"`
	// DrillPaths are fields that follow one another from coarse to fine.
	DrillPaths [][]string        `json:"drill_paths,omitempty"`
	BaseFilter *filter.Condition `json:"base_filter,omitempty"`
	RowRules   []RowRule         `json:"row_rules,omitempty"` // besides those of the tables
	Editing    *Editing          `json:"editing,omitempty"`
	SeenBy     []string          `json:"seen_by,omitempty"` // the authors who may build on it, by e-mail address; all when left out
}

// From says where the records come from: one of its parts is filled.
type From struct {
	Table  string  `json:"table,omitempty"`  // a table, view or file
	Select string  `json:"select,omitempty"` // a query of the builder's own
	Unnest *Unnest `json:"unnest,omitempty"` // a record for each element of a list
	Wide   *Wide   `json:"wide,omitempty"`   // a record for each of several columns
}

// Unnest makes a record of each element of a list: of an array column, or of a JSON
// column, at a place within it. Besides the key of the record it comes from (named
// TABLE_KEY) a record has the columns position, counted from 1, value and, for JSON, text.
type Unnest struct {
	Table  string   `json:"table"`
	Column string   `json:"column"`
	Inside []string `json:"inside,omitempty"`
}

// Wide makes a record of each of several columns: the columns of the table that are not
// named stay, and the two columns Name and Value hold which one it was and what it held.
type Wide struct {
	Table   string   `json:"table"`
	Columns []string `json:"columns"`
	Name    string   `json:"name"`
	Value   string   `json:"value"`
}

// A LinkDocument is a link that no foreign key declares. It leads to a unique key.
type LinkDocument struct {
	Column string `json:"column"`
	Table  string `json:"table"`
	To     string `json:"to"`
}

// A SettingDocument is a value that a viewer may set, for formulas and conditions.
type SettingDocument struct {
	Name    string     `json:"name"`
	Label   string     `json:"label,omitempty"`
	Type    field.Type `json:"type"`
	Default string     `json:"default"`
}

// A MeasureDocument is a measure computed by a formula over aggregates.
type MeasureDocument struct {
	Name        string `json:"name"`
	Label       string `json:"label,omitempty"`
	Description string `json:"description,omitempty"`
	Formula     string `json:"formula"`
	Unit        string `json:"unit,omitempty"`
	Format      string `json:"format,omitempty"`
}

// A NamedCondition is a condition kept by name.
type NamedCondition struct {
	Name  string           `json:"name"`
	Title string           `json:"title"`
	Where filter.Condition `json:"where"`
}

// A FieldDocument is one field: a column of the table, a linked record shown by one of
// its columns (link and show), a column of a linked record (link and column), a place
// inside a JSON column, a formula, a number of linked records, groups or bins of another
// field, or a position.
type FieldDocument struct {
	Name        string            `json:"name"`
	Column      string            `json:"column,omitempty"`
	Link        []string          `json:"link,omitempty"`
	Show        string            `json:"show,omitempty"`
	Offers      []string          `json:"offers,omitempty"`  // of a linked record: further columns that charts may bring in
	Inside      []string          `json:"inside,omitempty"`  // keys and positions within a JSON column
	Several     bool              `json:"several,omitempty"` // a list, each of whose values stands for itself
	ReadAs      *reading.Format   `json:"read_as,omitempty"`
	Formula     string            `json:"formula,omitempty"`
	Linked      *Linked           `json:"linked,omitempty"`
	Groups      *Groups           `json:"groups,omitempty"`
	Bins        *Bins             `json:"bins,omitempty"`
	Position    []string          `json:"position,omitempty"` // the columns of latitude and longitude
	Label       string            `json:"label,omitempty"`
	Description string            `json:"description,omitempty"`
	Time        string            `json:"time,omitempty"` // happened or planned
	Unit        string            `json:"unit,omitempty"`
	Format      string            `json:"format,omitempty"`
	Usual       string            `json:"usual,omitempty"`   // the aggregation offered first
	List        []string          `json:"list,omitempty"`    // the values in order
	Colours     map[string]string `json:"colours,omitempty"` // of values of the list: "#1D3557"
	// Lost are the values of the list that lie outside its sequence: what does not go on. The
	// field that Furthest names holds how far such a record had come.
	Lost     []string `json:"lost,omitempty"`
	Furthest string   `json:"furthest,omitempty"`
	Synonyms []string `json:"synonyms,omitempty"`
	Hidden   bool     `json:"hidden,omitempty"`
	SeenBy   []string `json:"seen_by,omitempty"` // the only roles that may see it
}

// Linked takes something of the records of another table that point to this one.
type Linked struct {
	Table  string   `json:"table"`
	By     string   `json:"by"`           // their column that points
	Of     []string `json:"of,omitempty"` // the links to the record they point to, when it is not this one
	Take   string   `json:"take"`         // count, sum, smallest, largest, latest, earliest, any or each
	Column string   `json:"column,omitempty"`
	// Formula is what is taken instead of a column, over their columns and, by names such as
	// "yard_id.name", those one link away.
	Formula string            `json:"formula,omitempty"`
	Order   string            `json:"order,omitempty"` // the column that tells the latest
	Where   *filter.Condition `json:"where,omitempty"` // over their columns
	When    string            `json:"when,omitempty"`  // a formula over their columns that says yes of those that are taken
}

// Takes lists what Linked can take.
func Takes() []string {
	return []string{"count", "sum", "smallest", "largest", "latest", "earliest", "any", "each"}
}

// Groups puts values of another field together under names.
type Groups struct {
	Of     string  `json:"of"`
	Groups []Group `json:"groups"`
	Rest   string  `json:"rest,omitempty"` // the name of all other values; they stay apart when left out
}

// A Group is several values under one name.
type Group struct {
	Name   string   `json:"name"`
	Values []string `json:"values"`
}

// Bins divide the numbers of another field into spans of one width. A bin includes its
// lower border, the last of a fixed number both. Values outside fixed bins have no bin.
type Bins struct {
	Of    string `json:"of"`
	Width string `json:"width"`
	Start string `json:"start,omitempty"` // the border that the others are counted from; 0 when left out
	Count int    `json:"count,omitempty"` // fixed bins from start on
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
	data, err := upgrades.Read(data)
	if err != nil {
		return nil, err
	}
	var d Document
	if err := problem.Decode(data, &d); err != nil {
		return nil, err
	}
	return &d, CheckName(d.Name)
}

// JSON writes the document as files and the API carry it.
func (d *Document) JSON() []byte {
	b, _ := json.MarshalIndent(d, "", "  ")
	return b
}
