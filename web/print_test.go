package web_test

import (
	"net/http"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/demo"
	"eskadel/identity"
	"eskadel/rights"
)

// A dashboard on paper has all that it shows: each widget's title, every figure of its tables, and
// its lists from the first record to the last, as many as the records behind them are.
func TestADashboardOnPaper(t *testing.T) {
	c := author(t, demo.AuthorEmail)
	status, pdf := form(t, c, "/view/yard-today/print", map[string]string{"state": `{"filters":{"where":[{"is":"1"}]}}`, "way": "across"})
	require.Equal(t, http.StatusOK, status, pdf)
	read := exec.Command("pdftotext", "-layout", "-", "-")
	read.Stdin = strings.NewReader(pdf)
	said, err := read.Output()
	require.NoError(t, err)
	text := string(said)
	for _, title := range []string{"Yard today", "Jobs under way", "Late starts", "Revenue", "Yard cost per week, by kind", "Jobs by part group", "Late starts per month, by yard", "Revenue per month", "Hours and cost by crew", "Edda Harrow"} {
		assert.Contains(t, text, title)
	}
	_, csv := form(t, c, "/view/yard-today/widgets/crews/figures.file", map[string]string{"state": `{"filters":{"where":[{"is":"1"}]}}`, "kind": "csv"})
	for _, line := range strings.Split(strings.TrimSpace(csv), "\r\n")[1:] {
		cells := strings.Split(line, ",")
		assert.Regexp(t, regexp.QuoteMeta(cells[0])+`\s+`+cells[1]+`\s`, text, "a row of the table")
	}
	_, records := form(t, c, "/view/yard-today/widgets/jobs/records.file", map[string]string{"state": `{"filters":{"where":[{"is":"1"}]}}`, "mark": `{"now":"2026-11-18T14:23:11Z","keys":[]}`, "kind": "csv", "columns": `["title"]`})
	jobs := strings.Split(strings.TrimSpace(records), "\r\n")[1:]
	require.NotEmpty(t, jobs)
	for _, job := range jobs {
		assert.Contains(t, text, job)
	}
	assert.Equal(t, len(jobs), strings.Count(text, "Ravel Point")-strings.Count(text, "Ravel Point crew")-strings.Count(text, "at Ravel Point")-strings.Count(text, "Ravel Point\n"), "each once")

	// All of a dashboard's pages, one after another, or those that are named.
	for only, titles := range map[string][]string{"": {"Year", "This year over the last ones, running", "Detail", "Services, by yard", "What is overdue the longest"}, "Detail": {"Services, by yard"}} {
		fields := map[string]string{"state": "{}"}
		if only != "" {
			fields["print"] = only
		}
		status, pdf := form(t, c, "/view/money/print", fields)
		require.Equal(t, http.StatusOK, status, pdf)
		read := exec.Command("pdftotext", "-layout", "-", "-")
		read.Stdin = strings.NewReader(pdf)
		said, err := read.Output()
		require.NoError(t, err)
		for _, title := range titles {
			assert.Contains(t, string(said), title, only)
		}
		assert.Equal(t, only == "", strings.Contains(string(said), "running"), only)
	}

	status, words := form(t, c, "/view/yard-today/print", map[string]string{"state": "{}", "paper": "A9"}, "Accept", "application/json")
	assert.Equal(t, http.StatusUnprocessableEntity, status, words)
	status, words = form(t, c, "/view/yard-today/print", map[string]string{"state": "{}", "print": "No such page"}, "Accept", "application/json")
	assert.Equal(t, http.StatusUnprocessableEntity, status, words)
	assert.Contains(t, words, "Choose a page")
	status, refused := foreman(t).do(http.MethodPost, "/view/yard-today/print", nil)
	assert.Equal(t, http.StatusForbidden, status, string(refused))
}

// The ticket of what is printed lets one browser in, once; until it has ended that reads what the
// person may see, and does nothing; after that it is nobody's.
func TestTickets(t *testing.T) {
	p, err := running.Store.PersonByEmail(t.Context(), demo.AuthorEmail)
	require.NoError(t, err)
	who, err := identity.ByID(t.Context(), running.Store, p.ID)
	require.NoError(t, err)
	w := running.Workspace
	print, ticket, end, err := w.Print(t.Context(), who, "yard-today", false, dashboard.State{}, nil, nil, true)
	require.NoError(t, err)
	assert.Len(t, ticket, 26, "130 bits")
	_, err = w.ByBearer(t.Context(), print.Bearer)
	assert.Error(t, err, "nobody has been let in yet")
	status, page := send(t, &demo.Client{Address: running.Eskadel, Cookie: &http.Cookie{Name: "none", Value: "x"}}, http.MethodGet, "/print/"+ticket, nil)
	require.Equal(t, http.StatusOK, status, page)
	assert.Contains(t, page, print.Bearer)
	status, page = send(t, &demo.Client{Address: running.Eskadel, Cookie: &http.Cookie{Name: "none", Value: "x"}}, http.MethodGet, "/print/"+ticket, nil)
	assert.Equal(t, http.StatusNotFound, status)
	assert.NotContains(t, page, print.Bearer)
	they, err := w.ByBearer(t.Context(), print.Bearer)
	require.NoError(t, err)
	for _, what := range rights.Lines() {
		err := rights.Ever(they, what)
		switch what {
		case rights.Open, rights.See, rights.Records, rights.Tips, rights.OwnFilters:
			assert.NoError(t, err, what)
		default:
			assert.Equal(t, problem.Forbidden, problem.Of(err).Code, what)
		}
	}
	end()
	_, err = w.ByBearer(t.Context(), print.Bearer)
	assert.Error(t, err, "it has ended")
}
