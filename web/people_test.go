package web_test

import (
	"context"
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

// Roles and attributes are given by page, and are shown as people say them.
func TestPeopleAreChangedByPage(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	orla := url.Values{"name": {"Orla Vane"}, "email": {"orla.vane@skerrin.example"}, "roles": {"foreman", "harbour watch", ""},
		"attribute": {"yard", "yard", "staff", ""}, "value": {"3", "4", "7", ""}}
	status, page := post(t, builder, "/people", orla)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, page, "needs a name and a password")
	assert.Contains(t, page, `value="harbour watch" checked`, "nothing that was typed is lost")
	assert.Contains(t, page, `value="4" placeholder="value"`)
	orla.Set("password", "a long enough one")
	status, page = post(t, builder, "/people", orla)
	require.Equal(t, http.StatusSeeOther, status, page)
	_, page = send(t, builder, http.MethodGet, "/people", nil)
	assert.Contains(t, page, "author, who sees what the rules let foreman and harbour watch see, with staff 7, yard 3 and yard 4")
	for _, never := range []string{"null", `["`, "&#34;]", "<nil>"} {
		assert.NotContains(t, page, never)
	}
	_, page = send(t, builder, http.MethodGet, "/data/sources/yard-desk/tables/public.hazard", nil)
	assert.Contains(t, page, `value="harbour watch"`, "roles that people have are offered to rules")
	assert.Contains(t, page, `data-attributes="[`)

	p, err := running.Store.PersonByEmail(context.Background(), "orla.vane@skerrin.example")
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"staff": "7", "yard": []any{"3", "4"}}, p.AttributeMap())
	mine, err := demo.SignIn(context.Background(), running.Eskadel, p.Email, "a long enough one")
	require.NoError(t, err)
	_, page = send(t, mine, http.MethodGet, "/people", nil)
	assert.NotContains(t, page, demo.BuilderEmail, "others' addresses are for builders")
	assert.NotContains(t, page, "changed the row rules", "and so is what was done")
	for _, path := range []string{"/people", "/people/hosts/end", "/people/viewers/end", "/people/viewers/admit"} {
		status, _ = post(t, mine, path, orla)
		assert.Equal(t, http.StatusForbidden, status, path)
	}
	delete(orla, "password")
	orla["roles"], orla["attribute"] = nil, nil
	status, page = post(t, builder, "/people", orla)
	require.Equal(t, http.StatusSeeOther, status, page)
	_, page = send(t, builder, http.MethodGet, "/people", nil)
	assert.Contains(t, page, "author without a role")
	status, page = form(t, builder, "/people", map[string]string{"name": "Mara Quill", "email": demo.BuilderEmail})
	assert.Equal(t, http.StatusConflict, status, "somebody has to look after the rest: %s", page)
}

// A viewer who is let in no more is out at once, and in again when they are admitted.
func TestViewersAreEndedByPage(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	c := claims([]string{"director"}, nil)
	c["sub"], c["name"] = "staff-88", "Wyn Tarbet"
	enter := func() (int, viewer) {
		status, bearer, _ := exchange(t, goodPass(t, c), running.YardDesk, "yard-today")
		return status, viewer{t, bearer}
	}
	_, v := enter()
	status, _ := v.do(http.MethodPost, "/view/yard-today/line", url.Values{})
	require.Equal(t, http.StatusOK, status)
	_, page := send(t, builder, http.MethodGet, "/people", nil)
	assert.Contains(t, page, "Wyn Tarbet")
	status, _ = form(t, builder, "/people/viewers/end", map[string]string{"app": "yard-desk", "viewer": "staff-88", "name": "Wyn Tarbet"})
	require.Equal(t, http.StatusSeeOther, status)
	status, _ = v.do(http.MethodPost, "/view/yard-today/line", url.Values{})
	assert.Equal(t, http.StatusUnauthorized, status)
	status, _ = enter()
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = form(t, builder, "/people/viewers/admit", map[string]string{"app": "yard-desk", "viewer": "staff-88"})
	require.Equal(t, http.StatusSeeOther, status)
	status, _ = enter()
	assert.Equal(t, http.StatusOK, status)
	for path, fields := range map[string]map[string]string{
		"/people/viewers/end": {"app": "ferry-desk", "viewer": "1"}, "/people/hosts/end": {"key": "no such key"},
	} {
		status, page = form(t, builder, path, fields)
		assert.Equal(t, http.StatusUnprocessableEntity, status, path)
		assert.Contains(t, page, "There is no")
	}
}
