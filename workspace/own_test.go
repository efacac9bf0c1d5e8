package workspace_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/workspace"
)

// What is kept to oneself, others neither find nor open, wherever they ask; builders do.
func TestWhatOnlyItsKeeperSees(t *testing.T) {
	d := open(t, "own")
	composed(t, d, "one", widget("kinds", grouped("kind")))
	_, err := d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	ivo := person(3, "Ivo", false)
	seen := func() (names []string) {
		rows, err := d.Dashboards(ctx, ivo, "")
		require.NoError(t, err)
		for _, r := range rows {
			names = append(names, r.Name)
		}
		return names
	}
	assert.Contains(t, seen(), "one")
	assert.Equal(t, problem.Forbidden, code(d.KeepToOneself(ctx, ivo, "one", true)), "only its keeper, or a builder")
	require.NoError(t, d.KeepToOneself(ctx, edda, "one", true))
	assert.NotContains(t, seen(), "one")
	for name, err := range map[string]error{
		"read":   second(d.Dashboard(ctx, ivo, "one", false)),
		"draft":  second(d.Dashboard(ctx, ivo, "one", true)),
		"look":   second(d.Look(ctx, ivo, "one", false, dashboard.State{})),
		"copy":   second(d.NewDashboard(ctx, ivo, "Copied", "one", true)),
		"favour": d.Favour(ctx, ivo, "one", true),
		"begin":  d.BeginWith(ctx, ivo, "one", true),
	} {
		assert.Equal(t, problem.NotFound, code(err), name)
	}
	uses, err := d.Uses(ctx, ivo, workspace.Dataset, "jobs")
	require.NoError(t, err)
	for _, u := range uses {
		assert.NotEqual(t, "one", u.Name)
	}
	_, err = d.Dashboard(ctx, edda, "one", false)
	require.NoError(t, err)
	_, err = d.Dashboard(ctx, mara, "one", true)
	require.NoError(t, err, "who looks after the workspace")
	require.NoError(t, d.KeepToOneself(ctx, edda, "one", false))
	assert.Contains(t, seen(), "one")
}

func second[T any](_ T, err error) error { return err }

func TestWhatOneBeginsWith(t *testing.T) {
	d := open(t, "begins")
	assert.Empty(t, d.Begins(ctx, edda))
	composed(t, d, "one", widget("head", `{"version":2,"dataset":"jobs","measures":[{"count":"records"}],"form":"key figures"}`), widget("kinds", grouped("kind")))
	assert.Equal(t, problem.Conflict, code(d.BeginWith(ctx, edda, "one", true)), "a draft only")
	_, err := d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	require.NoError(t, d.BeginWith(ctx, edda, "one", true))
	assert.Equal(t, "one", d.Begins(ctx, edda))
	assert.Empty(t, d.Begins(ctx, mara), "each their own")

	// A page of one's own begins with the headlines of what there is, and is one's own.
	own, err := d.OwnPage(ctx, edda)
	require.NoError(t, err)
	assert.Equal(t, own, d.Begins(ctx, edda))
	o, err := d.Dashboard(ctx, edda, own, false)
	require.NoError(t, err)
	assert.True(t, o.Private())
	require.Len(t, o.Doc.Widgets(), 1)
	l, err := d.Look(ctx, edda, own, false, dashboard.State{})
	require.NoError(t, err)
	a, err := l.Widget(o.Doc.Widgets()[0].ID, 0)
	require.NoError(t, err)
	assert.Equal(t, "Composed", a.Title, "called like the dashboard that it is of")
	again, err := d.OwnPage(ctx, edda)
	require.NoError(t, err)
	assert.Equal(t, own, again, "there is one")
	require.NoError(t, d.BeginWith(ctx, edda, "", false))
	assert.Empty(t, d.Begins(ctx, edda))

	// What may no longer be seen leads nobody astray.
	require.NoError(t, d.BeginWith(ctx, mara, "one", true))
	require.NoError(t, d.BeginWith(ctx, edda, "one", true))
	ivo := person(2, "Ivo", false) // sits where Edda did
	require.NoError(t, d.KeepToOneself(ctx, mara, "one", true))
	ivo.PersonID = 1
	assert.Empty(t, d.Begins(ctx, ivo))
}
