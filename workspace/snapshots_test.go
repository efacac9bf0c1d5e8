package workspace_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/dashboard"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/snapshot"
	"eskadel/identity"
	"eskadel/workspace"
)

// A snapshot shows what was seen, for as long as it is kept, to those who may see all of it; what is drawn on it is
// its maker's; what has become of it is said.
func TestSnapshots(t *testing.T) {
	p := posted(t, "snapshots")
	crew(t, p.desk, "ansa", "bree")
	yards(t, p.desk)
	edda := as(t, p.desk, "edda@example.org", []string{"director"}, nil)
	ansa := as(t, p.desk, "ansa@example.org", []string{"foreman"}, filter.Attributes{"yard": "1"})
	bree := as(t, p.desk, "bree@example.org", []string{"director"}, nil)
	p.one(t, edda, `"records"`)
	freeze := func(who *identity.Caller, widget string) int64 {
		id, err := p.Freeze(ctx, who, "one", dashboard.State{}, "P", widget, "  Before the   winter ")
		require.NoError(t, err)
		return id
	}
	assert.Equal(t, problem.Invalid, code(second(p.Freeze(ctx, edda, "one", dashboard.State{}, "P", "", " "))))
	assert.Equal(t, problem.NotFound, code(second(p.Freeze(ctx, edda, "one", dashboard.State{}, "P", "z", "X"))))
	program := *edda
	program.Program = true
	assert.Equal(t, problem.Forbidden, code(second(p.Freeze(ctx, &program, "one", dashboard.State{}, "P", "", "X"))))
	id := freeze(edda, "")
	was, err := p.Snapshot(ctx, edda, id)
	require.NoError(t, err)
	assert.Equal(t, "Before the winter", was.Title)
	assert.Equal(t, "Showing jobs: 60 of the 60 Edda may see.", was.Frozen.Line)
	require.Len(t, was.Frozen.Widgets, 2)

	// It stays as it was, whatever becomes of the records; and it is compared with now.
	_, err = p.records.Exec(ctx, "insert into job (id, opened_at, kind, yard_id) select 100 + n, '2026-02-01', 'care', 1 from generate_series(1, 6) n; delete from job where kind = 'rework' and id <= 60")
	require.NoError(t, err)
	p.changed()
	is, err := p.Snapshot(ctx, edda, id)
	require.NoError(t, err)
	assert.Equal(t, was.Frozen, is.Frozen)
	now, err := p.CompareSnapshot(ctx, edda, id)
	require.NoError(t, err)
	require.Len(t, now, 2)
	assert.Equal(t, []snapshot.Difference{{Label: "kind care", Then: "20", Now: "26", Change: "+30.0%", Way: "up"}, {Label: "kind rework", Then: "20", Now: "no longer there"}}, now[0].Figures[0].Differences)
	assert.Equal(t, 1, now[0].Figures[0].Same)
	assert.Equal(t, []snapshot.Difference{{Label: "Number of jobs", Then: "60", Now: "46", Change: "-23.3%", Way: "down"}}, now[1].Figures[0].Differences)

	// Drawn on by its maker, on the newest state of it.
	note := []snapshot.Note{{Kind: "note", From: snapshot.Anchor{Widget: "a", Mark: "0 1", Words: "mishap"}, Text: "<b>Why?</b>"}}
	require.NoError(t, p.DrawOn(ctx, edda, id, 1, note))
	assert.Equal(t, problem.Conflict, code(p.DrawOn(ctx, edda, id, 1, nil)))
	assert.Equal(t, problem.Invalid, code(p.DrawOn(ctx, edda, id, 2, []snapshot.Note{{Kind: "ring", From: snapshot.Anchor{Widget: "z"}}})))
	is, err = p.Snapshot(ctx, edda, id)
	require.NoError(t, err)
	assert.Equal(t, note, is.Notes)

	// Only its maker knows of it until it is shared, then those who may see all that it shows.
	assert.Equal(t, problem.NotFound, code(second(p.Snapshot(ctx, bree, id))))
	said, err := p.PassSnapshot(ctx, edda, id, fmt.Sprint("person/", ansa.PersonID), "Look")
	require.NoError(t, err)
	assert.Equal(t, "ansa may not see all that it shows, and is not told.", said)
	said, err = p.PassSnapshot(ctx, edda, id, fmt.Sprint("person/", bree.PersonID), "Look")
	require.NoError(t, err)
	assert.Equal(t, "bree is told.", said)
	notices, err := p.Notices(ctx, bree, 0, 1)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprint("/snapshots/", id), notices[0].Address)
	require.NoError(t, second(p.Snapshot(ctx, bree, id)))
	assert.Equal(t, problem.Forbidden, code(p.DrawOn(ctx, bree, id, 2, nil)))
	err = second(p.Snapshot(ctx, ansa, id))
	require.ErrorContains(t, err, "records of Jobs that you may not see")
	found, err := p.Find(ctx, bree, "winter")
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(found, func(h workspace.Hit) bool { return h.What == "snapshot" }))
	mine := freeze(ansa, "b")
	require.NoError(t, p.ShareSnapshot(ctx, ansa, mine, true))
	require.NoError(t, second(p.Snapshot(ctx, edda, mine)), "who sees more sees less, too")

	// Who may see less than they did sees their own no longer.
	bare := as(t, p.desk, "ansa@example.org", []string{}, filter.Attributes{})
	assert.Equal(t, problem.Forbidden, code(second(p.Snapshot(ctx, bare, mine))))
	// Of a dashboard that is gone, or no longer theirs to see.
	require.NoError(t, second(p.SeenBy(ctx, edda, workspace.Shared{Kind: workspace.Dashboard, Name: "one"}, "keeper")))
	assert.Equal(t, problem.NotFound, code(second(p.Snapshot(ctx, bree, id))))
	require.NoError(t, second(p.Snapshot(ctx, mara, id)))
	require.NoError(t, p.RemoveSnapshot(ctx, edda, id))
	assert.Equal(t, problem.NotFound, code(second(p.Snapshot(ctx, edda, id))))
	require.NoError(t, p.store.ForgetSnapshots(ctx, 0))
	left, err := p.Snapshots(ctx, mara)
	require.NoError(t, err)
	assert.Empty(t, left)
}

// Of random people under random rules, who freeze what they see: whoever opens it would see at least as much now.
func TestSnapshotsShowNobodyMore(t *testing.T) {
	p := posted(t, "frozen")
	names := []string{"ansa", "bree", "cato"}
	crew(t, p.desk, names...)
	yards(t, p.desk)
	edda := as(t, p.desk, "edda@example.org", []string{"director"}, nil)
	p.one(t, edda, `"records"`)
	rapid.Check(t, func(t2 *rapid.T) {
		people, sees := []*identity.Caller{}, []map[int]bool{}
		for _, name := range names {
			roles := rapid.SampledFrom([][]string{{}, {"foreman"}, {"director"}}).Draw(t2, name)
			held, set := []any{}, map[int]bool{}
			for _, y := range rapid.SliceOfNDistinct(rapid.IntRange(1, 2), 0, 2, rapid.ID).Draw(t2, "yards") {
				held = append(held, fmt.Sprint(y))
				set[y] = true
			}
			switch {
			case slices.Contains(roles, "director"):
				set = map[int]bool{1: true, 2: true}
			case len(roles) == 0:
				set = map[int]bool{}
			}
			people, sees = append(people, as(t, p.desk, name+"@example.org", roles, filter.Attributes{"yard": held})), append(sees, set)
		}
		id, err := p.Freeze(ctx, people[0], "one", dashboard.State{}, "P", "", "Frozen")
		require.NoError(t2, err)
		require.NoError(t2, p.ShareSnapshot(ctx, people[0], id, true))
		for i, who := range people {
			s, err := p.Snapshot(ctx, who, id)
			if err != nil {
				assert.Equal(t2, problem.Forbidden, code(err))
				assert.NotEqual(t2, [2]any{people[0].Roles, people[0].Attributes}, [2]any{who.Roles, who.Attributes}, "who is under the same rules may look")
				continue
			}
			for y := range sees[0] {
				assert.True(t2, sees[i][y], "%s sees yard %d in it", who.Name, y)
			}
			b, err := json.Marshal(s.Frozen)
			require.NoError(t2, err)
			assert.JSONEq(t2, string(s.Snapshot.Frozen), string(b), "it is read as it was written")
		}
		require.NoError(t2, p.RemoveSnapshot(ctx, people[0], id))
	})
}
