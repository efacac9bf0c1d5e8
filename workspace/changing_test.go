package workspace_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/localpg/pgtest"
	"eskadel/store"
	"eskadel/view"
	"eskadel/workspace"
)

// hazards are records with a field of each kind, with checks and triggers of the application's own, which find
// its tables by their bare names.
const hazards = `create table staff (id int primary key, name text not null, secret boolean not null default false);
insert into staff values (1, 'Orla', false), (2, 'Bram', false), (3, 'Nobody', true);
create table hazard (id int primary key, title text not null, state text not null check (state in ('open', 'watched', 'closed')), due date, cost numeric(8,2) constraint cost_is_not_negative check (cost >= 0), crew int unique, at timestamptz, wall timestamp, rough float8, late boolean,
	yard_id int not null references yard, owner_id int references staff, note varchar(10), twice numeric generated always as (cost * 2) stored, changes int not null default 0);
insert into hazard select n, 'hazard ' || n, 'open', '2026-03-01', n, null, '2026-03-01 10:00Z', '2026-03-01 10:00', 0.1, false, n % 2 + 1, 1, 'note' from generate_series(1, 40) n;
create function minds() returns trigger language plpgsql as $$ begin
	if new.state = 'closed' and new.cost > 30 then raise exception 'It costs too much to close “%”.', new.title; end if;
	if new.note = 'shout' then new.note := 'SHOUT'; end if;
	if new.note = 'no' then return null; end if;
	if (select count(*) from yard) = 0 then raise exception 'no yards'; end if;
	new.changes := old.changes + 1;
	return new;
end $$;
create trigger minds before update on hazard for each row execute function minds();`

const hazardFields = `"fields":[{"name":"title","column":"title","label":"Hazard"},{"name":"state","column":"state","label":"State","list":["open","watched","closed","gone"]},{"name":"due","column":"due","label":"Due","time":"planned"},{"name":"cost","column":"cost","label":"Cost"},{"name":"crew","column":"crew","label":"Crew"},
{"name":"at","column":"at","label":"At"},{"name":"wall","column":"wall","label":"Wall"},{"name":"rough","column":"rough","label":"Rough"},{"name":"late","column":"late","label":"Late"},{"name":"yard","link":["yard_id"],"show":"name","label":"Yard"},{"name":"owner","link":["owner_id"],"show":"name","label":"Owner"},{"name":"note","column":"note","label":"Note"},{"name":"twice","column":"twice","label":"Twice"},{"name":"changes","column":"changes","label":"Changes"},
{"name":"dear","formula":"cost > 20","label":"Dear"},{"name":"region","link":["yard_id"],"column":"region","label":"Region"}]`

const hazardChanges = `["state","due","cost","crew","at","wall","rough","late","yard","owner","note","twice"]`

func hazardSet(editing string) *dataset.Document {
	d, err := dataset.Read([]byte(`{"version":1,"name":"hazards","title":"Hazards","record":["hazard","hazards"],"source":"desk","from":{"table":"hazard"},"key":["id"],"open_record":"/hazards/{id}",` + hazardFields + editing + `}`))
	if err != nil {
		panic(err)
	}
	return d
}

// changing opens a workspace in which foremen change hazards of their own yard.
func changing(t *testing.T, name string) *desk {
	d := open(t, name)
	role := "workspace_" + name + "_changer"
	_, err := pgtest.Cluster(t).Database(ctx, role, "postgres")
	require.NoError(t, err)
	as := pgx.Identifier{role}.Sanitize()
	_, err = d.records.Exec(ctx, hazards+"grant select on all tables in schema public to "+as+"; grant update (state, due, cost, crew, at, wall, rough, late, yard_id, owner_id, note, twice) on hazard to "+as, pgx.QueryExecModeSimpleProtocol)
	require.NoError(t, err)
	require.NoError(t, d.ReadTables(ctx, mara, "desk"))
	found, err := d.NameChanger(ctx, mara, "desk", role, "", false)
	require.NoError(t, err)
	assert.Equal(t, []string{"“" + role + "” may change state, due, cost, crew, at, wall, rough, late, yard_id, owner_id, note, twice of hazard."}, found)
	rules, err := dataset.ReadRules([]byte(`{"version":1,"source":"desk","tables":[{"table":"job","row_rules":[{"roles":["everyone"],"where":"every row"}]},{"table":"yard","row_rules":[{"roles":["everyone"],"where":"every row"}]},
		{"table":"staff","row_rules":[{"roles":["everyone"],"where":{"field":"secret","is":false}}]},
		{"table":"hazard","row_rules":[{"roles":["foreman"],"where":{"field":"yard_id","is":{"viewer":"yard"}}},{"roles":["director"],"where":"every row"}],"hidden":[{"columns":["late"],"except":["director"]}]}]}`))
	require.NoError(t, err)
	source, err := d.SourcePage(ctx, mara, "desk")
	require.NoError(t, err)
	require.NoError(t, d.SaveSourceRules(ctx, mara, rules, source.RulesTag))
	require.NoError(t, second(d.SaveDataset(ctx, mara, hazardSet(`,"editing":{"fields":`+hazardChanges+`}`), workspace.On{}, false)))
	table := func(fields ...string) string {
		var edit []string
		for _, f := range fields {
			edit = append(edit, `{"field":"`+f+`","roles":["foreman","director"]}`)
		}
		return `{"version":2,"dataset":"hazards","measures":[{"count":"records"}],"form":"records","show":["title","state","cost"],"order":{"field":"title"},"edit":[` + strings.Join(edit, ",") + `]}`
	}
	doc := strings.Replace(string(page("hazards", "Hazards", widget("list", table("state", "due", "cost", "crew", "at", "wall", "rough", "yard", "owner", "note", "twice")), widget("other", table()),
		widget("director", strings.ReplaceAll(table("state"), `"foreman","director"`, `"director"`)))), `"records"]}`, `"records","change"]}`, 1)
	require.NoError(t, second(d.SaveDashboard(ctx, edda, "hazards", []byte(doc), workspace.On{})))
	require.NoError(t, second(d.Publish(ctx, edda, "hazards")))
	return d
}

func foreman(yard any) *identity.Caller {
	c := viewer("hazards")
	c.ID, c.Name, c.Attributes = fmt.Sprint("desk/", yard), fmt.Sprint("Foreman ", yard), filter.Attributes{"yard": yard}
	return c
}

func (d *desk) at(t require.TestingT, who *identity.Caller) *workspace.Look {
	l, err := d.Look(ctx, who, "hazards", false, dashboard.State{})
	require.NoError(t, err)
	return l
}

func (d *desk) ask(t require.TestingT, sql string) (out string) {
	require.NoError(t, d.records.QueryRow(ctx, "select coalesce(("+sql+")::text, '–')").Scan(&out), sql)
	return out
}

func TestRecordsAreChanged(t *testing.T) {
	d := changing(t, "changed")
	ivo := foreman(1) // yard 1 has the even ones
	key := []string{"2"}
	set := func(field, typed string) (*workspace.Changed, error) {
		l := d.at(t, ivo)
		r, err := l.Record("list", key)
		require.NoError(t, err)
		return l.Change("list", key, field, typed, r.Version)
	}
	for _, c := range []struct{ field, typed, shown, column, stored, told string }{
		{"state", "watched", "watched", "state", "watched", ""}, {"due", "2026-04-30", "30 Apr 2026", "due", "2026-04-30", ""}, {"due", "", "", "due", "–", ""}, {"cost", "12.5", "12.5", "cost", "12.50", ""}, {"crew", "7", "7", "crew", "7", ""},
		{"at", "2026-07-01T10:00", "1 Jul 2026, 10:00", "at at time zone 'UTC'", "2026-07-01 10:00:00", ""}, {"wall", "2026-07-01T10:00", "1 Jul 2026, 10:00", "wall", "2026-07-01 10:00:00", ""}, {"rough", "0.3", "0.3", "rough", "0.3", ""}, {"rough", "0.1", "0.1", "rough", "0.1", ""},
		{"owner", "2", "Bram", "owner_id", "2", ""}, {"owner", "", "", "owner_id", "–", ""}, {"note", "o'k", "o'k", "note", "o'k", ""}, {"note", "shout", "SHOUT", "note", "SHOUT", "The application keeps it as “SHOUT”."},
	} {
		made, err := set(c.field, c.typed)
		if assert.NoError(t, err, c.field) {
			assert.Equal(t, []string{c.shown, c.told, "hazard 2"}, []string{made.Shown, made.Told, made.Title}, c.field)
			assert.Equal(t, c.stored, d.ask(t, "select "+c.column+" from hazard where id = 2"), c.field)
			assert.NotZero(t, made.ID)
		}
	}
	made, err := set("state", "watched")
	require.NoError(t, err)
	assert.Zero(t, made.ID, "it was so already")

	before := d.ask(t, "select hazard::text from hazard where id = 2")
	for _, c := range []struct{ field, typed, code, words string }{
		{"cost", "-1", problem.Invalid, "The application's own check, “cost is not negative”, does not allow this."}, {"state", "gone", problem.Invalid, "The application's own check does not allow this."}, {"cost", "1.234", problem.Invalid, "Cost has at most 2 digits after the point."},
		{"note", "longer than ten", problem.Invalid, "This is longer than the application keeps."}, {"note", "no", problem.Conflict, "The record was changed at this moment, or the application itself did not take the change."}, {"crew", "99999999999", problem.Invalid, "This number is larger than the application keeps."},
		{"state", "shut", problem.Invalid, "State is one of: open, watched, closed, gone."}, {"state", "", problem.Invalid, "State must not be empty."}, {"twice", "4", problem.Invalid, "The database works this out itself: it cannot be set."},
		{"yard", "2", problem.Forbidden, "With this value the record would be one that you may not see: it stays as it was."}, {"yard", "77", problem.NotFound, "Yard cannot lead there: there is no such record, or none that you may see."}, {"owner", "3", problem.NotFound, "Owner cannot lead there: there is no such record, or none that you may see."},
		{"owner", "1 or 1", problem.Invalid, "“1 or 1” is not a number."}, {"late", "true", problem.Forbidden, "This field is not changed here."}, {"title", "x", problem.Forbidden, "This field is not changed here."}, {"dear", "true", problem.Forbidden, "This field is not changed here."}, {"nothing", "x", problem.Forbidden, "This field is not changed here."},
	} {
		_, err := set(c.field, c.typed)
		if p := problem.Of(err); assert.NotNil(t, p, "%s to %s", c.field, c.typed) {
			assert.Equal(t, c.code+": "+c.words, p.Code+": "+p.Words, "%s to %s", c.field, c.typed)
		}
	}
	_, err = d.records.Exec(ctx, "update hazard set crew = 8 where id = 4; update hazard set cost = 31 where id = 2", pgx.QueryExecModeSimpleProtocol)
	require.NoError(t, err)
	_, err = set("crew", "8")
	assert.ErrorContains(t, err, "Another record has this already")
	_, err = set("state", "closed")
	assert.ErrorContains(t, err, "It costs too much to close “hazard 2”.", "a trigger's own words")
	_, err = d.records.Exec(ctx, "update hazard set cost = 12.5, changes = 12 where id = 2")
	require.NoError(t, err)
	assert.Equal(t, strings.Split(before, ",")[:14], strings.Split(d.ask(t, "select hazard::text from hazard where id = 2"), ",")[:14], "nothing that was refused was kept")

	// What a viewer does not see of a record is not told of its past either.
	require.NoError(t, second(d.at(t, mara).Change("list", key, "owner", "3", d.version(t, mara, "2"))))
	r, err := d.at(t, ivo).Record("list", key)
	require.NoError(t, err)
	assert.Equal(t, workspace.RecordChange{ID: r.Changes[0].ID, At: r.Changes[0].At, By: "Mara", Label: "Owner", Was: "", Now: "(not shown)"}, r.Changes[0])
	assert.Equal(t, "/hazards/2", r.Address())
	assert.Len(t, r.Changes, 14)
	for _, f := range r.Fields {
		assert.NotEqual(t, "late", f.Name)
		if f.Name == "owner" {
			assert.Equal(t, "(not shown)", f.Shown)
		}
	}
	// Where viewers do not list records, the drawer of one has the fields of the table alone.
	o, err := d.Changing(ctx, edda, "hazards")
	require.NoError(t, err)
	require.NoError(t, second(d.SaveDashboard(ctx, edda, "hazards", []byte(strings.Replace(string(o.Doc.JSON()), "\"filters\",\n    \"records\",", `"filters",`, 1)), workspace.On{Revision: o.Revision})))
	require.NoError(t, second(d.Publish(ctx, edda, "hazards")))
	r, err = d.at(t, ivo).Record("list", key)
	require.NoError(t, err)
	for _, f := range r.Fields {
		assert.True(t, f.Edits || f.Field.Name == "title", f.Field.Name)
	}
	_, control, more, err := d.at(t, ivo).Control("list", key, "owner", "")
	require.NoError(t, err)
	assert.Equal(t, "choice 3 [{3 (not shown)} {2 Bram} {1 Orla}] false", fmt.Sprint(control.Kind, " ", control.Value, " ", control.Options, " ", more))
	_, control, more, err = d.at(t, ivo).Control("list", key, "owner", "bra")
	require.NoError(t, err)
	assert.Equal(t, "[{3 (not shown)} {2 Bram}] true", fmt.Sprint(control.Options, " ", more))
}

func (d *desk) version(t require.TestingT, who *identity.Caller, key ...string) string {
	r, err := d.at(t, who).Record("list", key)
	require.NoError(t, err)
	return r.Version
}

// Every way round: another's record, field, table, role, dashboard, program, key or state.
func TestNobodyChangesWhatIsNotTheirs(t *testing.T) {
	d := changing(t, "theirs")
	all := d.ask(t, "select md5(string_agg(h::text, ',' order by id)) from hazard h")
	other := d.version(t, edda, "1") // of yard 2
	ivo := foreman(1)
	mine := d.version(t, ivo, "2")
	refused := func(want string, who *identity.Caller, widget string, key []string, field, typed, version string) {
		l, err := d.Look(ctx, who, "hazards", false, dashboard.State{})
		if err == nil {
			_, err = l.Change(widget, key, field, typed, version)
		}
		assert.Equal(t, want, code(err), "%s %s %v %s: %v", who.ID, widget, key, field, err)
	}
	refused(problem.NotFound, ivo, "list", []string{"1"}, "state", "watched", other)
	refused(problem.NotFound, ivo, "list", []string{"99"}, "state", "watched", mine)
	refused(problem.Outdated, ivo, "list", []string{"2"}, "state", "watched", "1")
	refused(problem.Outdated, ivo, "list", []string{"2"}, "state", "watched", "")
	refused(problem.Invalid, ivo, "list", []string{"2", "2"}, "state", "watched", mine)
	refused(problem.Invalid, ivo, "list", nil, "state", "watched", mine)
	refused(problem.Invalid, ivo, "list", []string{"2 or true"}, "state", "watched", mine)
	refused(problem.Forbidden, ivo, "other", []string{"2"}, "state", "watched", mine)
	refused(problem.Forbidden, ivo, "director", []string{"2"}, "state", "watched", mine)
	refused(problem.NotFound, ivo, "nowhere", []string{"2"}, "state", "watched", mine)
	guest := foreman(1)
	guest.Roles = []string{"guest"}
	refused(problem.Forbidden, guest, "list", []string{"2"}, "state", "watched", mine)
	refused(problem.NotFound, foreman(nil), "list", []string{"2"}, "state", "watched", mine)
	elsewhere := foreman(1)
	elsewhere.Dashboards = []string{"another"}
	refused(problem.Forbidden, elsewhere, "list", []string{"2"}, "state", "watched", mine)
	program := *edda
	program.Program = true
	refused(problem.Forbidden, &program, "list", []string{"2"}, "state", "watched", mine)
	_, err := d.at(t, ivo).Record("list", []string{"1"})
	assert.Equal(t, problem.NotFound, code(err))
	_, _, _, err = d.at(t, ivo).Control("list", []string{"1"}, "state", "")
	assert.Equal(t, problem.NotFound, code(err))

	// The author takes it back: it holds at once.
	o, err := d.Changing(ctx, edda, "hazards")
	require.NoError(t, err)
	doc := strings.Replace(string(o.Doc.JSON()), `"change"`, `"ask"`, 1)
	require.NoError(t, second(d.SaveDashboard(ctx, edda, "hazards", []byte(doc), workspace.On{Revision: o.Revision})))
	require.NoError(t, second(d.Publish(ctx, edda, "hazards")))
	refused(problem.Forbidden, ivo, "list", []string{"2"}, "state", "watched", mine)
	// The builder takes a field back, or the role: charts say so, and nothing is changed any more.
	require.NoError(t, second(d.SaveDataset(ctx, mara, hazardSet(`,"editing":{"fields":["due"]}`), workspace.On{Revision: d.revision(t)}, true)))
	refused(problem.Forbidden, edda, "list", []string{"2"}, "state", "watched", mine)
	require.NoError(t, second(d.SaveDataset(ctx, mara, hazardSet(`,"editing":{"fields":`+hazardChanges+`}`), workspace.On{Revision: d.revision(t)}, true)))
	require.NoError(t, second(d.NameChanger(ctx, mara, "desk", "", "", false)))
	refused(problem.Forbidden, edda, "list", []string{"2"}, "state", "watched", mine)
	assert.Equal(t, all, d.ask(t, "select md5(string_agg(h::text, ',' order by id)) from hazard h"))

	assert.Equal(t, problem.Forbidden, code(second(d.NameChanger(ctx, edda, "desk", "x", "", false))))
	assert.Equal(t, problem.Invalid, code(second(d.NameChanger(ctx, mara, "desk", "nobody_of_this_name", "", false))))
	_, err = d.NameChanger(ctx, mara, "desk", "workspace_theirs_records_reader", "", false)
	assert.ErrorContains(t, err, "may not change a column of any table")
	err = second(d.SaveDataset(ctx, mara, hazardSet(`,"editing":{"fields":["state"],"host_app":"nobody","address":"/x/{id}"}`), workspace.On{Revision: d.revision(t)}, true))
	assert.Equal(t, "editing.host_app", problem.Of(err).Place)
}

func (d *desk) revision(t require.TestingT) int {
	kept, err := d.store.Document(ctx, workspace.Dataset, "hazards")
	require.NoError(t, err)
	return kept.Revision
}

// Nobody's newer change is overwritten: it is shown, and one's own is made upon it.
func TestNewerChangesAreShown(t *testing.T) {
	d := changing(t, "newer")
	ivo, key := foreman(1), []string{"2"}
	old := d.version(t, ivo, "2")
	made, err := d.at(t, edda).Change("list", key, "state", "watched", old)
	require.NoError(t, err)
	_, err = d.at(t, ivo).Change("list", key, "state", "closed", old)
	var newer *workspace.Newer
	require.ErrorAs(t, err, &newer)
	assert.Regexp(t, `^This record was changed meanwhile: State is “watched” now, last changed by Edda at .+\. Nothing of that is overwritten; set yours again if it is still to be so\.$`, newer.Words)
	assert.Equal(t, made.Version, newer.Version)
	mine, err := d.at(t, ivo).Change("list", key, "state", "closed", newer.Version)
	require.NoError(t, err)
	assert.Equal(t, "watched closed", mine.Was+" "+mine.Shown)

	// One's own last change is undone, once, and only where it is still so.
	undo := func(who *identity.Caller, id int64) string {
		_, err := d.at(t, who).Undo("list", id)
		return code(err)
	}
	assert.Equal(t, problem.Outdated, undo(edda, made.ID), "somebody changed it since")
	assert.Equal(t, problem.Forbidden, undo(edda, mine.ID), "it is another's")
	assert.Equal(t, problem.NotFound, undo(ivo, 9999))
	r, err := d.at(t, ivo).Record("list", key)
	require.NoError(t, err)
	assert.Equal(t, []bool{true, false}, []bool{r.Changes[0].May, r.Changes[1].May})
	back, err := d.at(t, ivo).Undo("list", mine.ID)
	require.NoError(t, err)
	assert.Equal(t, "closed watched", back.Was+" "+back.Shown)
	assert.Equal(t, "watched", d.ask(t, "select state from hazard where id = 2"))
	assert.Equal(t, problem.Forbidden, undo(ivo, mine.ID), "once")
	assert.Equal(t, problem.Forbidden, undo(ivo, back.ID), "an undoing is not undone")
	// By the application itself, without anything in the log.
	_, err = d.records.Exec(ctx, "update hazard set state = 'open' where id = 2")
	require.NoError(t, err)
	_, err = d.at(t, ivo).Change("list", key, "state", "watched", back.Version)
	assert.ErrorContains(t, err, "last changed in the application")
}

// Many change few records at the same time: what each was told is kept is there, and the log is how it came to be.
func TestNoChangeIsLost(t *testing.T) {
	d := changing(t, "many")
	_, err := d.records.Exec(ctx, "alter table hazard drop constraint hazard_crew_key; update hazard set crew = 0")
	require.NoError(t, err)
	const editors, each = 50, 6
	var wait sync.WaitGroup
	var mu sync.Mutex
	kept, clashes := map[string]int{}, 0
	for n := range editors {
		wait.Add(1)
		go func() {
			defer wait.Done()
			random, who := rand.New(rand.NewPCG(uint64(n), 1)), foreman(1)
			who.ID = fmt.Sprint("desk/", n)
			for range each {
				key := fmt.Sprint(2 + 2*random.IntN(20))
				l, err := d.Look(ctx, who, "hazards", false, dashboard.State{})
				if !assert.NoError(t, err) {
					return
				}
				r, err := l.Record("list", []string{key})
				if !assert.NoError(t, err) {
					return
				}
				f, _ := r.Find("crew")
				next, _ := f.Value.Decimal().Int64()
				_, err = l.Change("list", []string{key}, "crew", fmt.Sprint(next+1), r.Version)
				mu.Lock()
				if err == nil {
					kept[key]++
				} else if clashes++; !problem.Is(err, problem.Outdated) && !problem.Is(err, problem.Down) {
					assert.NoError(t, err)
				}
				mu.Unlock()
			}
		}()
	}
	wait.Wait()
	assert.Positive(t, clashes, "they do get into each other's way")
	total := 0
	for n := 2; n <= 40; n += 2 {
		key := fmt.Sprint(n)
		assert.Equal(t, fmt.Sprint(kept[key]), d.ask(t, "select crew from hazard where id = "+key), "each change went on from the one before")
		edits, err := d.store.Edits(ctx, "desk", "public.hazard", []string{key}, 10_000)
		require.NoError(t, err)
		require.Len(t, edits, kept[key])
		at := "0"
		for i := len(edits) - 1; i >= 0; i-- {
			require.True(t, *edits[i].Done)
			require.Equal(t, at, *edits[i].Was, "the log goes on from where it was")
			at = *edits[i].Now
		}
		assert.Equal(t, fmt.Sprint(kept[key]), at)
		total += len(edits)
	}
	assert.Positive(t, total)
	own, err := pgxpool.New(ctx, d.own)
	require.NoError(t, err)
	defer own.Close()
	for _, sql := range []string{"update edits set now = 'x'", "delete from edits", "delete from edit_ends", "update edit_ends set done = false"} {
		_, err = own.Exec(ctx, sql)
		assert.ErrorContains(t, err, "is never changed", sql)
	}
}

// A host app is asked for the change instead: what it answers is what is said, and the log knows how it ended.
func TestAHostAppMakesTheChange(t *testing.T) {
	d := changing(t, "asked")
	answer, body := http.StatusOK, ""
	var path string
	var order struct {
		Change   int64
		Column   string
		Was, Now *string
	}
	app := httptest.NewServer(http.HandlerFunc(func(rw http.ResponseWriter, r *http.Request) {
		path = r.URL.Path
		assert.NoError(t, json.NewDecoder(r.Body).Decode(&order))
		if answer == 0 {
			panic(http.ErrAbortHandler)
		}
		if answer == http.StatusOK {
			conn, err := pgx.Connect(ctx, d.records.Config().ConnString())
			if assert.NoError(t, err) {
				_, err = conn.Exec(ctx, "update hazard set "+order.Column+" = $1::text::numeric where id = 2", order.Now)
				assert.NoError(t, err)
				_ = conn.Close(ctx)
			}
		}
		rw.WriteHeader(answer)
		_, _ = rw.Write([]byte(body))
	}))
	defer app.Close()
	require.NoError(t, d.store.Change(ctx, "mara", func(tx *store.Tx) error {
		if err := tx.SaveHostApp(ctx, &store.HostApp{Name: "desk", Title: "Desk", Address: app.URL, PassMinutes: 5}, []string{app.URL}); err != nil {
			return err
		}
		if err := tx.AddHostKey(ctx, &store.HostKey{ID: "k1", HostApp: "desk", Algorithm: identity.HS256}, identity.NewSecret()); err != nil {
			return err
		}
		return tx.Audit(ctx, "began", "")
	}))
	require.NoError(t, second(d.SaveDataset(ctx, mara, hazardSet(`,"editing":{"fields":`+hazardChanges+`,"host_app":"desk","address":"/eskadel/hazards/{id}"}`), workspace.On{Revision: d.revision(t)}, true)))
	require.NoError(t, second(d.NameChanger(ctx, mara, "desk", "", "", false)))
	ivo, key := foreman(1), []string{"2"}
	set := func(typed string) (*workspace.Changed, error) {
		return d.at(t, ivo).Change("list", key, "cost", typed, d.version(t, ivo, "2"))
	}
	made, err := set("7.5")
	require.NoError(t, err)
	assert.Equal(t, "/eskadel/hazards/2", path)
	assert.Equal(t, "cost 2.00 7.5 7.5", fmt.Sprint(order.Column, " ", *order.Was, " ", *order.Now, " ", made.Shown))
	assert.Equal(t, made.ID, order.Change)

	answer, body = http.StatusUnprocessableEntity, `{"message":"Not on a Sunday."}`
	_, err = set("8")
	assert.Equal(t, problem.Invalid+": Not on a Sunday.", code(err)+": "+problem.Of(err).Words)
	answer = http.StatusConflict
	_, err = set("8")
	assert.Equal(t, problem.Outdated, code(err))
	answer = 0
	_, err = set("8")
	assert.ErrorContains(t, err, "did not say whether it made the change")
	r, err := d.at(t, ivo).Record("list", key)
	require.NoError(t, err)
	require.Len(t, r.Changes, 2, "what was refused is not among what was changed")
	assert.Equal(t, []bool{true, false}, []bool{r.Changes[0].Unsure, r.Changes[1].Unsure})

	answer = http.StatusOK
	back, err := d.at(t, ivo).Undo("list", made.ID)
	require.NoError(t, err)
	assert.Equal(t, "2", back.Shown)
	app.Close()
	_, err = set("9")
	assert.ErrorContains(t, err, "does not answer: nothing is changed")
	stranger := foreman(1)
	stranger.HostApp = "another"
	_, err = d.at(t, stranger).Change("list", key, "cost", "9", d.version(t, stranger, "2"))
	assert.ErrorContains(t, err, "come from another application")
}

// Tables of other shapes: keys of several columns, of texts and UUIDs, in a schema of its own, in partitions, with enumerations
// and domains, names that must be quoted, and row security of the database's own.
func TestRecordsOfOddTablesAreChanged(t *testing.T) {
	d := open(t, "odd_changes")
	const role = "workspace_odd_changes_changer"
	_, err := pgtest.Cluster(t).Database(ctx, role, "postgres")
	require.NoError(t, err)
	_, err = d.records.Exec(ctx, `create schema "Odd One"; create type "Odd One".mood as enum ('calm', 'rough');
		create domain "Odd One".code as varchar(6) check (value ~ '^[A-Z]+$');
		create table "Odd One"."Order Line" ("Order No" uuid, "Line""No" text, mood "Odd One".mood, code "Odd One".code, "when" date, big bigint, small smallint, dear money, primary key ("Order No", "Line""No"));
		insert into "Odd One"."Order Line" values ('6f3a2f10-9a44-4a55-8c0b-0a6d7bd5a001', 'a "b'' c', 'calm', 'ABC', '2026-01-01', 9007199254740993, 7, 3.50);
		create table parted (id int, at date not null, state text, primary key (id, at)) partition by range (at);
		create table parted_1 partition of parted for values from ('2026-01-01') to ('2026-07-01'); create table parted_2 partition of parted for values from ('2026-07-01') to ('2027-01-01');
		insert into parted values (1, '2026-02-01', 'open'), (2, '2026-08-01', 'open');
		create table guarded (id int primary key, state text); insert into guarded values (1, 'open'), (2, 'open'); alter table guarded enable row level security;
		create policy reads on guarded for select using (true); create policy changes on guarded for update using (id = 1);
		grant usage on schema "Odd One" to `+role+`, workspace_odd_changes_records_reader; grant select on all tables in schema public, "Odd One" to `+role+`, workspace_odd_changes_records_reader;
		grant update (mood, code, "when", big, small, dear) on "Odd One"."Order Line" to `+role+`; grant update (state) on parted, guarded to `+role, pgx.QueryExecModeSimpleProtocol)
	require.NoError(t, err)
	require.NoError(t, d.ReadTables(ctx, mara, "desk"))
	require.NoError(t, second(d.NameChanger(ctx, mara, "desk", role, "", false)))
	set := func(name, table, key, fields, edits string) *workspace.Look {
		doc, err := dataset.Read([]byte(`{"version":1,"name":"` + name + `","title":"X","record":["x","xs"],"source":"desk","from":{"table":` + table + `},"key":` + key + `,"fields":` + fields + `,"editing":{"fields":` + edits + `}}`))
		require.NoError(t, err)
		require.NoError(t, second(d.SaveDataset(ctx, mara, doc, workspace.On{}, false)))
		var edit []string
		var names []string
		require.NoError(t, json.Unmarshal([]byte(edits), &names))
		for _, n := range names {
			edit = append(edit, `{"field":"`+n+`","roles":["everyone"]}`)
		}
		require.NoError(t, second(d.SaveDashboard(ctx, mara, name, page(name, name, widget("list", `{"version":2,"dataset":"`+name+`","measures":[{"count":"records"}],"form":"records","edit":[`+strings.Join(edit, ",")+`]}`)), workspace.On{})))
		l, err := d.Look(ctx, mara, name, true, dashboard.State{})
		require.NoError(t, err)
		return l
	}
	change := func(l *workspace.Look, key []string, field, typed string) (string, error) {
		r, err := l.Record("list", key)
		if err != nil {
			return "", err
		}
		made, err := l.Change("list", key, field, typed, r.Version)
		if err != nil {
			return "", err
		}
		back, err := l.Undo("list", made.ID)
		require.NoError(t, err, field)
		return made.Was + " → " + made.Shown + " → " + back.Shown, nil
	}

	lines := set("lines", `"Odd One.Order Line"`, `["Order No","Line\"No"]`, `[{"name":"mood","column":"mood"},{"name":"code","column":"code"},{"name":"on","column":"when","time":"planned"},{"name":"big","column":"big"},{"name":"small","column":"small"},{"name":"dear","column":"dear"}]`, `["mood","code","on","big","small","dear"]`)
	a, err := lines.Widget("list", view.Drawing)
	require.NoError(t, err)
	key := a.Records.Rows[0].Key
	assert.Equal(t, []string{"6f3a2f10-9a44-4a55-8c0b-0a6d7bd5a001", `a "b' c`}, key)
	for _, c := range []struct{ field, typed, want string }{
		{"mood", "rough", "calm → rough → calm"}, {"code", "XYZ", "ABC → XYZ → ABC"}, {"on", "2026-12-24", "1 Jan 2026 → 24 Dec 2026 → 1 Jan 2026"}, {"big", "9007199254740994", "9,007,199,254,740,993 → 9,007,199,254,740,994 → 9,007,199,254,740,993"}, {"small", "", "7 →  → 7"},
	} {
		got, err := change(lines, key, c.field, c.typed)
		require.NoError(t, err, c.field)
		assert.Equal(t, c.want, got)
	}
	for _, c := range []struct{ field, typed, words string }{{"mood", "angry", "is one of"}, {"code", "abc", "does not allow this"}, {"code", "ABCDEFG", "longer than"}, {"small", "40000", "larger than"}} {
		_, err := change(lines, key, c.field, c.typed)
		assert.ErrorContains(t, err, c.words, "%s %s", c.field, c.typed)
	}
	parted := set("parted", `"parted"`, `["id","at"]`, `[{"name":"state","column":"state"}]`, `["state"]`)
	got, err := change(parted, []string{"2", "2026-08-01"}, "state", "done")
	require.NoError(t, err)
	assert.Equal(t, "open → done → open", got)
	guarded := set("guarded", `"guarded"`, `["id"]`, `[{"name":"state","column":"state"}]`, `["state"]`)
	got, err = change(guarded, []string{"1"}, "state", "done")
	require.NoError(t, err)
	assert.Equal(t, "open → done → open", got)
	_, err = change(guarded, []string{"2"}, "state", "done")
	assert.Error(t, err, "the database's own row security holds besides")
	assert.Equal(t, "open", d.ask(t, "select state from guarded where id = 2"))
}
