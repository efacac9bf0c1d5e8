package workspace_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/dataset/sample"
	"eskadel/core/filter"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/live"
	"eskadel/localpg/pgtest"
	"eskadel/store"
	_ "eskadel/testseed"
	"eskadel/view"
	"eskadel/workspace"
)

var ctx = context.Background()

// desk is a workspace over a small application's records.
type desk struct {
	*workspace.Workspace
	store   *store.Store
	own     string // the address of Eskadel's own database
	records *pgx.Conn
	reader  string // the address of the records, for reading
}

const tables = `create table yard (id int primary key, name text not null, region text);
	create table job (id int primary key, opened_at timestamptz not null, promised_on date, kind text, boat text, yard_id int references yard, cost numeric(10,2), rough float8, state text, late boolean);
	insert into yard values (1, 'Tarn Quay', 'north'), (2, 'Ostrey', 'south');
	insert into job select n, timestamptz '2026-01-01' + n * interval '1 day', null, (array['care','mishap','rework'])[n % 3 + 1], 'boat ' || n % 7, n % 2 + 1, n, n, 'open', n % 2 = 0 from generate_series(1, 60) n;`

var mara = person(1, "Mara", true)
var edda = person(2, "Edda", false)

func person(id int64, name string, builder bool) *identity.Caller {
	c := &identity.Caller{Author: true, PersonID: id, Email: strings.ToLower(name) + "@example.org"}
	c.Viewer.ID, c.Viewer.Name, c.Builder, c.Roles = fmt.Sprint("person/", id), name, builder, []string{"director"}
	return c
}

func viewer(dashboards ...string) *identity.Caller {
	c := &identity.Caller{HostApp: "desk", Dashboards: dashboards}
	c.Viewer.ID, c.Roles, c.Attributes = "desk/7", []string{"foreman"}, filter.Attributes{"yard": "1"}
	return c
}

// open makes a workspace with one source and the sample's dataset of jobs.
func open(t *testing.T, name string) *desk {
	own, _ := pgtest.Database(t, "workspace_"+name)
	records, reader := pgtest.Database(t, "workspace_"+name+"_records")
	d := &desk{own: own, reader: reader}
	var err error
	d.records, err = pgx.Connect(ctx, records)
	require.NoError(t, err)
	t.Cleanup(func() { _ = d.records.Close(ctx) })
	_, err = d.records.Exec(ctx, tables+"grant select on all tables in schema public to "+pgx.Identifier{"workspace_" + name + "_records_reader"}.Sanitize())
	require.NoError(t, err)
	d.Workspace, d.store = instance(t, own)
	require.NoError(t, d.store.Change(ctx, "", func(tx *store.Tx) error {
		for _, who := range []*identity.Caller{mara, edda} {
			if _, err := tx.AddPerson(ctx, &store.Person{Name: who.Name, Email: who.Email, PasswordHash: "-", Builder: who.Builder}, who.Roles, nil); err != nil {
				return err
			}
		}
		return tx.Audit(ctx, "began", "")
	}))
	_, err = d.Connect(ctx, mara, workspace.Connection{Name: "desk", Title: "Desk", Address: reader})
	require.NoError(t, err)
	require.NoError(t, d.SaveSourceRules(ctx, mara, &dataset.SourceRules{Version: 1, Source: "desk", Tables: []dataset.TableRules{everybody("public.job"), everybody("public.yard")}}, ""))
	_, err = d.SaveDataset(ctx, mara, sample.Document(), workspace.On{}, false)
	require.NoError(t, err)
	return d
}

func everybody(table string) dataset.TableRules {
	return dataset.TableRules{Table: table, RowRules: []dataset.RowRule{{Roles: []string{dataset.Everyone}}}}
}

// instance opens the workspace of a database once more, as another instance does.
func instance(t *testing.T, own string) (*workspace.Workspace, *store.Store) {
	w, s, _ := clocked(t, own)
	return w, s
}

// clocked is instance with what holds its clock.
func clocked(t *testing.T, own string) (*workspace.Workspace, *store.Store, *live.Engine) {
	ctx, stop := context.WithCancel(ctx)
	s, err := store.Open(ctx, own, make([]byte, 32))
	require.NoError(t, err)
	t.Cleanup(func() { stop(); _ = s.Close() })
	e, err := live.NewEngine(ctx, s, period.ISO(time.UTC))
	require.NoError(t, err)
	require.NoError(t, e.PinNow("2026-03-05T12:00:00Z"))
	w, err := workspace.Open(ctx, s, e, workspace.Around{Inside: []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}, Address: "https://boards.example"})
	require.NoError(t, err)
	return w, s, e
}

// count is a chart of how many jobs there are that meet a condition.
func count(where string) string {
	return `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"by":[{"field":"kind"}],"where":` + where + `,"form":"bars"}`
}

func page(name, title string, widgets ...string) []byte {
	return []byte(`{"version":1,"name":"` + name + `","title":"` + title + `","pages":[{"title":"P","widgets":[` + strings.Join(widgets, ",") + `]}],"viewers_may":["records"]}`)
}

func widget(id, chart string) string {
	return `{"id":"` + id + `","at":[0,0,4,4],"chart":` + chart + `}`
}

func code(err error) string {
	if p := problem.Of(err); p != nil {
		return p.Code
	}
	return ""
}

// crowded tells whether others were quicker each time that a change was tried; whoever is
// told so tries again.
func crowded(err error) bool {
	p := problem.Of(err)
	return p != nil && p.Code == problem.Conflict && p.Place == "" && strings.HasSuffix(p.Words, "Try again.")
}

// widgets are the ids on a dashboard's draft.
func widgets(t require.TestingT, d *desk, name string) (out []string) {
	o, err := d.Changing(ctx, mara, name)
	require.NoError(t, err)
	for _, x := range o.Doc.Widgets() {
		out = append(out, x.ID)
	}
	return out
}

// Whatever order people, tabs and programs save in, nothing that anybody was told is kept is
// lost, and nobody is told so who was not asked where both touched the same part.
func TestNobodysWorkIsLost(t *testing.T) {
	d := open(t, "lost")
	run := 0
	rapid.Check(t, func(t *rapid.T) {
		run++
		name := fmt.Sprint("shared-", run)
		_, err := d.SaveDashboard(ctx, edda, name, page(name, "Shared", `{"id":"first","at":[0,0,4,1],"text":"begin"}`), workspace.On{})
		require.NoError(t, err)
		type copy struct {
			doc      *dashboard.Document
			revision int
			fresh    []string // made since it was loaded or saved
		}
		load := func() *copy {
			o, err := d.Changing(ctx, mara, name)
			require.NoError(t, err)
			return &copy{doc: o.Doc, revision: o.Revision}
		}
		copies := []*copy{load(), load(), load()}
		kept, texts := []string{"first"}, map[string]bool{"begin": true}
		steps := rapid.IntRange(1, 25).Draw(t, "steps")
		for n := range steps {
			c := copies[rapid.IntRange(0, 2).Draw(t, "who")]
			switch rapid.IntRange(0, 3).Draw(t, "what") {
			case 0:
				id := fmt.Sprintf("w%d", n)
				p := &c.doc.Pages[0]
				at := rapid.IntRange(0, len(p.Widgets)).Draw(t, "where")
				p.Widgets = slices.Insert(p.Widgets, at, dashboard.Widget{ID: id, At: [4]int{0, n, 4, 1}, Text: id})
				c.fresh = append(c.fresh, id)
			case 1:
				c.doc.Pages[0].Widgets[0].Text = fmt.Sprint("text ", n) // of whichever stands first there
			default:
				resolve := rapid.SampledFrom([]string{"", workspace.Both, workspace.Mine}).Draw(t, "resolve")
				st, err := d.SaveDashboard(ctx, edda, name, c.doc.JSON(), workspace.On{Revision: c.revision, Resolve: resolve})
				var conflict *workspace.Conflict
				switch {
				case errors.As(err, &conflict):
					require.NotEqual(t, workspace.Mine, resolve)
					require.NotEmpty(t, conflict.By)
					if conflict.Both {
						require.Empty(t, resolve, "what can be put together is")
					}
				default:
					require.NoError(t, err)
					kept = append(kept, c.fresh...)
					texts[c.doc.Pages[0].Widgets[0].Text] = true
					*c = *load()
					require.Equal(t, st.Revision, c.revision)
				}
			}
			now := widgets(t, d, name)
			for _, id := range kept {
				require.Contains(t, now, id)
			}
			require.Len(t, now, len(kept), "and nothing comes from nowhere")
		}
	})
}

// Two builders change a dataset at once: a change each is made from the same state.
func TestTwoBuildersChangeADataset(t *testing.T) {
	d := open(t, "builders")
	p, err := d.DatasetPage(ctx, mara, "jobs")
	require.NoError(t, err)
	from := p.Revision
	var all sync.WaitGroup
	var mu sync.Mutex
	told := 0
	for n := range 6 {
		all.Go(func() {
			mine := sample.Document()
			mine.Fields = append(mine.Fields, dataset.FieldDocument{Name: fmt.Sprintf("twice_%d", n), Formula: fmt.Sprintf("cost * %d", n)})
			builder := person(int64(n+10), fmt.Sprint("Builder ", n), true)
			_, err := d.SaveDataset(ctx, builder, mine, workspace.On{Revision: from}, false)
			for crowded(err) {
				_, err = d.SaveDataset(ctx, builder, mine, workspace.On{Revision: from}, false)
			}
			if code(err) == problem.Outdated {
				mu.Lock()
				told++
				mu.Unlock()
				both := workspace.On{Revision: from, Resolve: workspace.Both}
				for _, err = d.SaveDataset(ctx, mara, mine, both, false); crowded(err); {
					_, err = d.SaveDataset(ctx, mara, mine, both, false)
				}
			}
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.Equal(t, 5, told, "all but the first are told")
	p, err = d.DatasetPage(ctx, mara, "jobs")
	require.NoError(t, err)
	for n := range 6 {
		assert.NotNil(t, p.Dataset.Find(fmt.Sprintf("twice_%d", n)))
	}
	assert.Equal(t, from+6, p.Revision)

	// Where both change the same part, it is said which, and who.
	mine := *p.Doc
	mine.Fields = slices.Clone(p.Doc.Fields)
	mine.Fields[0].Label = "Begun"
	theirs := mine
	theirs.Fields = slices.Clone(mine.Fields)
	theirs.Fields[0].Label = "Taken in"
	_, err = d.SaveDataset(ctx, mara, &theirs, workspace.On{Revision: p.Revision}, false)
	require.NoError(t, err)
	_, err = d.SaveDataset(ctx, mara, &mine, workspace.On{Revision: p.Revision, Resolve: workspace.Both}, false)
	var conflict *workspace.Conflict
	require.ErrorAs(t, err, &conflict)
	assert.Equal(t, "Mara", conflict.By)
	assert.Equal(t, []string{"fields › “Taken in” › label was “Opened”, is “Taken in”"}, conflict.Changes)
	assert.Equal(t, []string{"fields › “Taken in” › label"}, conflict.Clashes)
	assert.False(t, conflict.Both)
	_, err = d.SaveDataset(ctx, mara, &mine, workspace.On{}, false)
	assert.Equal(t, problem.Unstated, code(err), "nor is anything kept by whoever says no state")
	_, err = d.GoBack(ctx, mara, workspace.Dataset, "jobs", 1, workspace.On{Revision: conflict.Revision})
	require.NoError(t, err)
	p, err = d.DatasetPage(ctx, mara, "jobs")
	require.NoError(t, err)
	first := sample.Document()
	first.From.Table = "public.job"
	assert.Equal(t, string(first.JSON()), string(p.Doc.JSON()), "the first version holds again")
}

// A change of a dataset says what it reaches before it is kept, and what would no longer fit.
func TestWhatAChangeOfADatasetReaches(t *testing.T) {
	d := open(t, "reach")
	_, err := d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("kinds", count(`"every row"`)), widget("dear", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"form":"key figures"}`)), workspace.On{})
	require.NoError(t, err)
	_, err = d.SaveChart(ctx, edda, "costs", "", []byte(`{"version":2,"dataset":"jobs","title":"Costs","measures":[{"sum":"cost"}],"form":"key figures"}`), workspace.On{})
	require.NoError(t, err)
	p, err := d.DatasetPage(ctx, mara, "jobs")
	require.NoError(t, err)
	without := *p.Doc
	without.Fields = slices.DeleteFunc(slices.Clone(p.Doc.Fields), func(f dataset.FieldDocument) bool { return f.Name == "cost" })
	reach, err := d.Reach(ctx, mara, &without)
	require.NoError(t, err)
	assert.Len(t, reach.Reached, 3)
	require.Len(t, reach.Broken, 2)
	assert.Contains(t, reach.Words(), "“Costs” (chart)")
	assert.Contains(t, reach.Words(), "“One” (dashboard, “")
	_, err = d.SaveDataset(ctx, mara, &without, workspace.On{Revision: p.Revision}, false)
	var breaking *workspace.Breaking
	require.ErrorAs(t, err, &breaking)
	_, err = d.SaveDataset(ctx, mara, &without, workspace.On{Revision: p.Revision}, true)
	require.NoError(t, err, "anyway")
	told, err := d.Notices(ctx, edda, 0, 10)
	require.NoError(t, err)
	require.Len(t, told, 2, "their keeper is told of each")
	assert.Contains(t, told[0].Words+told[1].Words, "has changed the dataset “Jobs”, with which your dashboard “One” no longer works")
	assert.NotEmpty(t, told[0].Note, "and why")
	without.Title = "Work"
	_, err = d.SaveDataset(ctx, mara, &without, workspace.On{Revision: p.Revision + 1}, false)
	require.NoError(t, err, "what was broken before does not count")
	assert.Equal(t, problem.Conflict, code(d.Remove(ctx, mara, workspace.Dataset, "jobs", workspace.On{})))
}

// The records behind a mark are those of the version that it was drawn from.
func TestAMarkIsAnsweredByItsVersion(t *testing.T) {
	d := open(t, "marks")
	_, err := d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("a", count(`{"field":"yard","is":"1"}`))), workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	foreman := viewer("one")
	look := func() *workspace.Look {
		l, err := d.Look(ctx, foreman, "one", false, dashboard.State{})
		require.NoError(t, err)
		return l
	}
	a, err := look().Widget("a", view.Figures)
	require.NoError(t, err)
	mark := a.Whole
	require.Equal(t, 1, mark.Version)
	before, err := look().Records("a", mark, workspace.Paging{})
	require.NoError(t, err)
	require.EqualValues(t, 30, before.Count)
	_, err = d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("b", count(`"every row"`)), widget("a", count(`{"all":[{"field":"yard","is":"1"},{"field":"kind","is":"care"}]}`))), workspace.On{Revision: 1})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	after, err := look().Records("a", mark, workspace.Paging{})
	require.NoError(t, err)
	assert.Equal(t, before.Count, after.Count)
	now, err := look().Records("a", marks.Reference{Version: 2, Now: mark.Now}, workspace.Paging{})
	require.NoError(t, err)
	assert.EqualValues(t, 10, now.Count)
	_, err = look().Records("a", marks.Reference{Version: 3, Now: mark.Now}, workspace.Paging{})
	assert.Equal(t, problem.NotFound, code(err), "a version that there is not")
	// What the author allows now decides, and a version of long ago answers nobody but authors.
	_, err = d.SaveDashboard(ctx, edda, "one", []byte(strings.Replace(string(page("one", "One", widget("a", count(`"every row"`)))), `["records"]`, `[]`, 1)), workspace.On{Revision: 2})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	_, err = look().Records("a", mark, workspace.Paging{})
	assert.Equal(t, problem.Forbidden, code(err))
}

// A published dashboard answers the same, byte for byte, whatever becomes of the library's
// chart on it, until it is published anew; everywhere, in one step, or not at all.
func TestWhatIsPublishedStays(t *testing.T) {
	d := open(t, "published")
	_, err := d.SaveChart(ctx, edda, "kinds", "", []byte(count(`"every row"`)), workspace.On{})
	require.NoError(t, err)
	library := `{"id":"a","at":[0,0,4,4],"chart":{"library":"kinds"}}`
	for _, name := range []string{"one", "two"} {
		_, err = d.SaveDashboard(ctx, edda, name, page(name, name, library), workspace.On{})
		require.NoError(t, err)
		_, err = d.Publish(ctx, edda, name)
		require.NoError(t, err)
	}
	answer := func(name string) string {
		l, err := d.Look(ctx, edda, name, false, dashboard.State{})
		require.NoError(t, err)
		a, err := l.Widget("a", view.Drawing|view.Figures)
		require.NoError(t, err)
		a.Whole.Version = 0 // which version it is changes by itself
		b, err := json.Marshal(a.Grid.Rows)
		require.NoError(t, err)
		return a.Sentence + string(b)
	}
	was := answer("one")
	_, err = d.SaveChart(ctx, edda, "kinds", "", []byte(count(`{"field":"kind","is":"care"}`)), workspace.On{Revision: 1})
	require.NoError(t, err)
	assert.Equal(t, was, answer("one"), "a draft of the library")
	// A dashboard that cannot be moved keeps all from being moved.
	require.NoError(t, d.store.Change(ctx, "", func(tx *store.Tx) error {
		k, err := tx.Lock(ctx, store.Dashboard, "two")
		require.NoError(t, err)
		refs := []store.Reference{{Kind: store.Chart, Name: "kinds", Pinned: 1}}
		return errors.Join(tx.Publish(ctx, k, []byte(`{"version": 99}`), refs), tx.Audit(ctx, "broke", ""))
	}))
	_, _, err = d.PublishChart(ctx, edda, "kinds", workspace.Everywhere)
	assert.ErrorContains(t, err, "newer Eskadel")
	assert.Equal(t, was, answer("one"))
	_, err = d.Publish(ctx, edda, "two")
	require.NoError(t, err)
	_, on, err := d.PublishChart(ctx, edda, "kinds", workspace.Everywhere)
	require.NoError(t, err)
	assert.Equal(t, []string{"one", "two"}, on)
	assert.NotEqual(t, was, answer("one"))
	o, err := d.Dashboard(ctx, edda, "one", false)
	require.NoError(t, err)
	assert.Equal(t, [2]int{2, 2}, [2]int{o.Version, o.Doc.Pages[0].Widgets[0].Chart.Version})
	_, on, err = d.PublishChart(ctx, edda, "kinds", workspace.Everywhere)
	require.NoError(t, err)
	assert.Empty(t, on, "nothing is left to move")
	words, err := d.Compare(ctx, edda, workspace.Chart, "kinds", 1, 2)
	require.NoError(t, err)
	assert.Equal(t, []string{`where was “every row”, is something else`}, words)
}

// A renamed dashboard and dataset are found by what they were called, by people and charts.
func TestRenaming(t *testing.T) {
	d := open(t, "names")
	_, err := d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("a", count(`"every row"`))), workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	_, err = d.Rename(ctx, mara, workspace.Dataset, "jobs", "work")
	require.NoError(t, err)
	_, err = d.Rename(ctx, edda, workspace.Dashboard, "one", "first")
	require.NoError(t, err)
	for _, name := range []string{"one", "first"} {
		l, err := d.Look(ctx, viewer(name), name, false, dashboard.State{})
		require.NoError(t, err, name)
		a, err := l.Widget("a", view.Figures)
		require.NoError(t, err, name)
		assert.Len(t, a.Grid.Rows, 3)
	}
	uses, err := d.Uses(ctx, mara, workspace.Dataset, "work")
	require.NoError(t, err)
	require.Len(t, uses, 1)
	assert.Equal(t, "One (dashboard)", uses[0].Words())
	_, err = d.SaveDashboard(ctx, edda, "one", page("one", "Another", widget("a", count(`"every row"`))), workspace.On{})
	assert.Equal(t, problem.Unstated, code(err), "the old name is still this one's")
}

// One document that cannot be read stands in its place and says so; the rest goes on.
func TestOneBrokenDocumentTakesNothingDown(t *testing.T) {
	d := open(t, "broken")
	_, err := d.SaveDashboard(ctx, edda, "fine", page("fine", "Fine", widget("a", count(`"every row"`))), workspace.On{})
	require.NoError(t, err)
	require.NoError(t, d.store.Change(ctx, "", func(tx *store.Tx) error {
		for _, k := range []struct{ kind, name, draft string }{
			{store.Dashboard, "future", `{"version":99,"name":"future"}`}, {store.Dashboard, "torn", `{"version":1,"pages":7}`}, {store.Dashboard, "lonely", string(page("lonely", "Lonely", widget("a", strings.Replace(count(`"every row"`), "jobs", "gone", 1))))},
			{store.Chart, "future", `{"version":99}`}, {store.Chart, "lonely", strings.Replace(count(`"every row"`), "jobs", "gone", 1)},
			{store.Dataset, "future", `{"version":99,"name":"future"}`}, {store.Dataset, "torn", `[]`}, {store.Dataset, "lonely", `{"version":1,"name":"lonely","title":"Lonely","record":["a","b"],"source":"gone","from":{"table":"x"},"key":["id"],"fields":[]}`},
			{store.Settings, "workspace", `{"version":99}`},
		} {
			doc := &store.Document{Kind: k.kind, Name: k.name, Title: k.name, Draft: store.JSON(k.draft)}
			if err := errors.Join(tx.Add(ctx, doc, nil), tx.Publish(ctx, doc, doc.Draft, nil)); err != nil {
				return err
			}
		}
		return tx.Audit(ctx, "broke", "")
	}))
	for name, w := range map[string]*workspace.Workspace{"where it was made": d.Workspace, "started anew": func() *workspace.Workspace { w, _ := instance(t, d.own); return w }()} {
		rows, err := w.Dashboards(ctx, mara, "")
		require.NoError(t, err, name)
		trouble := map[string]bool{}
		for _, r := range rows {
			trouble[r.Name] = r.Trouble != nil
		}
		assert.Equal(t, map[string]bool{"fine": false, "future": true, "torn": true, "lonely": false}, trouble, name)
		library, err := w.Library(ctx, mara)
		require.NoError(t, err, name)
		assert.Len(t, library, 2)
		sets, err := w.DatasetRows(ctx, mara)
		require.NoError(t, err, name)
		assert.Len(t, sets, 4)
		for _, r := range sets {
			assert.Equal(t, r.Name == "jobs", r.Trouble == "", "%s: %s", r.Name, r.Trouble)
			p, err := w.DatasetPage(ctx, mara, r.Name)
			require.NoError(t, err, r.Name)
			assert.Equal(t, r.Name == "jobs", p.Trouble == nil, r.Name)
		}
		_, _, err = w.Settings(ctx, mara)
		assert.ErrorContains(t, err, "newer Eskadel", name)
		_, err = w.Datasets(ctx, edda)
		require.NoError(t, err)
		l, err := w.Look(ctx, edda, "lonely", false, dashboard.State{})
		require.NoError(t, err, "a page opens though its widget cannot")
		_, err = l.Widget("a", view.Drawing)
		assert.ErrorContains(t, err, "no dataset “gone”")
		_, err = l.Listen()
		assert.Error(t, err)
	}
}

// A row rule is kept by table: two builders who change different tables do not meet.
func TestRulesAreKeptByTable(t *testing.T) {
	d := open(t, "rules")
	_, tag, err := d.SourceRules(ctx, mara, "desk")
	require.NoError(t, err)
	_, job, err := d.TableRules(ctx, mara, "desk", "public.job")
	require.NoError(t, err)
	_, yard, err := d.TableRules(ctx, mara, "desk", "public.yard")
	require.NoError(t, err)
	closed := dataset.TableRules{Table: "public.yard", RowRules: []dataset.RowRule{{Roles: []string{"director"}}}}
	_, err = d.SaveTableRules(ctx, mara, "desk", everybody("public.job"), workspace.On{Revision: job.Revision})
	require.NoError(t, err)
	_, err = d.SaveTableRules(ctx, mara, "desk", closed, workspace.On{Revision: yard.Revision})
	require.NoError(t, err)
	_, err = d.SaveTableRules(ctx, mara, "desk", everybody("public.yard"), workspace.On{Revision: yard.Revision})
	assert.Equal(t, problem.Outdated, code(err))
	rules, now, err := d.SourceRules(ctx, mara, "desk")
	require.NoError(t, err)
	assert.NotEqual(t, tag, now)
	assert.Equal(t, problem.Outdated, code(d.SaveSourceRules(ctx, mara, rules, tag)))
	assert.Equal(t, problem.Unstated, code(d.SaveSourceRules(ctx, mara, rules, "")))
	// A table that all rules are taken from lets nobody in, and keeps its history.
	rules.Tables = rules.Tables[:1]
	require.NoError(t, d.SaveSourceRules(ctx, mara, rules, now))
	_, err = d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("a", strings.Replace(count(`"every row"`), `"kind"`, `"yard"`, 1))), workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	assert.ErrorContains(t, err, "Nobody has said yet who may see")
	_, yard, err = d.TableRules(ctx, mara, "desk", "public.yard")
	require.NoError(t, err)
	_, err = d.GoBack(ctx, mara, workspace.Rules, "desk/public.yard", 1, workspace.On{Revision: yard.Revision})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	_, err = d.SaveTableRules(ctx, mara, "desk", dataset.TableRules{Table: "public.barge"}, workspace.On{})
	assert.ErrorContains(t, err, "no table “public.barge”")
	for _, who := range []*identity.Caller{edda, viewer("one"), nil} {
		_, _, err := d.SourceRules(ctx, who, "desk")
		assert.Contains(t, []string{problem.Forbidden, problem.SignedOut}, code(err))
	}
}

// What one instance connects, shares and removes holds on the other.
func TestInstancesAgree(t *testing.T) {
	d := open(t, "instances")
	other, s := instance(t, d.own)
	soon := func(f func() bool, why string) {
		t.Helper()
		require.Eventually(t, f, 10*time.Second, 2*time.Millisecond, why)
	}
	soon(func() bool { return d.store.Hearing() && s.Hearing() }, "both listen")
	_, err := d.Connect(ctx, mara, workspace.Connection{Name: "second", Title: "Second", Address: d.reader})
	require.NoError(t, err)
	soon(func() bool { tables, err := other.Tables(ctx, mara, "second"); return err == nil && len(tables) == 2 }, "a source")
	require.NoError(t, d.ShareSource(ctx, mara, "desk", []string{"nobody@example.org"}))
	soon(func() bool { _, err := other.Dataset(ctx, edda, "jobs"); return code(err) == problem.NotFound }, "who may use it")
	require.NoError(t, other.RemoveSource(ctx, mara, "second", workspace.On{}))
	soon(func() bool { _, err := d.Tables(ctx, mara, "second"); return code(err) == problem.NotFound }, "it is closed")
	_, err = other.SaveSettings(ctx, mara, []byte(`{"version":1,"zone":"Europe/Paris"}`), workspace.On{})
	require.NoError(t, err)
	soon(func() bool { return d.Calendar().Zone.String() == "Europe/Paris" }, "settings")
	rules := dataset.TableRules{Table: "public.job", RowRules: []dataset.RowRule{{Roles: []string{"nobody"}}}}
	_, st, err := other.TableRules(ctx, mara, "desk", "public.job")
	require.NoError(t, err)
	_, err = other.SaveTableRules(ctx, mara, "desk", rules, workspace.On{Revision: st.Revision})
	require.NoError(t, err)
	soon(func() bool {
		tables, err := d.Tables(ctx, mara, "desk")
		return err == nil && tables.Table("job").Rules.RowRules[0].Roles[0] == "nobody"
	}, "row rules")
}

// Everything that is done is told of, by whoever did it, in words for people.
func TestTheAuditLogSpeaksToPeople(t *testing.T) {
	d := open(t, "audit")
	_, err := d.SaveDashboard(ctx, edda, "one", page("one", "First of all", widget("a", count(`"every row"`))), workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	require.NoError(t, d.RegisterHost(ctx, mara, workspace.Registration{Name: "desk", Title: "The desk", Origins: []string{"https://desk.example"}}))
	_, err = d.MakeHostKey(ctx, mara, "desk", "k1")
	require.NoError(t, err)
	require.NoError(t, d.EndHostKey(ctx, mara, "k1"))
	require.NoError(t, d.Remove(ctx, edda, workspace.Dashboard, "one", workspace.On{}))
	log, err := d.Audit(ctx, mara, 0, 6)
	require.NoError(t, err)
	var words []string
	for _, e := range slices.Backward(log) {
		words = append(words, e.Who+" "+e.What+": "+e.About)
	}
	assert.Equal(t, []string{"Mara made the dataset: Jobs", "Edda published version 1 of the dashboard: First of all", "Mara registered the host app: The desk", "Mara made a key of the host app: The desk: k1 (HS256)", "Mara ended the host app's key: k1", "Edda removed the dashboard: First of all"}, words)
	_, err = d.Audit(ctx, edda, 0, 6)
	assert.Equal(t, problem.Forbidden, code(err))
	for _, origins := range [][]string{nil, {"desk.example"}, {"https://desk.example/path"}, {"javascript:alert(1)"}, {"https://a.example; script-src *"}} {
		assert.Error(t, d.RegisterHost(ctx, mara, workspace.Registration{Name: "desk", Origins: origins}), origins)
	}
}
