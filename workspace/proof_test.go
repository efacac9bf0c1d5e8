package workspace_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset/sample"
	"eskadel/core/marks"
	"eskadel/core/problem"
	"eskadel/workspace"
)

// A proof is worked out again as the same, or says which record has changed; one that was changed
// itself is refused.
func TestProofs(t *testing.T) {
	d := open(t, "proofs")
	doc := sample.Document()
	doc.OpenRecord = "/jobs/{id}"
	_, err := d.SaveDataset(ctx, mara, doc, workspace.On{Revision: 1}, false)
	require.NoError(t, err)
	_, err = d.SaveDashboard(ctx, edda, "one", page("one", "One", widget("boats", `{"version":2,"dataset":"jobs","measures":[{"sum":"cost"}],"by":[{"field":"boat"}],"form":"bars"}`)), workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	boat := "boat 3"
	mark := marks.Reference{Version: 1, Now: pinned, Keys: []marks.Key{{Is: &boat}}}
	l, err := d.Look(ctx, viewer("one"), "one", false, dashboard.State{})
	require.NoError(t, err)
	p, err := l.Prove("boats", mark, "boat 3")
	require.NoError(t, err)
	var n int64
	var sum string
	require.NoError(t, d.records.QueryRow(ctx, "select count(*), sum(cost)::text from job where boat = 'boat 3' and yard_id = 1 and opened_at < '2026-03-05T12:00:00Z'").Scan(&n, &sum))
	assert.Equal(t, []any{n, sum, "Sum of Cost"}, []any{p.Records, p.Exact, p.Measure})
	assert.Len(t, p.Each, int(n))
	assert.Contains(t, p.Conditions, "Boat is boat 3")
	assert.NotEmpty(t, p.Rules, "their yard's alone")
	assert.Equal(t, []string{"Boat", "Cost"}, p.Fields, "those that it is made of and chosen by")
	assert.Empty(t, p.Statements, "how tables are called is not for viewers")
	authors, err := d.Look(ctx, edda, "one", false, dashboard.State{})
	require.NoError(t, err)
	theirs, err := authors.Prove("boats", mark, "")
	require.NoError(t, err)
	require.NotEmpty(t, theirs.Statements)
	assert.Contains(t, strings.Join(theirs.Statements[0].Values, " "), "boat 3")
	assert.Greater(t, theirs.Records, p.Records, "a director sees those of both yards")

	file, err := l.ProofFile(p)
	require.NoError(t, err)
	check := func(b []byte) []string {
		again, _ := instance(t, d.own) // which has read nothing yet
		_, changes, err := again.CheckProof(ctx, mara, b)
		require.NoError(t, err)
		return changes
	}
	assert.Empty(t, check(file), "the same")
	_, _, err = d.CheckProof(ctx, edda, file)
	assert.Equal(t, problem.Forbidden, code(err))
	change := func(statement string) {
		_, err := d.records.Exec(ctx, statement)
		require.NoError(t, err)
	}
	change("update job set cost = cost + 0.01 where id = 10")
	changes := check(file)
	require.Len(t, changes, 2)
	assert.Contains(t, changes[0], "The figure was "+p.Figure+", and is ")
	assert.Equal(t, "Record 10 has other values now.", changes[1])
	change("update job set cost = cost - 0.01 where id = 10; update job set state = 'other' where id = 10")
	assert.Empty(t, check(file), "what the figure is not made of may change")
	change("delete from job where id = 24")
	assert.Contains(t, check(file), "Record 24 is no longer among them.")
	_, _, err = d.CheckProof(ctx, mara, []byte(strings.Replace(string(file), sum, "1"+sum, 1)))
	assert.Equal(t, problem.Forbidden, code(err), "a forged file")
}
