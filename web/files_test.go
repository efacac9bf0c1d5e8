package web_test

import (
	"encoding/csv"
	"net/http"
	"strings"
	"testing"

	"github.com/cockroachdb/apd/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/demo"
	"eskadel/identity"
	"eskadel/view"
)

// The figures of every form, as a file of CSV read again, are those that the form shows: as many lines, each text and
// each number exactly, totals marked.
func TestCSVOfEveryFormIsItsFigures(t *testing.T) {
	edda := author(t, demo.AuthorEmail)
	p, err := running.Store.PersonByEmail(t.Context(), demo.AuthorEmail)
	require.NoError(t, err)
	who, err := identity.ByID(t.Context(), running.Store, p.ID)
	require.NoError(t, err)
	forms := map[string]bool{}
	for _, name := range []string{"gallery", "money", "hazards", "yard-today", "berths", "refit-enquiries"} {
		l, err := running.Workspace.Look(t.Context(), who, name, false, dashboard.State{})
		require.NoError(t, err)
		for _, w := range l.Doc.Widgets() {
			a, err := l.Widget(w.ID, view.Figures)
			require.NoError(t, err, w.ID)
			if a.Grid == nil {
				continue
			}
			forms[a.Form] = true
			status, file := form(t, edda, "/view/"+name+"/widgets/"+w.ID+"/figures.file", map[string]string{"state": "{}", "kind": "csv"})
			require.Equal(t, http.StatusOK, status, file)
			lines, err := csv.NewReader(strings.NewReader(file)).ReadAll()
			require.NoError(t, err)
			flat := a.Grid.Flat()
			require.Len(t, lines, len(flat.Lines)+1, "%s, %s", name, w.ID)
			for i, line := range flat.Lines {
				for j, cell := range line.Cells {
					got := lines[i+1][j]
					if !cell.IsNumber() {
						assert.Equal(t, cell.Text, strings.TrimPrefix(got, "'"), "%s, %s, line %d", name, w.ID, i)
						continue
					}
					if cell.Exact == "" {
						assert.Empty(t, got)
						continue
					}
					want, _, err := apd.NewFromString(cell.Exact)
					require.NoError(t, err)
					is, _, err := apd.NewFromString(got)
					require.NoError(t, err, got)
					assert.Zero(t, want.Cmp(is), "%s, %s: %s is not %s", name, w.ID, got, cell.Exact)
				}
				if flat.Totals {
					assert.Equal(t, line.Total, lines[i+1][len(line.Cells)] == "yes")
				}
			}
		}
	}
	for _, f := range chart.Forms() {
		assert.True(t, f.Lists() || forms[f.Kind], "%s was not among them", f.Kind)
	}
}
