package web_test

import (
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

// A somebody asks in the way of one kind of caller.
type somebody struct {
	kind rights.Kind
	head func(*http.Request)
}

func everybody(t *testing.T) []somebody {
	session := func(c *demo.Client) func(*http.Request) {
		return func(r *http.Request) {
			r.AddCookie(c.Cookie)
			r.Header.Set("X-CSRF-Token", c.CSRF)
		}
	}
	bearer := func(token string) func(*http.Request) {
		return func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+token) }
	}
	theirs, _ := newKey(t, demo.AuthorEmail, "rights of an author's program")
	builders, _ := newKey(t, demo.BuilderEmail, "rights of a builder's program")
	return []somebody{
		{rights.Nobody, func(*http.Request) {}}, {rights.Viewer, bearer(foreman(t).bearer)},
		{rights.Author, session(author(t, demo.AuthorEmail))}, {rights.Builder, session(author(t, demo.BuilderEmail))},
		{rights.AuthorKey, bearer(theirs)}, {rights.BuilderKey, bearer(builders)}, {rights.Visitor, bearer(visitor(t))},
	}
}

// what the table says of a route to a thing that is there but is nobody's of those who ask, and
// whose author allows viewers nothing: the kinds that are let in.
var letIn = map[rights.What][]rights.Kind{
	rights.Open:       {rights.Nobody, rights.Viewer, rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey, rights.Visitor},
	rights.See:        {rights.Viewer, rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey, rights.Visitor},
	rights.Tips:       {rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey},
	rights.OwnFilters: {rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey},
	rights.Ask:        {rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey},
	rights.Records:    {rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey},
	rights.Change:     {rights.Author, rights.Builder},
	rights.TakeAway:   {rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey},
	rights.Subscribe:  {rights.Author, rights.Builder},
	rights.Deliver:    {rights.Author, rights.Builder},
	rights.Make:       {rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey},
	rights.Use:        {rights.Author, rights.Builder, rights.AuthorKey, rights.BuilderKey},
	rights.Edit:       {rights.Builder, rights.BuilderKey},
	rights.Publish:    {rights.Builder, rights.BuilderKey},
	rights.Share:      {rights.Builder, rights.BuilderKey},
	rights.Build:      {rights.Builder, rights.BuilderKey},
	rights.Administer: {rights.Builder, rights.BuilderKey},
	rights.Self:       {rights.Author, rights.Builder},
}

// caller is somebody of a kind, as the table tells them apart.
func caller(k rights.Kind) *identity.Caller {
	if k == rights.Nobody {
		return nil
	}
	if k == rights.Visitor {
		return &identity.Caller{Link: &store.OpenLink{}}
	}
	c := &identity.Caller{Author: k != rights.Viewer, Program: k == rights.AuthorKey || k == rights.BuilderKey}
	c.Builder = k == rights.Builder || k == rights.BuilderKey
	return c
}

var parameter = regexp.MustCompile(`[:*](\w+)`)

// Every route asks for a line of the table of rights, and holds to it for every kind of
// caller: with whom it does not let in nothing is done, whatever else is wrong.
func TestEveryRouteHoldsToTheTableOfRights(t *testing.T) {
	require.ElementsMatch(t, rights.Lines(), func() (out []rights.What) {
		for w := range letIn {
			out = append(out, w)
		}
		return out
	}())
	// A dashboard of the builder's, which the pass of the viewer is not for.
	mara := author(t, demo.BuilderEmail)
	chart := `{"version":2,"dataset":"yard-jobs","measures":[{"count":"records"}],"form":"key figures"}`
	status, b := send(t, mara, http.MethodPut, "/api/v1/dashboards/closed", `{"version":1,"name":"closed","title":"Closed","pages":[{"title":"One","widgets":[{"id":"a","at":[0,0,4,4],"chart":`+chart+`}]}]}`)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, mara, http.MethodPost, "/api/v1/dashboards/closed/publish", nil)
	require.Equal(t, http.StatusOK, status, b)
	status, b = send(t, mara, http.MethodPut, "/api/v1/charts/closed", chart)
	require.Equal(t, http.StatusOK, status, b)
	all := everybody(t)
	for _, route := range running.Routes {
		if route.Path == "/sign-out" || strings.HasPrefix(route.Path, "/sign-in") || route.Path == "/view/:dashboard/live" || strings.HasPrefix(route.Path, "/static") {
			continue // ends what asks, refuses passwords, does not end, or holds no thing
		}
		// What is asked about is there for the kinds that may only do it with what they keep or
		// are let see; elsewhere it is nothing, so that nothing is done.
		path := parameter.ReplaceAllStringFunc(route.Path, func(p string) string {
			switch p[1:] {
			case "dashboard", "chart":
				return "closed"
			case "widget":
				return "a"
			}
			return "nothing"
		})
		for _, who := range all {
			path := path
			if may := slices.Contains(letIn[route.Right], who.kind); may && (route.Method == http.MethodDelete || strings.HasSuffix(path, "/remove") || route.Method == http.MethodPut && route.Right == rights.Make) {
				path = strings.Replace(path, "closed", "nothing", 1) // or it would be gone, or be somebody else's
			}
			r, err := http.NewRequest(route.Method, running.Eskadel+path, strings.NewReader("{"))
			require.NoError(t, err)
			r.Header.Set("Accept", "application/json")
			r.Header.Set("Content-Type", "application/json")
			who.head(r)
			response, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Do(r)
			require.NoError(t, err)
			body, _ := io.ReadAll(response.Body)
			_ = response.Body.Close()
			name := rights.Kinds[who.kind] + ": " + route.Method + " " + path
			may := slices.Contains(letIn[route.Right], who.kind)
			refused := response.StatusCode == http.StatusForbidden || response.StatusCode == http.StatusUnauthorized
			switch {
			case who.kind == rights.Nobody && !may:
				assert.Equal(t, http.StatusUnauthorized, response.StatusCode, name)
				assert.NotEmpty(t, response.Header.Get("WWW-Authenticate"), name)
			case (who.kind == rights.Viewer || who.kind == rights.Visitor) && may && strings.Contains(path, "closed") && route.Right != rights.Open:
				assert.Equal(t, http.StatusForbidden, response.StatusCode, "%s: its pass is for another: %s", name, body)
			case may:
				assert.False(t, refused, "%s is refused: %d %s", name, response.StatusCode, body)
			default:
				// Who names nothing that is there may hear of that first.
				assert.True(t, refused || response.StatusCode >= 400, "%s is let in: %d", name, response.StatusCode)
				if rights.Ever(caller(who.kind), route.Right) != nil {
					assert.Equal(t, http.StatusForbidden, response.StatusCode, name)
				}
			}
			assert.Less(t, response.StatusCode, 500, "%s: %s", name, body)
		}
	}
	status, _ = send(t, mara, http.MethodGet, "/api/v1/dashboards/closed", nil)
	assert.Equal(t, http.StatusOK, status, "nobody has removed it")
}
