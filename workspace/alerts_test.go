package workspace_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"eskadel/core/alert"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/source"
	"eskadel/workspace"
)

// watches is an alert on a widget of the dashboard "one".
func watches(widget, when, than string, change func(*workspace.AlertOrder)) workspace.AlertOrder {
	a := workspace.AlertOrder{Dashboard: "one", Title: "Many jobs", Watch: alert.Watch{Page: "P", Widget: widget, When: when, Than: than, By: []string{"mail"}}}
	if change != nil {
		change(&a)
	}
	return a
}

// looks has all alerts look at what they watch, and all that they tell be told.
func (p *post) looks(t require.TestingT) {
	_, err := p.own.Exec(ctx, "update errands set next_at = now() - interval '1 second' where kind = 'alert'")
	require.NoError(t, err)
	p.all(t)
}

// Over a random stream of changes, under random rules: each is told what a plain reading of counts by SQL says of the
// records that are theirs, once until it recovers, and nothing else.
func TestAlertsOverAStream(t *testing.T) {
	p := posted(t, "stream")
	crew(t, p.desk, "ansa", "bree")
	yards(t, p.desk)
	people := []*identity.Caller{
		as(t, p.desk, "edda@example.org", []string{"director"}, nil),
		as(t, p.desk, "ansa@example.org", []string{"foreman"}, filter.Attributes{"yard": "1"}),
		as(t, p.desk, "bree@example.org", []string{"foreman"}, filter.Attributes{"yard": "2"}),
	}
	p.one(t, people[0], `"records"`)
	mine := []string{"true", "yard_id = 1", "yard_id = 2"}
	rapid.Check(t, func(t2 *rapid.T) {
		_, err := p.records.Exec(ctx, "delete from job where id > 60")
		require.NoError(t2, err)
		groups := rapid.Bool().Draw(t2, "groups")
		w, than := "b", rapid.IntRange(28, 34).Draw(t2, "than")
		parts := []string{"true"}
		if groups {
			w, than, parts = "a", rapid.IntRange(9, 13).Draw(t2, "than of a group"), []string{"kind = 'care'", "kind = 'mishap'", "kind = 'rework'"}
		}
		id, err := p.KeepAlert(ctx, people[0], watches(w, alert.Above, fmt.Sprint(than), nil))
		require.NoError(t2, err)
		for _, who := range people[1:] {
			require.NoError(t2, second(p.AddReceiver(ctx, people[0], id, fmt.Sprint("person/", who.PersonID))))
		}
		told := map[string]bool{}
		next := 100
		for range rapid.IntRange(1, 8).Draw(t2, "changes") {
			for range rapid.IntRange(0, 4).Draw(t2, "records") {
				next++
				kind, yard := rapid.SampledFrom([]string{"care", "mishap", "rework"}).Draw(t2, "kind"), rapid.IntRange(1, 2).Draw(t2, "yard")
				sql := fmt.Sprintf("insert into job (id, opened_at, kind, yard_id) values (%d, '2026-02-01', '%s', %d)", next, kind, yard)
				if rapid.IntRange(0, 2).Draw(t2, "gone") == 0 {
					sql = fmt.Sprintf("delete from job where id = (select max(id) from job where id > 60 and kind = '%s')", kind)
				}
				_, err := p.records.Exec(ctx, sql)
				require.NoError(t2, err)
			}
			p.changed()
			p.looks(t2)
			want := map[string][]string{}
			for i, who := range people {
				var fires, ends []string
				for _, part := range parts {
					var n int
					require.NoError(t2, p.records.QueryRow(ctx, "select count(*) from job where "+mine[i]+" and "+part).Scan(&n))
					key := fmt.Sprint(i, part)
					switch was := told[key]; {
					case n > than && !was:
						fires = append(fires, fmt.Sprint(n))
					case n <= than && was:
						ends = append(ends, fmt.Sprint(n))
					}
					told[key] = n > than
				}
				if all := append(fires, ends...); len(all) > 0 {
					slices.Sort(all)
					want[who.Email] = all
				}
			}
			got := map[string][]string{}
			for to, letters := range p.letters() {
				require.Len(t2, letters, 1, "one letter says all of it")
				for _, line := range strings.Split(letters[0].Text, "\n") {
					if before, _, ok := strings.Cut(line, ", since "); ok {
						got[to] = append(got[to], before[strings.LastIndex(before, ": ")+2:])
					}
				}
				slices.Sort(got[to])
			}
			assert.Equal(t2, want, got)
		}
		require.NoError(t2, p.RemoveErrand(ctx, people[0], id))
	})
}

// changed has nothing be known of before a change, as where it is heard.
func (p *post) changed() {
	p.engine.Hub.Changed("desk", source.Change{Table: "public.job"})
}

// An alert is kept by whoever may see it, tells in the ways that it says, is quiet, snoozed, told again to those who
// hear of what lasts; of records that come, and of those that do not.
func TestAlerts(t *testing.T) {
	p := posted(t, "alerts")
	crew(t, p.desk, "ansa")
	yards(t, p.desk)
	edda := as(t, p.desk, "edda@example.org", []string{"director"}, nil)
	ansa := as(t, p.desk, "ansa@example.org", []string{"director"}, nil)
	p.one(t, edda, `"records"`)
	for name, a := range map[string]workspace.AlertOrder{
		"no such figure": watches("b", alert.Above, "1", func(a *workspace.AlertOrder) { a.Watch.Measure = 3 }),
		"not compared":   watches("b", alert.Rises, "1", nil),
		"no widget":      watches("z", alert.Above, "1", nil),
		"no number":      watches("b", alert.Above, "x", nil),
		"no name":        watches("b", alert.Above, "1", func(a *workspace.AlertOrder) { a.Title = "" }),
	} {
		assert.NotEmpty(t, code(second(p.KeepAlert(ctx, edda, a))), name)
	}
	assert.Equal(t, problem.Forbidden, code(second(p.KeepAlert(ctx, ansa, watches("b", alert.Above, "1", func(a *workspace.AlertOrder) { a.Watch.Keepers = true })))))
	start := time.Date(2026, 3, 5, 12, 0, 0, 0, time.UTC)
	at := func(minutes int) { p.engine.Hub.Pin(start.Add(time.Duration(minutes) * time.Minute)) }
	job := func(id int) {
		_, err := p.records.Exec(ctx, "insert into job (id, opened_at, kind, yard_id, boat) values ($1, '2026-02-01', 'care', 1, 'Wren')", id)
		require.NoError(t, err)
		p.changed()
	}

	// Above a line: quiet at first, told when that ends, again when it lasts, then its end.
	id, err := p.KeepAlert(ctx, edda, watches("b", alert.Above, "60", func(a *workspace.AlertOrder) {
		a.Watch.By, a.Watch.Quiet, a.Watch.After, a.Watch.Again = []string{"mail", "notice"}, &alert.Quiet{From: "12:00", To: "13:00"}, 60, "Call the yard."
	}))
	require.NoError(t, err)
	require.NoError(t, second(p.AddReceiver(ctx, edda, id, fmt.Sprint("person/", ansa.PersonID))))
	e, _, err := p.Delivery(ctx, edda, id)
	require.NoError(t, err)
	require.NoError(t, p.TellLater(ctx, edda, id, e.To[1].ID, true))
	assert.Equal(t, "Number of jobs is above 60", e.When)
	job(101)
	at(5)
	p.looks(t)
	assert.Empty(t, p.letters(), "it is quiet")
	at(61)
	p.looks(t)
	p.looks(t)
	got := p.letters()
	require.Len(t, got["edda@example.org"], 1)
	assert.Empty(t, got["ansa@example.org"], "who hears only of what lasts")
	assert.Contains(t, got["edda@example.org"][0].Subject, "Many jobs: Number of jobs is above 60: 61, since 5 Mar 2026, 12:05.")
	assert.Contains(t, got["edda@example.org"][0].Text, "https://boards.example/dashboards/one?page=P")
	notices, err := p.Notices(ctx, edda, 0, 5)
	require.NoError(t, err)
	require.Len(t, notices, 1)
	assert.Equal(t, "Many jobs tells you", notices[0].ByName+" "+notices[0].Words)
	at(130)
	p.looks(t)
	got = p.letters()
	assert.Contains(t, got["ansa@example.org"][0].Text, "Call the yard. Number of jobs is above 60: 61, and has been so since")
	_, err = p.records.Exec(ctx, "delete from job where id > 60")
	require.NoError(t, err)
	p.changed()
	require.NoError(t, p.SnoozeAlert(ctx, edda, id, time.Hour))
	at(140)
	p.looks(t)
	assert.Empty(t, p.letters(), "it is snoozed")
	at(191)
	p.looks(t)
	assert.Contains(t, p.letters()["ansa@example.org"][0].Text, "Number of jobs no longer is above 60: 60")
	spent, err := p.Costs(ctx, mara)
	require.NoError(t, err)
	assert.Equal(t, int64(6), spent[0].Looks)
	assert.Positive(t, spent[0].Each)
	assert.Equal(t, problem.Forbidden, code(second(p.Costs(ctx, edda))))
	require.NoError(t, p.RemoveErrand(ctx, edda, id))

	// Records that come, narrowed to those of a condition, and those that do not.
	comes, err := p.KeepAlert(ctx, edda, watches("a", alert.Comes, "", nil))
	require.NoError(t, err)
	silent, err := p.KeepAlert(ctx, edda, watches("a", alert.Silent, "", func(a *workspace.AlertOrder) { a.Title, a.Watch.Hours = "Too still", 2 }))
	require.NoError(t, err)
	p.looks(t)
	assert.Empty(t, p.letters(), "those that are there at first are not new")
	job(102)
	job(103)
	at(200)
	p.looks(t)
	got = p.letters()
	require.Len(t, got["edda@example.org"], 1)
	assert.Contains(t, got["edda@example.org"][0].Subject, "2 new records: ")
	at(330)
	p.looks(t)
	assert.Contains(t, p.letters()["edda@example.org"][0].Subject, "Too still: It has had no new record for 2 hours: the last came 5 Mar 2026, 15:20")

	// Who may not see it hears nothing; who leaves stops theirs.
	require.NoError(t, second(p.AddReceiver(ctx, edda, comes, fmt.Sprint("person/", ansa.PersonID))))
	p.looks(t)
	p.letters()
	require.NoError(t, second(p.SeenBy(ctx, edda, workspace.Shared{Kind: workspace.Dashboard, Name: "one"}, "keeper")))
	job(104)
	p.looks(t)
	assert.Len(t, p.letters(), 1)
	require.NoError(t, p.EndPerson(ctx, mara, edda.PersonID))
	job(105)
	p.looks(t)
	assert.Empty(t, p.letters())
	for _, id := range []int64{comes, silent} {
		e, _, err := p.Delivery(ctx, mara, id)
		require.NoError(t, err)
		assert.NotNil(t, e.PausedAt)
	}
}
