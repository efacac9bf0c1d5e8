package workspace_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
	"eskadel/workspace"
)

// yards has foremen see the jobs of their own yard, and directors all of them.
func yards(t *testing.T, d *desk) {
	own := dataset.RowRule{Roles: []string{"foreman"}, Where: filter.Condition{}}
	require.NoError(t, own.Where.UnmarshalJSON([]byte(`{"field":"yard_id","is":{"viewer":"yard"}}`)))
	jobs := dataset.TableRules{Table: "public.job", RowRules: []dataset.RowRule{own, {Roles: []string{"director"}}}}
	_, tag, err := d.SourceRules(ctx, mara, "desk")
	require.NoError(t, err)
	require.NoError(t, d.SaveSourceRules(ctx, mara, &dataset.SourceRules{Version: 1, Source: "desk", Tables: []dataset.TableRules{jobs, everybody("public.yard")}}, tag))
}

// as gives a person roles and attributes, and returns them as who signs in.
func as(t *testing.T, d *desk, email string, roles []string, attributes filter.Attributes) *identity.Caller {
	_, err := d.ChangePerson(ctx, mara, identity.Change{Email: email, Roles: roles, Attributes: attributes})
	require.NoError(t, err)
	p, err := d.store.PersonByEmail(ctx, email)
	require.NoError(t, err)
	c, err := identity.ByID(ctx, d.store, p.ID)
	require.NoError(t, err)
	return c
}

// seen is how many jobs somebody sees on a dashboard.
func (d *desk) seen(t *testing.T, who *identity.Caller) string {
	l, err := d.Look(ctx, who, "one", false, dashboard.State{})
	require.NoError(t, err)
	line, err := l.Line("P")
	require.NoError(t, err)
	return line.Counted[0].Some
}

// An open link shows what its maker gave it and no more, for as long as they hold that themselves, may share
// the dashboard, are let in, and until it ends.
func TestOpenLinks(t *testing.T) {
	d := open(t, "links")
	conn, err := pgx.Connect(ctx, d.own)
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(ctx) })
	ids := crew(t, d, "ansa", "bree")
	yards(t, d)
	ansa := as(t, d, "ansa@example.org", []string{"foreman"}, filter.Attributes{"yard": []any{"1", "2"}})
	require.NoError(t, second(d.SaveDashboard(ctx, ansa, "one", page("one", "One", widget("a", count(`"every row"`))), workspace.On{})))
	in := func(order workspace.LinkOrder) error { return second(d.MakeOpenLink(ctx, ansa, "one", order)) }
	good := workspace.LinkOrder{Title: "Insurers", Expires: time.Now().Add(time.Hour), Roles: []string{"foreman"}, Attributes: filter.Attributes{"yard": "1"}}
	assert.Equal(t, problem.Conflict, code(in(good)), "a draft only")
	require.NoError(t, second(d.Publish(ctx, ansa, "one")))
	for name, of := range map[string]struct {
		change func(*workspace.LinkOrder)
		code   string
	}{
		"another role":         {func(o *workspace.LinkOrder) { o.Roles = []string{"director"} }, problem.Forbidden},
		"another yard":         {func(o *workspace.LinkOrder) { o.Attributes = filter.Attributes{"yard": "3"} }, problem.Forbidden},
		"one yard too many":    {func(o *workspace.LinkOrder) { o.Attributes = filter.Attributes{"yard": []any{"1", "3"}} }, problem.Forbidden},
		"an attribute of none": {func(o *workspace.LinkOrder) { o.Attributes = filter.Attributes{"staff": "1"} }, problem.Forbidden},
		"for nobody":           {func(o *workspace.LinkOrder) { o.Title = " " }, problem.Invalid},
		"over already":         {func(o *workspace.LinkOrder) { o.Expires = time.Now() }, problem.Invalid},
		"for ever":             {func(o *workspace.LinkOrder) { o.Expires = time.Now().Add(400 * 24 * time.Hour) }, problem.Invalid},
		"a short password":     {func(o *workspace.LinkOrder) { o.Password = "short" }, problem.Invalid},
	} {
		o := good
		of.change(&o)
		assert.Equal(t, of.code, code(in(o)), name)
	}
	assert.Equal(t, problem.Forbidden, code(second(d.MakeOpenLink(ctx, as(t, d, "bree@example.org", []string{"foreman"}, filter.Attributes{"yard": "1"}), "one", good))), "who may only see it")
	token, err := d.MakeOpenLink(ctx, ansa, "one", good)
	require.NoError(t, err)
	assert.Len(t, token, 43, "256 bits, six to a letter")
	var kept int
	require.NoError(t, conn.QueryRow(ctx, "select count(*) from open_links where token_hash = $1", token).Scan(&kept))
	assert.Zero(t, kept, "the link itself is not kept")

	visit := func(token, password string) *identity.Caller {
		bearer, _, l, err := d.Visit(ctx, token, password, "10.0.0.1")
		require.NoError(t, err)
		assert.Equal(t, "one", l.Dashboard)
		who, err := d.ByBearer(ctx, bearer)
		require.NoError(t, err)
		return who
	}
	var one, both int
	require.NoError(t, d.records.QueryRow(ctx, "select count(*) filter (where yard_id = 1), count(*) from job where yard_id in (1, 2)").Scan(&one, &both))
	who := visit(token, "")
	assert.Equal(t, rights.Visitor, rights.Of(who))
	assert.Equal(t, fmt.Sprint(one), d.seen(t, who))
	assert.Equal(t, fmt.Sprint(both), d.seen(t, ansa))
	assert.Equal(t, problem.Forbidden, code(second(d.Look(ctx, who, "another", false, dashboard.State{}))))
	assert.Equal(t, problem.Forbidden, code(second(d.Dashboard(ctx, who, "one", true))), "no draft")
	assert.Equal(t, problem.Forbidden, code(rights.May(who, rights.Change, rights.Thing{Dashboard: "one", ViewersMay: []string{dashboard.MayChange}})), "and no change of a record, whatever is ticked")
	links, err := d.OpenLinks(ctx, ansa, "one")
	require.NoError(t, err)
	require.Len(t, links, 1)
	assert.EqualValues(t, 1, links[0].Uses)

	// What its maker no longer holds, it no longer shows; when they hold it again, it does again.
	alive := func() bool {
		is, err := d.Alive(ctx, who)
		require.NoError(t, err)
		return is
	}
	nothing := func(why string) {
		t.Helper()
		assert.False(t, alive(), why)
		assert.Equal(t, problem.NotFound, code(second(d.Link(ctx, token))), why)
	}
	assert.True(t, alive())
	as(t, d, "ansa@example.org", []string{"foreman"}, filter.Attributes{"yard": "2"})
	nothing("the yard is no longer hers")
	as(t, d, "ansa@example.org", []string{"rigger"}, filter.Attributes{"yard": "1"})
	nothing("nor the role")
	as(t, d, "ansa@example.org", []string{"foreman"}, filter.Attributes{"yard": "1"})
	assert.True(t, alive())
	one_ := workspace.Shared{Kind: workspace.Dashboard, Name: "one"}
	require.NoError(t, second(d.HandOver(ctx, mara, one_, fmt.Sprint("person/", ids[1]))))
	nothing("she may edit it, not share it")
	require.NoError(t, second(d.Give(ctx, mara, one_, fmt.Sprint("person/", ids[0]), "share")))
	assert.True(t, alive())
	require.NoError(t, d.EndPerson(ctx, mara, ids[0]))
	nothing("she is let in no more")
	require.NoError(t, d.AdmitPerson(ctx, mara, ids[0]))
	assert.True(t, alive())

	// It ends to the second, and at once where it is ended.
	_, err = conn.Exec(ctx, "update open_links set expires_at = now() + interval '1 hour'")
	require.NoError(t, err)
	bearer, expires, l, err := d.Visit(ctx, token, "", "10.0.0.1")
	require.NoError(t, err)
	assert.True(t, expires.Before(l.ExpiresAt))
	soon := store.OpenLink{ExpiresAt: time.Unix(1000, 0)}
	assert.True(t, soon.Shows(time.Unix(999, 999_999_999)))
	assert.False(t, soon.Shows(time.Unix(1000, 0)))
	bree := as(t, d, "bree@example.org", []string{"foreman"}, filter.Attributes{"yard": "1"})
	secret := good
	secret.Title, secret.Password = "Surveyors", "wet rope"
	locked, err := d.MakeOpenLink(ctx, bree, "one", secret)
	require.NoError(t, err)
	ansa = as(t, d, "ansa@example.org", []string{"foreman"}, filter.Attributes{"yard": "1"})
	links, err = d.OpenLinks(ctx, ansa, "one")
	require.NoError(t, err)
	require.Len(t, links, 1, "who shares it sees their own links, its keeper all")
	assert.Equal(t, problem.NotFound, code(d.EndOpenLink(ctx, ansa, "one", links[0].ID+1)))
	require.NoError(t, d.EndOpenLink(ctx, bree, "one", links[0].ID))
	_, err = d.ByBearer(ctx, bearer)
	assert.Equal(t, problem.NotFound, code(err))
	nothing("ended")

	for range 8 {
		_, _, _, err = d.Visit(ctx, locked, "wet ropes", "10.0.0.1")
		assert.Equal(t, problem.Forbidden, code(err))
	}
	_, _, _, err = d.Visit(ctx, locked, "wet rope", "10.0.0.1")
	assert.Equal(t, problem.TooMany, code(err), "passwords are not guessed one after the other")
	_, _, _, err = d.Visit(ctx, locked, "wet rope", "10.0.0.2")
	require.NoError(t, err)
	_, err = conn.Exec(ctx, "update open_links set expires_at = now()")
	require.NoError(t, err)
	_, _, _, err = d.Visit(ctx, locked, "wet rope", "10.0.0.2")
	assert.Equal(t, problem.NotFound, code(err), "over")
	for _, wrong := range []string{"", "made up", token + "x"} {
		assert.Equal(t, problem.NotFound, code(second(d.Link(ctx, wrong))))
	}
}

// What those to whom a dashboard is passed on would not see is said before it is sent; it can be given, or
// asked for; and they are told, with the line and the way to exactly what is seen.
func TestPassingOn(t *testing.T) {
	d := open(t, "passing")
	ids := crew(t, d, "ansa", "bree", "cole")
	yards(t, d)
	ansa := as(t, d, "ansa@example.org", []string{"director"}, nil)
	bree := as(t, d, "bree@example.org", []string{}, nil)
	cole := as(t, d, "cole@example.org", []string{"foreman"}, filter.Attributes{"yard": "1"})
	require.NoError(t, second(d.SaveDashboard(ctx, ansa, "one", page("one", "One", widget("a", count(`"every row"`))), workspace.On{})))
	require.NoError(t, second(d.Publish(ctx, ansa, "one")))
	require.NoError(t, d.KeepTeam(ctx, mara, 0, "Crew", ids))
	teams, err := d.Teams(ctx, mara)
	require.NoError(t, err)
	crewed := fmt.Sprint("team/", teams[0].ID)
	lacks := func(who *identity.Caller, to string) (out []string) {
		p, err := d.Passing(ctx, who, "one", to)
		require.NoError(t, err)
		for _, l := range p.Lacks {
			out = append(out, fmt.Sprint(l.Name, " ", l.Unseen, " ", l.Nothing))
		}
		return out
	}
	assert.Equal(t, []string{"bree false [Jobs]"}, lacks(ansa, crewed), "she has no role, he has a yard")
	one := workspace.Shared{Kind: workspace.Dashboard, Name: "one"}
	require.NoError(t, second(d.SeenBy(ctx, ansa, one, "keeper")))
	assert.Equal(t, []string{"bree true [Jobs]", "cole true []"}, lacks(ansa, crewed))
	require.NoError(t, second(d.Give(ctx, ansa, one, fmt.Sprint("person/", ids[2]), "see")))
	assert.Equal(t, []string{"bree true [Jobs]"}, lacks(cole, crewed))
	assert.Equal(t, problem.NotFound, code(second(d.Passing(ctx, bree, "one", ""))), "who may not see it passes nothing on")
	before := map[*identity.Caller]int{ansa: d.Unread(ctx, ansa), mara: d.Unread(ctx, mara)}
	said, err := d.AskFor(ctx, cole, "one", fmt.Sprint("person/", ids[1]))
	require.NoError(t, err)
	assert.Equal(t, "Asked: ansa and the builders.", said)
	assert.Equal(t, before[ansa]+1, d.Unread(ctx, ansa))
	assert.Equal(t, before[mara]+1, d.Unread(ctx, mara))
	notices, err := d.Notices(ctx, mara, 0, 1)
	require.NoError(t, err)
	assert.Equal(t, fmt.Sprintf("cole asks that bree sees records of Jobs → /people/person/%d", ids[1]), notices[0].ByName+" "+notices[0].Words+" → "+notices[0].Address)
	assert.Equal(t, problem.Conflict, code(second(d.AskFor(ctx, ansa, "one", fmt.Sprint("person/", ids[2])))), "nothing is missing")

	said, err = d.PassOn(ctx, ansa, "one", fmt.Sprint("person/", ids[2]), "  Look at the north ", "P", "abc")
	require.NoError(t, err)
	assert.Equal(t, "cole is told.", said)
	notices, err = d.Notices(ctx, cole, 0, 1)
	require.NoError(t, err)
	assert.Equal(t, "ansa passes “One” on to you: Look at the north → /dashboards/one?page=P&view=abc", notices[0].ByName+" "+notices[0].Words+": "+notices[0].Note+" → "+notices[0].Address)
	// Whom a line names is told too, if they may see it: each once, and nobody whose name is only like it.
	crew(t, d, "cole porter")
	unread := map[*identity.Caller]int{ansa: d.Unread(ctx, ansa), bree: d.Unread(ctx, bree), cole: d.Unread(ctx, cole), mara: d.Unread(ctx, mara)}
	said, err = d.PassOn(ctx, ansa, "one", fmt.Sprint("person/", ids[2]), "@bree, @Mara: ask @cole or @ansa, not @cole porter; mail to x@marathon", "", "")
	require.NoError(t, err)
	assert.Equal(t, "cole is told. cole porter, bree may not see it, and are not told.", said, "a longer name first")
	for who, more := range map[*identity.Caller]int{ansa: 0, bree: 0, cole: 1, mara: 1} {
		assert.Equal(t, unread[who]+more, d.Unread(ctx, who), who.Name)
	}
	notices, err = d.Notices(ctx, mara, 0, 1)
	require.NoError(t, err)
	assert.Equal(t, "mentioned ansa mentions you with “One” → /dashboards/one", notices[0].Kind+" "+notices[0].ByName+" "+notices[0].Words+" → "+notices[0].Address)
	assert.Equal(t, problem.Invalid, code(second(d.PassOn(ctx, ansa, "one", fmt.Sprint("person/", ids[0]), "", "", ""))), "to oneself")
	assert.Equal(t, problem.NotFound, code(second(d.PassOn(ctx, ansa, "one", "person/0", "", "", ""))))
}
