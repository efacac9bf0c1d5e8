package api

import (
	"encoding/json"
	"time"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/view"
	"eskadel/workspace"
)

// What programs send and are answered; openapi.yaml describes each by its name, and a test
// holds the two together.

// Kept is a document that was kept.
type Kept struct {
	Name      string `json:"name"`
	Revision  int    `json:"revision"`  // the state that it is in now, as in the ETag
	Published int    `json:"published"` // the version that holds, 0 for none
}

// A Document is something that people have made, in a list.
type Document struct {
	Kind      string    `json:"kind"`
	Name      string    `json:"name"`
	Title     string    `json:"title"`
	Folder    string    `json:"folder,omitempty"`
	Keeper    string    `json:"keeper,omitempty"`
	Revision  int       `json:"revision"`
	Published int       `json:"published"`
	SavedBy   string    `json:"saved_by,omitempty"`
	SavedAt   time.Time `json:"saved_at"`
	MayChange bool      `json:"may_change"`
	Source    string    `json:"source,omitempty"`   // of a dataset
	Sentence  string    `json:"sentence,omitempty"` // of a chart
	Answers   string    `json:"answers,omitempty"`  // of a dashboard
	Trouble   string    `json:"trouble,omitempty"`  // why it cannot be read or used
}

func document(st workspace.Standing) Document {
	return Document{Kind: st.Kind, Name: st.Name, Title: st.Title, Folder: st.Folder, Keeper: st.Keeper, Revision: st.Revision, Published: st.Published, SavedBy: st.SavedBy, SavedAt: st.SavedAt, MayChange: st.May}
}

// RunWidget asks for the figures of a widget.
type RunWidget struct {
	State  dashboard.State `json:"state,omitzero"`
	Totals *bool           `json:"totals,omitempty"` // left out when false
}

// Widget is the figures of a widget.
type Widget struct {
	Title    string          `json:"title"`
	Subtitle string          `json:"subtitle,omitempty"`
	Caption  string          `json:"caption,omitempty"`
	Form     string          `json:"form"`
	Sentence string          `json:"sentence"`
	Notes    []view.Note     `json:"notes,omitempty"` // what is left out, and what does not reach it
	Fresh    string          `json:"fresh"`           // when its records were read
	Live     bool            `json:"live"`            // whether their changes are heard
	Grid     *chart.Grid     `json:"grid,omitempty"`
	Figures  []chart.Figure  `json:"figures,omitempty"` // of key figures
	Records  *view.Page      `json:"records,omitempty"` // of a list
	Listed   *chart.Listing  `json:"listed,omitempty"`  // of a board, a calendar and so on
	Nothing  string          `json:"nothing,omitempty"` // why there is nothing to show
	Whole    marks.Reference `json:"whole"`             // leads to all records of the chart
	How      []string        `json:"how,omitempty"`     // how the database was asked, in words
	Text     string          `json:"text,omitempty"`
	Grain    string          `json:"grain,omitempty"` // of the time axis
	Grains   []string        `json:"grains,omitempty"`
}

// WidgetRecords asks for the records behind a mark.
type WidgetRecords struct {
	State dashboard.State  `json:"state,omitzero"`
	Mark  *marks.Reference `json:"mark,omitempty"` // all records of the widget when left out
	Page  int              `json:"page,omitempty"`
}

// Run asks for the figures of a definition.
type Run struct {
	Definition json.RawMessage  `json:"definition"`
	Filters    filter.Condition `json:"filters,omitzero"`
	Totals     *bool            `json:"totals,omitempty"`
}

// Figures are the figures of a definition.
type Figures struct {
	*chart.Grid
	Notes []view.Note `json:"notes"` // what is left out
}

// PublishChart says where a changed chart of the library is to be seen.
type PublishChart struct {
	Where string `json:"where"`
}

// ChartPublished tells which dashboards were published anew for a chart.
type ChartPublished struct {
	Kept
	Dashboards []string `json:"dashboards"`
}

// Profile is what is in the fields of a dataset.
type Profile struct {
	Records int64          `json:"records"`
	Whole   bool           `json:"whole"`  // all records were looked at for what is filled, smallest and largest
	Looked  int            `json:"looked"` // how many records the rest is from
	Fields  []ProfileField `json:"fields"`
	Odd     []ProfileOdd   `json:"odd"`
}

// ProfileField is what is in one field.
type ProfileField struct {
	Name         string          `json:"name"`
	Type         field.Type      `json:"type"`
	Filled       int64           `json:"filled"`
	Empty        int64           `json:"empty"`
	Unreadable   int64           `json:"unreadable"`
	Distinct     int64           `json:"distinct"`
	Exactly      bool            `json:"exactly"`
	Smallest     field.Value     `json:"smallest"`
	Largest      field.Value     `json:"largest"`
	Median       field.Value     `json:"median"`
	Spread       field.Value     `json:"spread"`
	MostFrequent []ProfileNumber `json:"most_frequent"`
}

// ProfileNumber is a value with how many of the records looked at have it.
type ProfileNumber struct {
	Value   field.Value `json:"value"`
	Records int64       `json:"records"`
}

// ProfileOdd is something odd, with what may be done about it.
type ProfileOdd struct {
	Field   string            `json:"field"`
	Words   string            `json:"words"`
	Records *filter.Condition `json:"records"` // which they are
	Offers  []ProfileOffer    `json:"offers"`
}

// ProfileOffer is a dataset as it would be with what is offered.
type ProfileOffer struct {
	Label   string          `json:"label"`
	Dataset json.RawMessage `json:"dataset"`
}

// DatasetRecords asks for records of a dataset.
type DatasetRecords struct {
	Fields     []string         `json:"fields,omitempty"`
	Filters    filter.Condition `json:"filters,omitzero"`
	Sort       string           `json:"sort,omitempty"`
	Descending bool             `json:"descending,omitempty"`
	Page       int              `json:"page,omitempty"`
}

// Formula is a formula to be tried.
type Formula struct {
	Formula string `json:"formula"`
}

// ViewAs names a viewer to look as.
type ViewAs struct {
	Roles      []string          `json:"roles,omitempty"`
	Attributes filter.Attributes `json:"attributes,omitempty"`
}

// Source is a connected database, in a list.
type Source struct {
	Name     string `json:"name"`
	Title    string `json:"title"`
	Kind     string `json:"kind"`
	Revision int    `json:"revision"`
}

// PutSource connects a database.
type PutSource struct {
	Title string `json:"title"`
	URL   string `json:"url"`
}

// SourceFound is a source that was connected, with what was found there, in words.
type SourceFound struct {
	Name  string   `json:"name"`
	Title string   `json:"title"`
	Found []string `json:"found"`
}

// Authors are e-mail addresses of those who may make something of a source; all authors
// when empty.
type Authors struct {
	Authors []string `json:"authors"`
}

// File is a file that was loaded.
type File struct {
	Name     string          `json:"name"`
	Title    string          `json:"title"`
	Original string          `json:"original"`
	Format   string          `json:"format"`
	Rows     int64           `json:"rows"`
	Columns  json.RawMessage `json:"columns"`
	Notes    []string        `json:"notes"`
	LoadedAt time.Time       `json:"loaded_at"`
	LoadedBy string          `json:"loaded_by"`
}

// Rows tells how many rows were added.
type Rows struct {
	Rows int64 `json:"rows"`
}

// Person is somebody who signs in.
type Person struct {
	Name       string         `json:"name"`
	Email      string         `json:"email"`
	Builder    bool           `json:"builder"`
	Roles      []string       `json:"roles"`
	Attributes map[string]any `json:"attributes"`
}

// PutPerson adds a person, or changes what is given of one.
type PutPerson struct {
	Name       *string           `json:"name,omitempty"`
	Builder    *bool             `json:"builder,omitempty"`
	Password   string            `json:"password,omitempty"`
	Roles      []string          `json:"roles,omitempty"`
	Attributes filter.Attributes `json:"attributes,omitempty"`
}

// Done says in words what was done.
type Done struct {
	Done string `json:"done"`
}

// Key is an API key; only whoever makes it sees the key itself.
type Key struct {
	ID      string     `json:"id"`
	Title   string     `json:"title"`
	Person  string     `json:"person"`
	MadeAt  time.Time  `json:"made_at"`
	UsedAt  *time.Time `json:"used_at"`
	Program bool       `json:"-"`
}

// MakeKey says what a key is for.
type MakeKey struct {
	Title string `json:"title"`
}

// NewKey is a key that was made; it is shown this once.
type NewKey struct {
	Key string `json:"key"`
}

// Host is a host app with its keys.
type Host struct {
	Name        string    `json:"name"`
	Title       string    `json:"title"`
	Address     string    `json:"address"`
	Origins     []string  `json:"origins"`
	PassMinutes int       `json:"pass_minutes"`
	Once        bool      `json:"once"` // a pass counts once
	Revision    int       `json:"revision"`
	Keys        []HostKey `json:"keys"`
}

// HostKey is a key of a host app.
type HostKey struct {
	ID        string     `json:"id"`
	Algorithm string     `json:"algorithm"`         // JWKS for keys that are fetched
	Address   string     `json:"address,omitempty"` // where they are
	MadeAt    time.Time  `json:"made_at"`
	UsedAt    *time.Time `json:"used_at"`
	EndedAt   *time.Time `json:"ended_at"`
}

// MakeHostKey is which kind of key: a shared secret, unless one of these is given.
type MakeHostKey struct {
	PublicKey string `json:"public_key,omitempty"` // the public half of a pair, as PEM
	Address   string `json:"address,omitempty"`    // where public keys are fetched from (JWKS)
}

// PutHost registers a host app.
type PutHost struct {
	Title       string   `json:"title,omitempty"`
	Address     string   `json:"address,omitempty"`
	Origins     []string `json:"origins"`
	PassMinutes int      `json:"pass_minutes,omitempty"`
	Once        bool     `json:"once,omitempty"`
}

// NewSecret is a new key of a host app; its secret, where it has one, is shown this once.
type NewSecret struct {
	Kid       string   `json:"kid"`
	Algorithm string   `json:"algorithm"`
	Secret    string   `json:"secret,omitempty"`
	Keys      []string `json:"keys,omitempty"` // that are at the address
}

// EndViewer says what people call a viewer who is let in no more.
type EndViewer struct {
	Name string `json:"name,omitempty"`
}

// Audit is an entry of the audit log.
type Audit struct {
	ID    int64     `json:"id"`
	At    time.Time `json:"at"`
	Who   string    `json:"who"`
	What  string    `json:"what"`
	About string    `json:"about"`
}

// Use is what speaks of something.
type Use struct {
	Kind      string `json:"kind"`
	Name      string `json:"name"`
	Title     string `json:"title"`
	Draft     bool   `json:"draft"`
	Published bool   `json:"published"`
}

// Version is a published version of a document.
type Version struct {
	Number int       `json:"number"`
	By     string    `json:"by"`
	At     time.Time `json:"at"`
	Holds  bool      `json:"holds"`
}

// Changes say in words what is different between two versions.
type Changes struct {
	Changes []string `json:"changes"`
}

// Back names the version to go back to.
type Back struct {
	Version int `json:"version"`
}

// Name is a new name of a document.
type Name struct {
	Name string `json:"name"`
}
