package check

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/query"
	"eskadel/core/rule"
	"eskadel/core/sql"
	"eskadel/core/statement"
	"eskadel/live"
	"eskadel/source"
	"eskadel/store"
	"eskadel/view"
)

// A Config says what to check: dashboards and viewers. It is what a builder writes:
//
//	{"dashboards": ["yard-today"], "viewers": [{"name": "Tarn Quay's foreman", "roles": ["foreman"], "attributes": {"yard": 3}}]}
type Config struct {
	Dashboards []string `json:"dashboards"`
	Datasets   []string `json:"datasets,omitempty"` // besides those of the dashboards
	Viewers    []Viewer `json:"viewers"`
}

// A Viewer is one to check for.
type Viewer struct {
	Name       string            `json:"name"`
	Roles      []string          `json:"roles"`
	Attributes filter.Attributes `json:"attributes"`
}

// ReadConfig reads the file.
func ReadConfig(data []byte) (*Config, error) {
	var c Config
	if err := problem.Decode(data, &c); err != nil {
		return nil, err
	}
	if len(c.Viewers) == 0 || len(c.Dashboards)+len(c.Datasets) == 0 {
		return nil, problem.New(problem.Missing, "", "Name at least one dashboard or dataset, and one viewer.")
	}
	return &c, nil
}

// A Line of the matrix is a viewer and a path, with whether both ways gave the same.
type Line struct {
	Viewer, Dataset, Path string
	Same                  bool
	Got, Want             string
}

// A Checker proves the rules of a workspace.
type Checker struct {
	Store   *store.Store
	Engine  *live.Engine
	Scratch string // the address of a database whose tables may be made and dropped
}

// Rules makes the matrix of viewers and paths.
func (c *Checker) Rules(ctx context.Context, config *Config) ([]Line, error) {
	var out []Line
	for _, v := range config.Viewers {
		viewer := rule.Viewer{ID: "check/" + v.Name, Name: v.Name, Roles: v.Roles, Attributes: v.Attributes}
		asked, err := c.questions(ctx, config, viewer)
		if err != nil {
			return out, err
		}
		names := make([]string, 0, len(asked))
		for name := range asked {
			names = append(names, name)
		}
		slices.Sort(names)
		for _, name := range names {
			lines, err := c.dataset(ctx, name, viewer, asked[name])
			if err != nil {
				return out, fmt.Errorf("check %s for %s: %w", name, v.Name, err)
			}
			out = append(out, lines...)
		}
	}
	return out, nil
}

// questions collects what the dashboards ask of each dataset in their standard view.
func (c *Checker) questions(ctx context.Context, config *Config, v rule.Viewer) (map[string][]Question, error) {
	out := map[string][]Question{}
	setting := query.Setting{Now: c.Engine.Hub.Clock(), Calendar: c.Engine.Calendar(), Viewer: v.Attributes}
	for _, name := range config.Datasets {
		out[name] = append(out[name], Question{Name: "dataset", Setting: setting})
	}
	for _, name := range config.Dashboards {
		kept, err := c.Store.Document(ctx, store.Dashboard, name)
		if err != nil {
			return nil, err
		}
		d, err := dashboard.Read(kept.Draft)
		if err != nil {
			return nil, err
		}
		look, err := view.NewReader(c.Engine).NewView(ctx, d, 0, v, dashboard.State{})
		if err != nil {
			return nil, err
		}
		for _, w := range d.Widgets() {
			doc, ds, err := look.Document(&w)
			if err != nil {
				return nil, err
			}
			if doc == nil {
				continue
			}
			reach, err := d.Reach(&w, ds, dashboard.State{}, v.Attributes, look, "")
			if err != nil {
				return nil, err
			}
			s := setting
			s.Filters = reach.Condition
			out[ds.Name] = append(out[ds.Name], Question{Name: name + ", " + w.ID, Definition: doc.Definition, Setting: s})
		}
	}
	return out, nil
}

func (c *Checker) dataset(ctx context.Context, name string, v rule.Viewer, questions []Question) ([]Line, error) {
	full, err := c.Engine.Dataset(ctx, name, rule.Viewer{Builder: true})
	if err != nil {
		return nil, err
	}
	src, err := c.Engine.Source(full.Source)
	if err != nil {
		return nil, err
	}
	part, scratch, err := Reduce(ctx, src, full, v, c.Scratch)
	if err != nil {
		return nil, err
	}
	defer scratch.Close()
	got := Ask(ctx, src, rule.See(full, v), v, questions)
	want := Ask(ctx, scratch, part, rule.Viewer{Builder: true, Attributes: v.Attributes}, questions)
	var out []Line
	for i := range max(len(got), len(want)) {
		l := Line{Viewer: v.Name, Dataset: name}
		if i < len(got) {
			l.Path, l.Got = got[i].Path, got[i].Text
		}
		if i < len(want) {
			l.Want = want[i].Text
			if i >= len(got) {
				l.Path = want[i].Path
			}
		}
		l.Same = i < len(got) && i < len(want) && got[i] == want[i]
		out = append(out, l)
	}
	return out, nil
}

// Reduce copies what a viewer may see of every table that a dataset reads into a scratch
// database, and returns the dataset over those copies, without the fields that the
// viewer may not see. The caller closes the source.
func Reduce(ctx context.Context, src *source.Source, ds *dataset.Dataset, v rule.Viewer, scratch string) (*dataset.Dataset, *source.Source, error) {
	guard := rule.Guard(ds, v)
	conn, err := pgx.Connect(ctx, scratch)
	if err != nil {
		return nil, nil, fmt.Errorf("connect to the scratch database: %w", err)
	}
	defer conn.Close(ctx)
	var tables dataset.Catalogue
	for _, t := range ds.Catalogue() {
		copied := *t
		copied.Rules = nil
		copied.Links = append([]dataset.Link{}, t.Links...)
		for i := range copied.Links {
			copied.Links[i].Verified = false // what is linked may not be there
		}
		copied.Columns = append([]dataset.Column{}, t.Columns...)
		for i := range copied.Columns {
			if c := &copied.Columns[i]; kept(c) != c.Base {
				c.Base, c.Equal = kept(c), ""
			}
		}
		tables = append(tables, &copied)
	}
	for _, id := range ds.Tables() {
		plan := sql.NewRows(ds, ds.Linked(id), guard)
		if err := copyTable(ctx, src, conn, ds.Linked(id), plan); err != nil {
			return nil, nil, fmt.Errorf("copy %s: %w", id, err)
		}
	}
	over, err := source.Open(src.Name, scratch)
	if err != nil {
		return nil, nil, err
	}
	var selected *dataset.Table
	if ds.From.Select != "" {
		if selected, err = over.Select(ctx, ds.From.Select, tables); err != nil {
			over.Close()
			return nil, nil, err
		}
	}
	doc := ds.Document
	doc.RowRules = nil
	part, err := dataset.Resolve(&doc, tables, selected)
	if err != nil {
		over.Close()
		return nil, nil, err
	}
	hidden := &dataset.Guard{Columns: guard.Columns, Fields: guard.Fields}
	return part.For(hidden), over, nil
}

// kept is the type that a column has in the scratch database, which may not know the
// source's own: those are text there.
func kept(c *dataset.Column) string {
	if c.Native || c.JSON {
		return c.Base
	}
	if of, array := strings.CutSuffix(c.Base, "[]"); array {
		if _, native := dataset.ColumnType(of); native {
			return c.Base
		}
		return "text[]"
	}
	return "text"
}

func copyTable(ctx context.Context, src *source.Source, conn *pgx.Conn, t *dataset.Table, plan *sql.Rows) error {
	var defs []string
	for i := range t.Columns {
		defs = append(defs, statement.Name(t.Columns[i].Name)+" "+kept(&t.Columns[i]))
	}
	name := statement.Name(t.Schema, t.Name)
	if _, err := conn.Exec(ctx, "create schema if not exists "+statement.Name(t.Schema)+"; drop table if exists "+name+" cascade; create table "+name+" ("+strings.Join(defs, ", ")+")", pgx.QueryExecModeSimpleProtocol); err != nil {
		return err
	}
	sealed, err := rule.Seal(plan, rule.Viewer{Builder: true})
	if err != nil {
		return err
	}
	rows, err := src.Run(ctx, sealed)
	if err != nil {
		return err
	}
	for _, row := range rows[0] {
		// Each row comes as one JSON object, which PostgreSQL itself reads back exactly.
		if _, err := conn.Exec(ctx, "insert into "+name+" select * from jsonb_populate_record(null::"+name+", $1::jsonb)", json.RawMessage(row[0].Exact())); err != nil {
			return err
		}
	}
	_, err = conn.Exec(ctx, "analyze "+name)
	return err
}

// Print writes the matrix: a line for each viewer and dataset, then every difference. It
// returns how many paths differ.
func Print(w io.Writer, lines []Line) (differ int) {
	type key struct{ viewer, dataset string }
	count := map[key][2]int{}
	var order []key
	for _, l := range lines {
		k := key{l.Viewer, l.Dataset}
		if _, known := count[k]; !known {
			order = append(order, k)
		}
		n := count[k]
		n[0]++
		if !l.Same {
			n[1]++
			differ++
		}
		count[k] = n
	}
	for _, k := range order {
		n := count[k]
		fmt.Fprintf(w, "%-30s %-24s %4d paths, %d differ\n", k.viewer, k.dataset, n[0], n[1])
	}
	for _, l := range lines {
		if !l.Same {
			fmt.Fprintf(w, "\n%s, %s, %s\n  sees     %s\n  should   %s\n", l.Viewer, l.Dataset, l.Path, short(l.Got), short(l.Want))
		}
	}
	return differ
}

func short(s string) string {
	if r := []rune(s); len(r) > 600 {
		return string(r[:600]) + " …"
	}
	return s
}
