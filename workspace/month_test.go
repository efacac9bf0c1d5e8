package workspace_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/marks"
	"eskadel/core/period"
	"eskadel/core/problem"
	"eskadel/workspace"
)

// A month of a filter of dates counts what the other filters leave on each day, whatever it is set to itself.
func TestAMonthCountsWhatTheOtherFiltersLeave(t *testing.T) {
	d := open(t, "month")
	of := page("one", "One", widget("kinds", count(`"every row"`)))
	of = []byte(strings.Replace(string(of), `"pages":`, `"filters":[{"name":"when","kind":"date"},{"name":"of","field":"boat"}],"pages":`, 1))
	_, err := d.SaveDashboard(ctx, edda, "one", of, workspace.On{})
	require.NoError(t, err)
	_, err = d.Publish(ctx, edda, "one")
	require.NoError(t, err)
	is := "boat 3"
	look, err := d.Look(ctx, edda, "one", false, dashboard.State{Filters: map[string]*dashboard.Setting{"of": {Values: []marks.Key{{Is: &is}}}, "when": {Range: &period.Relative{From: "2026-01-20", To: "2026-02-10"}}}})
	require.NoError(t, err)
	m, err := look.Month("when", "")
	require.NoError(t, err)
	assert.Equal(t, []string{"February 2026", "2026-02", "2026-01", "2026-03", "2026-02-01", "2026-02-28"}, []string{m.Title, m.Name, m.Before, m.After, m.From, m.To}, "where what is set ends")
	m, err = look.Month("when", "2026-01")
	require.NoError(t, err)
	most, days, sizes := 0, 0, map[int]bool{}
	for _, week := range m.Weeks {
		assert.Equal(t, []string{week.From, week.To}, []string{week.Days[0].Date, week.Days[6].Date})
		for _, day := range week.Days {
			at, err := time.Parse(time.DateOnly, day.Date)
			require.NoError(t, err)
			assert.Equal(t, at.Month() != time.January, day.Beside)
			assert.Equal(t, day.Date >= "2026-01-20" && day.Date <= "2026-02-10", day.Chosen, day.Date)
			if day.Beside {
				assert.NotContains(t, day.Says, "job")
				continue
			}
			var n int
			require.NoError(t, d.records.QueryRow(ctx, `select count(*) from job where boat = 'boat 3' and (opened_at at time zone 'UTC')::date = $1::text::date`, day.Date).Scan(&n))
			assert.Contains(t, day.Says, fmt.Sprintf(", %d job", n), day.Date)
			assert.Equal(t, n > 0, day.Size > 0)
			most, days, sizes[day.Size] = max(most, n), days+1, true
		}
	}
	assert.Equal(t, []int{1, 31}, []int{most, days})
	assert.True(t, sizes[4] && sizes[0], "the fullest is as high as can be")
	for filter, month := range map[string]string{"when": "January", "of": "", "gone": ""} {
		_, err := look.Month(filter, month)
		assert.Contains(t, []string{problem.Invalid, problem.NotFound}, code(err), filter)
	}
}
