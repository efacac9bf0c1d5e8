package web_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
	"eskadel/identity"
	"eskadel/store"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// personOf is a person as they are kept.
func personOf(t *testing.T, email string) *store.Person {
	p, err := running.Store.PersonByEmail(context.Background(), email)
	require.NoError(t, err)
	return p
}

// Somebody is invited with roles and attributes, comes by the link, is changed, ended and let in again.
func TestPeopleAreLookedAfterByPage(t *testing.T) {
	builder := author(t, demo.BuilderEmail)
	orla := url.Values{"name": {"Orla Vane"}, "email": {"no address"}, "roles": {"foreman", "harbour watch", ""}, "known": {"yard=3", "yard=4", ""}, "attribute": {"pier", ""}, "value": {"7", ""}}
	status, page := post(t, builder, "/people", orla)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, page, "is not an e-mail address")
	assert.Contains(t, page, `value="harbour watch" checked`, "nothing that was typed is lost")
	assert.Contains(t, page, `value="yard=4" checked> Hollin Creek`)
	assert.Contains(t, page, `value="7" placeholder="value"`)
	orla.Set("email", "orla.vane@skerrin.example")
	status, page = post(t, builder, "/people", orla)
	require.Equal(t, http.StatusOK, status, page)
	assert.Contains(t, page, "A letter with a link is on its")
	link := regexp.MustCompile(running.Eskadel + `(/enter/[A-Za-z0-9_-]{43})`).FindStringSubmatch(running.Post.Letters()[0].Text)
	require.NotNil(t, link)
	status, page = post(t, builder, "/people", orla)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, page, "Orla Vane is here already")
	_, page = send(t, builder, http.MethodGet, "/people", nil)
	assert.Contains(t, page, "author, who sees what the rules let foreman and harbour watch see, with pier 7, yard Tarn Quay and yard Hollin Creek")
	assert.NotContains(t, page, link[1], "nobody else sees the link")
	for _, never := range []string{"null", `["`, "&#34;]", "<nil>"} {
		assert.NotContains(t, page, never)
	}
	_, page = send(t, builder, http.MethodGet, "/data/sources/yard-desk/tables/public.hazard", nil)
	assert.Contains(t, page, `value="harbour watch"`, "roles that people have are offered to rules")
	assert.Contains(t, page, `data-attributes="[`)

	// She comes by the link, which lets nobody in a second time.
	response := visit(t, http.MethodGet, link[1], nil)
	assert.Contains(t, response.body, "Welcome, Orla Vane")
	assert.Equal(t, "no-referrer", response.Header.Get("Referrer-Policy"))
	response = visit(t, http.MethodPost, link[1], url.Values{"password": {"password1"}})
	assert.Equal(t, http.StatusUnprocessableEntity, response.StatusCode)
	assert.Contains(t, response.body, "guessed too easily")
	response = visit(t, http.MethodPost, link[1], url.Values{"password": {"brass and wet rope"}}, "Sec-Fetch-Site", "cross-site")
	assert.Equal(t, http.StatusForbidden, response.StatusCode, "another site's form")
	response = visit(t, http.MethodPost, link[1], url.Values{"password": {"brass and wet rope"}})
	require.Equal(t, http.StatusSeeOther, response.StatusCode, response.body)
	session := response.Cookies()[0]
	assert.True(t, session.HttpOnly && session.Secure && session.SameSite == http.SameSiteLaxMode)
	response = visit(t, http.MethodGet, link[1], nil)
	assert.Equal(t, http.StatusNotFound, response.StatusCode)
	assert.Contains(t, response.body, "lets nobody in any more")

	p := personOf(t, "orla.vane@skerrin.example")
	assert.Equal(t, map[string]any{"pier": "7", "yard": []any{"3", "4"}}, p.AttributeMap())
	at := fmt.Sprintf("/people/person/%d", p.ID)
	mine, err := demo.SignIn(context.Background(), running.Eskadel, p.Email, "brass and wet rope")
	require.NoError(t, err)
	_, page = send(t, mine, http.MethodGet, "/you", nil)
	assert.Contains(t, page, "Go-http-client")
	for _, path := range []string{"/people", "/people/log", at, "/people/hosts", "/people/organisation"} {
		status, page = send(t, mine, http.MethodGet, path, nil)
		assert.Equal(t, http.StatusForbidden, status, path)
		assert.NotContains(t, page, demo.BuilderEmail, "others' addresses are for builders")
	}
	delete(orla, "known")
	orla["roles"], orla["attribute"] = nil, nil
	status, page = post(t, builder, at, orla)
	require.Equal(t, http.StatusSeeOther, status, page)
	_, page = send(t, builder, http.MethodGet, at, nil)
	assert.Contains(t, page, "author without a role")
	assert.Contains(t, page, "name=\"builder\" value=\"yes\"> a builder")
	status, page = form(t, builder, fmt.Sprintf("/people/person/%d", personOf(t, demo.BuilderEmail).ID), map[string]string{"name": "Mara Quill"})
	assert.Equal(t, http.StatusConflict, status, "somebody has to look after the rest: %s", page)

	status, _ = form(t, builder, at+"/end", nil)
	require.Equal(t, http.StatusSeeOther, status)
	status, _ = send(t, mine, http.MethodGet, "/api/v1/dashboards", nil)
	assert.Equal(t, http.StatusUnauthorized, status, "out at once")
	status, page = form(t, builder, at+"/link", nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, page, "Let them in again first")
	status, _ = form(t, builder, at+"/admit", nil)
	require.Equal(t, http.StatusSeeOther, status)
	_, page = send(t, builder, http.MethodGet, "/people/log", nil)
	assert.Contains(t, page, "let in again")
	assert.Contains(t, page, "Orla Vane, orla.vane@skerrin.example")
	for _, path := range []string{"/people/person/0", "/people/person/none", "/people/person/999999"} {
		status, _ = send(t, builder, http.MethodGet, path, nil)
		assert.Equal(t, http.StatusNotFound, status, path)
	}
}

// A visited page, as somebody sees it who is not signed in.
type visited struct {
	*http.Response
	body string
}

func visit(t *testing.T, method, path string, values url.Values, headers ...string) visited {
	r, err := http.NewRequest(method, running.Eskadel+path, strings.NewReader(values.Encode()))
	require.NoError(t, err)
	if method == http.MethodPost {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	response, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Do(r)
	require.NoError(t, err)
	defer response.Body.Close()
	b, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return visited{response, string(b)}
}

// A second factor is set up and asked for by page; what is half is no session; all of one's own is
// changed with the password only.
func TestOnesOwnAccountByPage(t *testing.T) {
	name := "Ivo Sark"
	_, err := running.Workspace.ChangePerson(context.Background(), workspace.Operator(), identity.Change{Name: &name, Email: "ivo.sark@skerrin.example", Password: "brass and wet rope"})
	require.NoError(t, err)
	ivo, err := demo.SignIn(context.Background(), running.Eskadel, "ivo.sark@skerrin.example", "brass and wet rope")
	require.NoError(t, err)
	_, page := send(t, ivo, http.MethodGet, "/you/factor", nil)
	secret := regexp.MustCompile(`name="secret" value="([A-Z2-7 ]+)"`).FindStringSubmatch(page)[1]
	code := func(ahead int) string {
		out, err := totp.GenerateCode(strings.ReplaceAll(secret, " ", ""), time.Now().Add(time.Duration(ahead)*30*time.Second))
		require.NoError(t, err)
		return out
	}
	status, page := form(t, ivo, "/you/factor", map[string]string{"secret": secret, "code": code(0), "now": "not the password"})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, page, secret, "the same secret stays, which is in the device already")
	status, page = form(t, ivo, "/you/factor", map[string]string{"secret": secret, "code": code(0), "now": "brass and wet rope"})
	require.Equal(t, http.StatusOK, status, page)
	spare := regexp.MustCompile(`<code>([a-z2-7 ]{19})</code>`).FindAllStringSubmatch(page, -1)
	assert.Len(t, spare, 8)

	in := visit(t, http.MethodPost, "/sign-in", url.Values{"email": {"ivo.sark@skerrin.example"}, "password": {"brass and wet rope"}, "then": {"/charts"}})
	assert.Equal(t, "/sign-in/code?then=%2Fcharts", in.Header.Get("Location"))
	half := in.Cookies()[0]
	assert.Equal(t, "/sign-in", half.Path)
	status, _ = send(t, &demo.Client{Address: running.Eskadel, Cookie: &http.Cookie{Name: gate.SessionCookie, Value: half.Value}}, http.MethodGet, "/api/v1/dashboards", nil)
	assert.Equal(t, http.StatusUnauthorized, status, "what is half is no session")
	with := "eskadel_half=" + half.Value
	again := visit(t, http.MethodPost, "/sign-in/code", url.Values{"code": {"123"}, "then": {"/charts"}}, "Cookie", with)
	assert.Equal(t, http.StatusUnprocessableEntity, again.StatusCode)
	assert.Contains(t, again.body, `value="/charts"`)
	whole := visit(t, http.MethodPost, "/sign-in/code", url.Values{"code": {spare[0][1]}, "then": {"/charts"}}, "Cookie", with)
	require.Equal(t, "/charts", whole.Header.Get("Location"), whole.body)
	late := visit(t, http.MethodPost, "/sign-in/code", url.Values{"code": {code(1)}}, "Cookie", with)
	assert.Contains(t, late.body, "Too much time has passed")

	status, page = form(t, ivo, "/you/password", map[string]string{"now": "not the password", "password": "wet rope and brass"})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, page, "This is not your password")
	status, page = form(t, ivo, "/you/password", map[string]string{"now": "brass and wet rope", "password": "ivosark1"})
	assert.Equal(t, http.StatusUnprocessableEntity, status, page)
	status, _ = form(t, ivo, "/you/sessions/end", map[string]string{"id": "nobody's"})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	status, _ = form(t, ivo, "/you/password", map[string]string{"now": "brass and wet rope", "password": "wet rope and brass"})
	require.Equal(t, http.StatusSeeOther, status)
	status, _ = send(t, ivo, http.MethodGet, "/api/v1/dashboards", nil)
	assert.Equal(t, http.StatusUnauthorized, status, "the session of before has ended")
	at := fmt.Sprintf("/people/person/%d", personOf(t, "ivo.sark@skerrin.example").ID)
	status, _ = form(t, author(t, demo.BuilderEmail), at+"/factor/end", nil)
	require.Equal(t, http.StatusSeeOther, status)
	ivo, err = demo.SignIn(context.Background(), running.Eskadel, "ivo.sark@skerrin.example", "wet rope and brass")
	require.NoError(t, err, "the device was lost")
	status, _ = form(t, author(t, demo.BuilderEmail), at+"/all/end", nil)
	require.Equal(t, http.StatusSeeOther, status)
	status, _ = send(t, ivo, http.MethodGet, "/api/v1/dashboards", nil)
	assert.Equal(t, http.StatusUnauthorized, status)

	assert.Contains(t, visit(t, http.MethodGet, "/first", nil).Header.Get("Location"), "/sign-in", "there is somebody")
	assert.Equal(t, http.StatusUnprocessableEntity, visit(t, http.MethodPost, "/first", url.Values{"code": {"a"}, "name": {"X"}, "email": {"x@example.org"}, "password": {"wet rope and brass"}}).StatusCode)
	assert.Contains(t, visit(t, http.MethodGet, "/forgotten", nil).body, "comes by mail")
	assert.Contains(t, visit(t, http.MethodGet, "/sign-in/back?code=1&state=2", nil).body, "Sign in again")
}

// openLink makes an open link to a dashboard by page, and returns its path.
func openLink(t *testing.T, dashboard, password string) string {
	status, page := form(t, author(t, demo.AuthorEmail), "/dashboards/"+dashboard+"/pass-on/links", map[string]string{"title": "Insurers", "for": "week", "roles": "director", "password": password})
	require.Equal(t, http.StatusOK, status, page)
	link := regexp.MustCompile(`/open/[A-Za-z0-9_-]{43}`).FindString(page)
	require.NotEmpty(t, link, page)
	return link
}

// visitor is the bearer token of somebody who comes by an open link.
func visitor(t *testing.T) string {
	response := visit(t, http.MethodPost, openLink(t, "yard-today", "")+"/session", url.Values{})
	require.Equal(t, http.StatusOK, response.StatusCode, response.body)
	var out struct{ Bearer string }
	require.NoError(t, json.Unmarshal([]byte(response.body), &out))
	return out.Bearer
}

// What lets in whoever knows it is in no log and no referrer, and no page of others may frame it.
func TestOpenLinksByPage(t *testing.T) {
	var log bytes.Buffer
	before := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&log, nil)))
	defer slog.SetDefault(before)
	link := openLink(t, "yard-today", "brass rope")
	shown := visit(t, http.MethodGet, link, nil)
	assert.Contains(t, shown.body, "The password of this link")
	assert.Equal(t, "no-referrer", shown.Header.Get("Referrer-Policy"))
	assert.Contains(t, shown.Header.Get("Content-Security-Policy"), "frame-ancestors 'none'")
	assert.Contains(t, shown.body, "noindex")
	enter := func(password string) visited {
		r, err := http.NewRequest(http.MethodPost, running.Eskadel+link+"/session", strings.NewReader(`{"password":"`+password+`","page":""}`))
		require.NoError(t, err)
		r.Header.Set("Accept", "application/json")
		response, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer response.Body.Close()
		b, err := io.ReadAll(response.Body)
		require.NoError(t, err)
		return visited{response, string(b)}
	}
	wrong := enter("brass ropes")
	assert.Equal(t, http.StatusForbidden, wrong.StatusCode)
	assert.Contains(t, wrong.body, `"place":"password"`)
	right := enter("brass rope")
	require.Equal(t, http.StatusOK, right.StatusCode, right.body)
	assert.Contains(t, right.body, "reading-line")
	var in struct{ Bearer string }
	require.NoError(t, json.Unmarshal([]byte(right.body), &in))
	asked := visit(t, http.MethodPost, "/view/yard-today/line", url.Values{}, "Authorization", "Bearer "+in.Bearer)
	assert.Equal(t, http.StatusOK, asked.StatusCode)
	assert.Equal(t, `"viewer";q=6000;w=30`, asked.Header.Get("RateLimit-Policy"), "and how much they may ask is told")
	status, page := form(t, author(t, demo.AuthorEmail), "/dashboards/yard-today/pass-on/links", map[string]string{"title": "Insurers", "for": "ever", "password": "brass rope"})
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, page, `value="Insurers"`, "nothing that was typed is lost")
	for _, bad := range []string{"/open/nothing", "/open/nothing/session", "/enter/nothing"} {
		visit(t, http.MethodGet, bad, nil)
		visit(t, http.MethodPost, bad, url.Values{"x": {"y"}})
	}
	assert.NotContains(t, log.String(), strings.TrimPrefix(link, "/open/"))
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
	_, page := send(t, builder, http.MethodGet, "/people/hosts/yard-desk", nil)
	assert.Contains(t, page, "Wyn Tarbet")
	status, _ = form(t, builder, "/people/hosts/yard-desk/viewers/end", map[string]string{"viewer": "staff-88", "name": "Wyn Tarbet"})
	require.Equal(t, http.StatusSeeOther, status)
	status, _ = v.do(http.MethodPost, "/view/yard-today/line", url.Values{})
	assert.Equal(t, http.StatusUnauthorized, status)
	status, _ = enter()
	assert.Equal(t, http.StatusForbidden, status)
	status, _ = form(t, builder, "/people/hosts/yard-desk/viewers/admit", map[string]string{"viewer": "staff-88"})
	require.Equal(t, http.StatusSeeOther, status)
	status, _ = enter()
	assert.Equal(t, http.StatusOK, status)
	for path, fields := range map[string]map[string]string{
		"/people/hosts/yard-desk/viewers/admit": {"viewer": "1"}, "/people/hosts/yard-desk/keys/end": {"key": "no such key"},
	} {
		status, page = form(t, builder, path, fields)
		assert.Equal(t, http.StatusUnprocessableEntity, status, path)
		assert.Contains(t, page, `class="wrong"`)
	}
}
