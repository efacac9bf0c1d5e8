package store_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/pressly/goose/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/localpg/pgtest"
	"eskadel/store"
)

var ctx = context.Background()

// open makes an empty store; the second address is for looking past it.
func open(t *testing.T, name string, key byte) (*store.Store, string) {
	owner, _ := pgtest.Database(t, name)
	return instance(t, owner, key), owner
}

// instance opens a store once more, as another instance does.
func instance(t *testing.T, address string, keys ...byte) *store.Store {
	var all [][]byte
	for _, k := range keys {
		all = append(all, bytes32(k))
	}
	s, err := store.Open(ctx, address, all...)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	return s
}

func bytes32(b byte) []byte {
	key := make([]byte, 32)
	key[0] = b
	return key
}

func code(err error) string {
	if p := problem.Of(err); p != nil {
		return p.Code
	}
	return ""
}

// change makes a change that the audit log tells of.
func change(s *store.Store, do func(*store.Tx) error) error {
	return s.Change(ctx, "Mara", func(tx *store.Tx) error { return errors.Join(do(tx), tx.Audit(ctx, "tested", "something")) })
}

func connect(t *testing.T, address string) *pgx.Conn {
	conn, err := pgx.Connect(ctx, address)
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(ctx) })
	return conn
}

func TestSecretsAreSealed(t *testing.T) {
	s, address := open(t, "store_secrets", 1)
	require.NoError(t, change(s, func(tx *store.Tx) error {
		return errors.Join(tx.SaveSource(ctx, "desk", "Desk", "postgres://reader:swordfish@db/app", "postgresql"),
			tx.SaveHostApp(ctx, &store.HostApp{Name: "desk", Title: "Desk", Address: "", PassMinutes: 5}, []string{"https://desk.example"}), tx.AddHostKey(ctx, &store.HostKey{ID: "k1", HostApp: "desk", Algorithm: "HS256"}, "marlin"))
	}))
	conn := connect(t, address)
	var all string
	require.NoError(t, conn.QueryRow(ctx, "select (select string_agg(encode(sealed_url, 'escape') || s::text, '') from sources s) || (select string_agg(encode(sealed_secret, 'escape'), '') from host_keys)").Scan(&all))
	assert.NotContains(t, all, "swordfish")
	assert.NotContains(t, all, "marlin")
	_, secret, err := s.HostKey(ctx, "k1")
	require.NoError(t, err)
	assert.Equal(t, "marlin", secret)

	other := instance(t, address, 2)
	_, _, err = other.HostKey(ctx, "k1")
	assert.ErrorContains(t, err, "another key")
	// With the key before beside the new one everything is read, and sealed anew.
	both := instance(t, address, 2, 1)
	_, secret, err = both.HostKey(ctx, "k1")
	require.NoError(t, err)
	assert.Equal(t, "marlin", secret)
	n := 0
	require.NoError(t, change(both, func(tx *store.Tx) error { n, err = tx.Reseal(ctx); return err }))
	assert.Equal(t, 2, n)
	require.NoError(t, change(both, func(tx *store.Tx) error { n, err = tx.Reseal(ctx); return err }))
	assert.Zero(t, n, "once")
	_, secret, err = other.HostKey(ctx, "k1")
	require.NoError(t, err)
	assert.Equal(t, "marlin", secret, "the new key alone is enough now")
	_, err = store.Open(ctx, address, []byte("short"))
	assert.ErrorContains(t, err, "32 bytes")
	_, err = store.Open(ctx, address)
	assert.ErrorContains(t, err, "32 bytes")

	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.EndHostKey(ctx, "k1") }))
	_, _, err = s.HostKey(ctx, "k1")
	assert.Equal(t, problem.NotFound, code(err), "a revoked key is no key")
	assert.Equal(t, problem.Conflict, code(change(s, func(tx *store.Tx) error {
		return tx.AddHostKey(ctx, &store.HostKey{ID: "k1", HostApp: "desk", Algorithm: "HS256"}, "x")
	})), "nor is one of its name made again")
}

// What is changed, its audit entry and the telling are kept together or not at all.
func TestAChangeIsWholeOrNot(t *testing.T) {
	s, _ := open(t, "store_changes", 1)
	var told []store.Told
	var mu sync.Mutex
	s.OnTold(func(of store.Told) {
		if of.Kind != store.Anything {
			mu.Lock()
			told = append(told, of)
			mu.Unlock()
		}
	})
	save := func(tx *store.Tx) error { return tx.SaveSource(ctx, "desk", "Desk", "postgres://db/app", "postgresql") }
	err := s.Change(ctx, "Mara", save)
	assert.ErrorContains(t, err, "audit log", "what nobody is told of is not kept")
	broken := problem.New(problem.Invalid, "", "no")
	err = change(s, func(tx *store.Tx) error { return errors.Join(save(tx), broken) })
	assert.ErrorIs(t, err, broken)
	_, err = s.Source(ctx, "desk")
	assert.Equal(t, problem.NotFound, code(err))
	log, err := s.AuditLog(ctx, 0, 10)
	require.NoError(t, err)
	assert.Empty(t, log)
	assert.Empty(t, told)
	require.NoError(t, change(s, save))
	_, err = s.Source(ctx, "desk")
	require.NoError(t, err)
	log, err = s.AuditLog(ctx, 0, 10)
	require.NoError(t, err)
	require.Len(t, log, 1)
	assert.Equal(t, "Mara", log[0].Who)
	assert.Equal(t, []store.Told{{Kind: store.OfSource, Name: "desk"}}, told)
	older, err := s.AuditLog(ctx, log[0].ID, 10)
	require.NoError(t, err)
	assert.Empty(t, older)
}

// a is a dashboard to be kept.
func a(name string, refs ...store.Reference) (*store.Document, []store.Reference) {
	return &store.Document{Kind: store.Dashboard, Name: name, Title: "Title of " + name, Draft: store.JSON(`{"n": 1}`), Keeper: "Mara"}, refs
}

func add(s *store.Store, name string, refs ...store.Reference) error {
	d, refs := a(name, refs...)
	return s.Change(ctx, "Mara", func(tx *store.Tx) error { return tx.Add(ctx, d, refs) })
}

func TestDraftsAreNotOverwritten(t *testing.T) {
	s, _ := open(t, "store_drafts", 1)
	require.NoError(t, add(s, "one"))
	assert.Equal(t, problem.Conflict, code(add(s, "one")), "the name is taken")
	kept, err := s.Document(ctx, store.Dashboard, "one")
	require.NoError(t, err)
	mine, theirs := *kept, *kept
	mine.Draft, theirs.Draft = store.JSON(`{"n": 2}`), store.JSON(`{"n": 3}`)
	save := func(d *store.Document) error {
		return s.Change(ctx, "Mara", func(tx *store.Tx) error { return tx.Save(ctx, d, nil) })
	}
	require.NoError(t, save(&mine))
	assert.Equal(t, 2, mine.Revision)
	assert.Equal(t, problem.Conflict, code(save(&theirs)))
	kept, err = s.Document(ctx, store.Dashboard, "one")
	require.NoError(t, err)
	assert.JSONEq(t, `{"n":2}`, string(kept.Draft))
	for range 120 {
		require.NoError(t, save(&mine))
	}
	drafts, err := s.Drafts(ctx, kept, 0)
	require.NoError(t, err)
	assert.Len(t, drafts, 100, "the newest states are kept")
	assert.Equal(t, mine.Revision, drafts[99].Revision)
}

func TestVersionsAndTheAuditLogStayAsTheyAre(t *testing.T) {
	s, address := open(t, "store_versions", 1)
	require.NoError(t, add(s, "one"))
	for want := 1; want <= 3; want++ {
		require.NoError(t, change(s, func(tx *store.Tx) error {
			d, err := tx.Lock(ctx, store.Dashboard, "one")
			require.NoError(t, err)
			err = tx.Publish(ctx, d, fmt.Appendf(nil, `{"v": %d}`, want), nil)
			assert.Equal(t, want, d.Published)
			return err
		}))
	}
	d, err := s.Document(ctx, store.Dashboard, "one")
	require.NoError(t, err)
	assert.Equal(t, 3, d.Published)
	v, err := s.Version(ctx, d, 2)
	require.NoError(t, err)
	assert.JSONEq(t, `{"v":2}`, string(v.Document))
	_, err = s.Version(ctx, d, 4)
	assert.Equal(t, problem.NotFound, code(err))
	versions, err := s.Versions(ctx, d, 2)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 2}, []int{versions[0].Number, versions[1].Number})
	conn := connect(t, address)
	for _, sql := range []string{"update document_versions set document = '{}'", "update audit_entries set who = 'nobody'", "delete from audit_entries"} {
		_, err := conn.Exec(ctx, sql)
		assert.ErrorContains(t, err, "is never changed", sql)
	}
}

// Where something is used is known of drafts and of what is published, by every name it had.
func TestUsesAndNames(t *testing.T) {
	s, _ := open(t, "store_uses", 1)
	jobs := store.Reference{Kind: store.Dataset, Name: "jobs"}
	require.NoError(t, s.Change(ctx, "Mara", func(tx *store.Tx) error {
		return tx.Add(ctx, &store.Document{Kind: store.Dataset, Name: "jobs", Title: "Jobs", Draft: store.JSON(`{}`)}, []store.Reference{{Kind: store.OfSource, Name: "desk"}})
	}))
	require.NoError(t, add(s, "one", jobs, store.Reference{Kind: store.Chart, Name: "cost"}))
	require.NoError(t, add(s, "two"))
	require.NoError(t, change(s, func(tx *store.Tx) error {
		d, err := tx.Lock(ctx, store.Dashboard, "two")
		require.NoError(t, err)
		return errors.Join(tx.Publish(ctx, d, d.Draft, []store.Reference{{Kind: store.Chart, Name: "cost", Pinned: 4}}), tx.Publish(ctx, d, d.Draft, []store.Reference{jobs}))
	}))
	uses := func(kind, name string) (out []string) {
		found, err := s.Uses(ctx, kind, name)
		require.NoError(t, err)
		for _, u := range found {
			out = append(out, fmt.Sprint(u.Name, " ", u.Draft, " ", u.Published))
		}
		return out
	}
	assert.Equal(t, []string{"one true false", "two false true"}, uses(store.Dataset, "jobs"))
	assert.Equal(t, []string{"one true false"}, uses(store.Chart, "cost"), "older versions do not count")
	assert.Equal(t, []string{"jobs true false"}, uses(store.OfSource, "desk"))

	require.NoError(t, change(s, func(tx *store.Tx) error {
		d, err := tx.Lock(ctx, store.Dataset, "jobs")
		require.NoError(t, err)
		return tx.Rename(ctx, d, "work")
	}))
	d, err := s.Document(ctx, store.Dataset, "jobs")
	require.NoError(t, err)
	assert.Equal(t, "work", d.Name, "the old name still leads to it")
	assert.Equal(t, []string{"one true false", "two false true"}, uses(store.Dataset, "work"))
	names, err := s.Names(ctx, d)
	require.NoError(t, err)
	assert.ElementsMatch(t, []string{"work", "jobs"}, names)
	taken := func(name string) error {
		return s.Change(ctx, "Mara", func(tx *store.Tx) error {
			return tx.Add(ctx, &store.Document{Kind: store.Dataset, Name: name, Draft: store.JSON(`{}`)}, nil)
		})
	}
	assert.Equal(t, problem.Conflict, code(taken("jobs")), "nobody else takes it")
	require.NoError(t, taken("other"))
	assert.Equal(t, problem.Conflict, code(change(s, func(tx *store.Tx) error { return tx.Rename(ctx, d, "other") })))
	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.Rename(ctx, d, "jobs") }), "back to what it was")
	d, err = s.Document(ctx, store.Dataset, "work")
	require.NoError(t, err)
	assert.Equal(t, "jobs", d.Name)

	found, err := s.Search(ctx, "TITLE of%", 10)
	require.NoError(t, err)
	assert.Empty(t, found, "a percent sign is itself")
	found, err = s.Search(ctx, "title OF t", 10)
	require.NoError(t, err)
	require.Len(t, found, 1)
	require.NoError(t, change(s, func(tx *store.Tx) error { return tx.Remove(ctx, d) }))
	_, err = s.Document(ctx, store.Dataset, "work")
	assert.Equal(t, problem.NotFound, code(err))
}

// What one instance changes, another one knows; what is read again costs nothing.
func TestInstancesTellEachOther(t *testing.T) {
	one, address := open(t, "store_told", 1)
	two := instance(t, address, 1)
	require.NoError(t, add(one, "one"))
	soon := func(f func() bool) { t.Helper(); require.Eventually(t, f, 10*time.Second, 2*time.Millisecond) }
	soon(func() bool { return one.Hearing() && two.Hearing() })
	read := func(s *store.Store) *store.Document {
		d, err := s.Document(ctx, store.Dashboard, "one")
		require.NoError(t, err)
		return d
	}
	soon(func() bool { // once nothing of the beginning is left to be heard
		before := two.Asked()
		for range 100 {
			read(two)
		}
		return before == two.Asked()
	})
	d := *read(one)
	d.Draft = store.JSON(`{"n": 2}`)
	require.NoError(t, one.Change(ctx, "Mara", func(tx *store.Tx) error { return tx.Save(ctx, &d, nil) }))
	assert.Equal(t, 2, read(one).Revision, "at once where it was made")
	soon(func() bool { return read(two).Revision == 2 })
	// Whose listening is interrupted keeps nothing until it hears again.
	conn := connect(t, address)
	_, err := conn.Exec(ctx, "select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and query like 'listen%'")
	require.NoError(t, err)
	soon(func() bool { return !two.Hearing() })
	before := two.Asked()
	read(two)
	read(two)
	assert.Equal(t, before+4, two.Asked(), "the document and who was let see it, twice")
	soon(two.Hearing)
}

// Two that start on an empty database at once both serve.
func TestTwoStartAtOnce(t *testing.T) {
	owner, _ := pgtest.Database(t, "store_start")
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			s, err := store.Open(ctx, owner, bytes32(1))
			if assert.NoError(t, err) {
				_, err = s.Documents(ctx, store.Dashboard)
				assert.NoError(t, err)
				_ = s.Close()
			}
		})
	}
	all.Wait()
}

// What was kept in tables of its own is found as documents.
func TestWhatWasThereBecomesDocuments(t *testing.T) {
	owner, _ := pgtest.Database(t, "store_before")
	raw, err := sql.Open("pgx", owner)
	require.NoError(t, err)
	defer raw.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, raw, os.DirFS("migrations"))
	require.NoError(t, err)
	_, err = provider.UpTo(ctx, 4)
	require.NoError(t, err)
	before, err := os.ReadFile("testdata/before.sql")
	require.NoError(t, err)
	_, err = raw.Exec(string(before))
	require.NoError(t, err)
	s := instance(t, owner, 1)
	for kind, names := range map[string][]string{
		store.Dataset: {"jobs"}, store.Chart: {"cost"}, store.Dashboard: {"one", "two"}, store.Rules: {"desk/public.job", "desk/public.yard"}, store.Settings: {"workspace"},
	} {
		all, err := s.Documents(ctx, kind)
		require.NoError(t, err)
		var got []string
		for _, d := range all {
			got = append(got, d.Name)
		}
		assert.ElementsMatch(t, names, got, kind)
	}
	rules, err := s.Document(ctx, store.Rules, "desk/public.job")
	require.NoError(t, err)
	assert.JSONEq(t, `{"version":1,"source":"desk","table":"public.job","row_rules":[{"roles":["everyone"],"where":"every row"}]}`, string(rules.Draft))
	one, err := s.Document(ctx, store.Dashboard, "one")
	require.NoError(t, err)
	assert.Equal(t, [3]any{"One", 7, 2}, [3]any{one.Title, one.Revision, one.Published})
	v, err := s.Version(ctx, one, 2)
	require.NoError(t, err)
	assert.JSONEq(t, `{"version":1,"name":"one","title":"One","pages":[{"title":"P","widgets":[{"id":"a","at":[0,0,4,4],"chart":{"library":"cost","version":1}},{"id":"b","at":[4,0,4,4],"text":"say {\"library\": \"cost\"}"}]}]}`, string(v.Document),
		"what was shown of the library is its first version")
	unindexed, err := s.Unindexed(ctx, 1)
	require.NoError(t, err)
	assert.Len(t, unindexed, 7, "what they speak of has yet to be noted")
}

// What is over is dropped, and nothing else.
func TestWhatIsOverIsForgotten(t *testing.T) {
	s, owner := open(t, "store_forgetting", 1)
	require.NoError(t, add(s, "one"))
	kept, err := s.Document(ctx, store.Dashboard, "one")
	require.NoError(t, err)
	db := connect(t, owner)
	for _, sql := range []string{
		"insert into host_apps (name, title, address, origins) values ('desk', 'Desk', '', '[]')",
		"insert into host_keys (id, host_app, algorithm, sealed_secret) values ('k', 'desk', 'HS256', '')",
		fmt.Sprintf("insert into views values ('old', %d, '{}', now() - interval '401 days'), ('new', %[1]d, '{}', now() - interval '399 days')", kept.ID),
		"insert into host_viewers values ('desk', 'old', '', '[]', '{}', now() - interval '91 days', ''), ('desk', 'new', '', '[]', '{}', now() - interval '89 days', '')",
		"insert into used_passes values ('desk', 'old', now() - interval '1 second'), ('desk', 'new', now() + interval '1 hour')",
		"insert into frame_sessions (token_hash, host_app, host_key, subject, viewer, dashboards, expires_at) values ('old', 'desk', 'k', '7', '{}', '[]', now() - interval '1 second'), ('new', 'desk', 'k', '7', '{}', '[]', now() + interval '1 hour')",
	} {
		_, err := db.Exec(ctx, sql)
		require.NoError(t, err, sql)
	}
	require.NoError(t, s.Forget(ctx))
	for table, name := range map[string]string{"views": "id", "host_viewers": "subject", "used_passes": "id", "frame_sessions": "token_hash"} {
		var left []string
		require.NoError(t, db.QueryRow(ctx, "select array_agg("+name+") from "+table).Scan(&left))
		assert.Equal(t, []string{"new"}, left, table)
	}
}
