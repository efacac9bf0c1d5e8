package web_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/locale"
	"eskadel/demo"
	"eskadel/identity"
	"eskadel/workspace"
)

// atMoment puts the time that these tests hold where a query has @now.
func atMoment(sql string) string {
	return strings.ReplaceAll(sql, "@now", "timestamptz '"+moment+"'")
}

// A question is answered by the figures that a query by hand gives, and asked on from.
func TestQuestionsAreAnswered(t *testing.T) {
	conn, ctx := records(t), context.Background()
	one := func(sql string) (n int64) {
		require.NoError(t, conn.QueryRow(ctx, atMoment(sql)).Scan(&n), sql)
		return n
	}
	text := func(sql string) (s string) {
		require.NoError(t, conn.QueryRow(ctx, sql).Scan(&s), sql)
		return s
	}
	count := func(n int64) string { return (*locale.Manner)(nil).Count(n) }
	pounds := func(s string) string {
		return "£" + (*locale.Manner)(nil).Group(s)[:strings.Index((*locale.Manner)(nil).Group(s), ".")+3]
	}
	c := author(t, demo.BuilderEmail)
	ask := func(lines ...string) string {
		status, page := send(t, c, http.MethodGet, "/ask?"+url.Values{"q": lines}.Encode(), nil)
		require.Equal(t, http.StatusOK, status, page)
		return plain([]byte(page))
	}
	const jobs = " from yard_job j join yard y on y.id = j.yard_id where j.status <> 'withdrawn'"
	assert.Contains(t, ask("how many jobs at Tarn Quay"), "Number of jobs, where Yard is “Tarn Quay”, is "+count(one("select count(*)"+jobs+" and y.name = 'Tarn Quay'"))+".")
	assert.Contains(t, ask("yard cost at tarn quay"), "is "+pounds(text("select round(sum(yard_cost), 2)::text"+jobs+" and y.name = 'Tarn Quay'"))+".")
	assert.Contains(t, ask("average yard cost of rework"), "is "+pounds(text("select round(avg(yard_cost), 2)::text"+jobs+" and j.kind = 'rework'"))+".")
	first := text("select y.name" + jobs + " group by 1 order by count(*) desc, 1 limit 1")
	assert.Contains(t, ask("which yard has the most jobs"), fmt.Sprintf("most for %s (%s)", first, count(one("select count(*)"+jobs+" and y.name = '"+first+"'"))))
	year := one("select count(*)" + jobs + " and opened_at >= date_trunc('year', @now at time zone 'Europe/London') at time zone 'Europe/London' and opened_at < date_trunc('year', @now at time zone 'Europe/London') at time zone 'Europe/London' + interval '1 year'")
	assert.Contains(t, ask("jobs this year"), "is "+count(year)+".")

	in := func(year int) string {
		return fmt.Sprintf(" and opened_at >= timestamp '%d-01-01' at time zone 'Europe/London' and opened_at < timestamp '%d-01-01' at time zone 'Europe/London'", year, year+1)
	}
	now, before := one("select count(*)"+jobs+in(2025)), one("select count(*)"+jobs+in(2024))
	said := fmt.Sprintf(", is %s, %s more than the year before (%s).", count(now), text(fmt.Sprintf("select round(100.0 * (%d - %d) / %d, 1)::text || '%%'", now, before, before)), count(before))
	if now < before {
		said = strings.Replace(strings.Replace(said, "more", "less", 1), ", -", ", ", 1)
	}
	assert.Contains(t, ask("jobs in 2025 compared with the year before"), said)

	page := ask("yard cost by month this year", "by yard", "only rework")
	assert.Contains(t, page, "or put it on", "an answer is placed at once")
	assert.Contains(t, page, "Understood as: Sum of Yard cost of Yard jobs, by Yard, only where Opened this year and Kind is “rework”")
	page = ask("yard cost by month", "by yard for zebras")
	assert.Contains(t, page, "for zebras</mark> stands for nothing here")
	assert.NotContains(t, page, "is £", "nothing is answered of what is not understood")
	assert.Contains(t, ask("hello there"), "Nothing of “hello there” is understood")
	assert.Contains(t, ask(), "Ask")
	status, _ := send(t, c, http.MethodGet, "/ask?"+url.Values{"q": strings.Split(strings.Repeat("jobs ", 21), " ")}.Encode(), nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	status, body := form(t, c, "/charts/open", map[string]string{"document": simple})
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "Chart editor")
}

// Whoever may not see a value can neither complete nor confirm it, by no spelling of it.
func TestWordsTellNothingOfWhatIsNotTheirs(t *testing.T) {
	name := "Ansa Reed"
	_, err := running.Workspace.ChangePerson(context.Background(), workspace.Operator(), identity.Change{Name: &name, Email: "ansa.reed@skerrin.example", Password: "a long enough one", Roles: []string{"foreman"}, Attributes: map[string]any{"yard": "3"}})
	require.NoError(t, err)
	foreman, err := demo.SignIn(context.Background(), running.Eskadel, "ansa.reed@skerrin.example", "a long enough one")
	require.NoError(t, err)
	typed := func(c *demo.Client, line string) string {
		status, body := form(t, c, "/charts/words", map[string]string{"document": simple, "line": line}, "Accept", "application/json")
		require.Equal(t, http.StatusOK, status, body)
		return strings.ReplaceAll(body, line, "…") // but for what was typed
	}
	bent := func(name string) string { return name[:len(name)-1] }
	for _, name := range []string{"Hollin Creek", "Ravel Point", "Marrow Bay"} {
		for _, line := range []string{"jobs for " + name, "jobs for " + bent(name)} {
			assert.Contains(t, typed(author(t, demo.BuilderEmail), line), name, "%s, for who may see it", line)
			assert.NotContains(t, typed(foreman, line), name, line)
		}
		line := "how many jobs for " + name
		_, page := send(t, foreman, http.MethodGet, "/ask?"+url.Values{"q": {line}}.Encode(), nil)
		_, understood, _ := strings.Cut(page, `class="asked"`)
		for _, typed := range []string{line, "<mark>" + name + "</mark>", "<mark>for " + name + "</mark>"} {
			understood = strings.ReplaceAll(understood, typed, "…")
		}
		assert.NotContains(t, understood, name)
	}
	assert.Contains(t, typed(foreman, "jobs for "+bent("Tarn Quay")), "Tarn Quay", "and of their own they are told")
}

// Viewers ask of a dashboard whose author lets them: of its datasets alone, as it is narrowed,
// under their own rules.
func TestViewersAskOfADashboard(t *testing.T) {
	conn, ctx := records(t), context.Background()
	one := func(sql string) string {
		var n int64
		require.NoError(t, conn.QueryRow(ctx, atMoment(sql)).Scan(&n), sql)
		return (*locale.Manner)(nil).Count(n)
	}
	v := foreman(t)
	ask := func(lines ...string) string {
		status, b := v.do(http.MethodPost, "/view/yard-today/ask", url.Values{"q": {strings.Join(lines, "\n")}})
		require.Equal(t, http.StatusOK, status, string(b))
		return plain(b)
	}
	const mine = "select count(*) from yard_job where status <> 'withdrawn' and yard_id = 3"
	const year = " and opened_at >= (date_trunc('month', @now at time zone 'Europe/London') - interval '11 months') at time zone 'Europe/London' and opened_at < (date_trunc('month', @now at time zone 'Europe/London') + interval '1 month') at time zone 'Europe/London'"
	assert.Contains(t, ask("how many jobs"), "is "+one(mine+year)+".", "as the dashboard is narrowed")
	assert.Contains(t, ask("how many jobs in 2025"), "is "+one(mine+" and opened_at >= timestamp '2025-01-01' at time zone 'Europe/London' and opened_at < timestamp '2026-01-01' at time zone 'Europe/London'")+".", "but for what the question says itself")
	assert.Contains(t, ask("how many jobs in 2025", "only rework"), "is "+one(mine+" and kind = 'rework' and opened_at >= timestamp '2025-01-01' at time zone 'Europe/London' and opened_at < timestamp '2026-01-01' at time zone 'Europe/London'")+".")
	going := strings.ToLower(ask("how is this week going"))
	assert.Contains(t, going, "jobs of those where status is one of", "by the dashboard's own key figures")
	if !strings.Contains(going, "no jobs, where") { // as in the far future
		assert.Contains(t, going, "jobs under way, where opened this week to date")
		assert.Regexp(t, `the period before, .+ \(.+\) and .+ the year before, .+ \(`, ask("how is this month going"), "beside both times")
	}
	assert.Contains(t, ask("jobs for Ravel Point"), "</mark> stands for nothing here", "another's yard is unknown to them")
	assert.Contains(t, ask("number of hazards"), "Nothing of “number of hazards” is understood", "and what the dashboard does not show")
	said := ask("jobs by kind")
	assert.NotContains(t, said, "/ask?", "viewers keep nothing")

	lines := url.Values{"q": {"jobs by kind in 2025"}}
	status, b := v.do(http.MethodPost, "/view/yard-today/ask/answer", lines)
	require.Equal(t, http.StatusOK, status, string(b))
	var a struct {
		answer
		Sentence string
	}
	require.NoError(t, json.Unmarshal(b, &a))
	assert.NotNil(t, a.Drawing)
	assert.Contains(t, a.Sentence, "and Yard is “Tarn Quay”", "linked records by their names")
	lines.Set("mark", "{}")
	status, b = v.do(http.MethodPost, "/view/yard-today/ask/records", lines)
	require.Equal(t, http.StatusOK, status, string(b))
	assert.Contains(t, string(b), one(mine+" and opened_at >= timestamp '2025-01-01' at time zone 'Europe/London' and opened_at < timestamp '2026-01-01' at time zone 'Europe/London'")+" jobs")
	for _, tail := range []string{"answer", "records"} {
		status, _ = v.do(http.MethodPost, "/view/yard-today/ask/"+tail, url.Values{"q": {"jobs by zebras"}})
		assert.Equal(t, http.StatusUnprocessableEntity, status, tail)
	}
	status, b = v.do(http.MethodPost, "/view/yard-today/ask", url.Values{"q": {strings.Repeat("x", 1001)}})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, string(b), "at most 1000 letters")
	status, b = v.do(http.MethodPost, "/view/berths/ask", url.Values{"q": {"how many stays"}})
	assert.Equal(t, http.StatusForbidden, status)
	assert.NotContains(t, string(b), "stays")
}
