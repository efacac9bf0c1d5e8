package web_test

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"eskadel/core/marks"
	"eskadel/demo"
	"eskadel/localpg"
)

// The tests of this package share one running demonstration, with a tenth of its records,
// held at a moment: nothing depends on when they run.
var running *demo.Demo

// moment is when that is; the longer run tries odd ones.
var moment = cmp.Or(os.Getenv("ESKADEL_MOMENT"), "2026-11-18T14:23:11Z")

func TestMain(m *testing.M) {
	root, err := filepath.Abs("..")
	if err != nil {
		panic(err)
	}
	dir := localpg.Folder(root, "web-test")
	running, err = demo.Start(context.Background(), demo.Config{Dir: dir, Fresh: true, Scale: 0.1, Now: moment, Say: func(string, ...any) {}})
	if err != nil {
		panic(err)
	}
	code := m.Run()
	running.Stop()
	if err := localpg.Forget(dir); err != nil {
		panic(err)
	}
	os.Exit(code)
}

// records connects to Yard Desk's tables, past every rule: what tests compare with.
func records(t *testing.T) *pgx.Conn {
	conn, err := pgx.Connect(context.Background(), running.Key.Database)
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(context.Background()) })
	return conn
}

func scalar(t *testing.T, conn *pgx.Conn, sql string, args ...any) (out string) {
	var text *string
	require.NoError(t, conn.QueryRow(context.Background(), "select ("+sql+")::text", args...).Scan(&text))
	if text != nil {
		out = *text
	}
	return out
}

// claims are those of a good pass, for a viewer of some roles and attributes.
func claims(roles []string, attributes map[string]any) jwt.MapClaims {
	return jwt.MapClaims{
		"iss": "yard-desk", "aud": "eskadel", "sub": "7", "name": "Orla Nairn", "exp": time.Now().Add(time.Minute).Unix(),
		"roles": roles, "attributes": attributes, "scope": map[string]any{"dashboards": []string{"yard-today"}},
	}
}

func sign(t *testing.T, method jwt.SigningMethod, kid string, key any, c jwt.MapClaims) string {
	token := jwt.NewWithClaims(method, c)
	token.Header["kid"] = kid
	s, err := token.SignedString(key)
	require.NoError(t, err)
	return s
}

func goodPass(t *testing.T, c jwt.MapClaims) string {
	return sign(t, jwt.SigningMethodHS256, running.Key.KeyID, []byte(running.Key.Secret), c)
}

// exchange hands a pass over as the frame does.
func exchange(t *testing.T, pass, origin, dashboard string) (status int, bearer, words string) {
	b, _ := json.Marshal(map[string]string{"pass": pass, "origin": origin})
	r, err := http.NewRequest(http.MethodPost, running.Eskadel+"/embed/yard-desk/"+dashboard+"/session", bytes.NewReader(b))
	require.NoError(t, err)
	r.Header.Set("Accept", "application/json")
	r.Header.Set("Content-Type", "application/json")
	response, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer response.Body.Close()
	var out struct{ Bearer, Detail string }
	require.NoError(t, json.NewDecoder(response.Body).Decode(&out))
	return response.StatusCode, out.Bearer, out.Detail
}

// A viewer asks with a bearer token.
type viewer struct {
	t      *testing.T
	bearer string
}

func as(t *testing.T, roles []string, attributes map[string]any) viewer {
	status, bearer, words := exchange(t, goodPass(t, claims(roles, attributes)), running.YardDesk, "yard-today")
	require.Equal(t, http.StatusOK, status, words)
	return viewer{t, bearer}
}

func foreman(t *testing.T) viewer {
	return as(t, []string{"foreman"}, map[string]any{"yard": 3, "staff": 7})
}
func director(t *testing.T) viewer { return as(t, []string{"director"}, map[string]any{"staff": 9}) }

// do sends a request; a body that is url.Values goes as a form.
func (v viewer) do(method, path string, body any) (int, []byte) {
	var r *http.Request
	var err error
	if form, ok := body.(url.Values); ok {
		r, err = http.NewRequest(method, running.Eskadel+path, strings.NewReader(form.Encode()))
		require.NoError(v.t, err)
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	} else {
		b, _ := json.Marshal(body)
		r, err = http.NewRequest(method, running.Eskadel+path, bytes.NewReader(b))
		require.NoError(v.t, err)
	}
	r.Header.Set("Authorization", "Bearer "+v.bearer)
	r.Header.Set("Accept", "application/json")
	response, err := http.DefaultClient.Do(r)
	require.NoError(v.t, err)
	defer response.Body.Close()
	b, err := io.ReadAll(response.Body)
	require.NoError(v.t, err)
	return response.StatusCode, b
}

// An answer is what the API says of a widget.
type answer struct {
	Form    string
	Nothing string
	Figures []struct {
		Label, Exact string
		Measure      int
	}
	Grid *struct {
		Head []struct {
			Measure int
			Keys    []marks.Key
		}
		Rows []struct {
			Keys  []marks.Key
			Cells []struct {
				Text, Exact   string
				Number, Plain bool
			}
		}
	}
	Drawing *struct{ Groups, Series []json.RawMessage }
	Records *page
	Whole   marks.Reference
}

type page struct {
	Heading string
	Rows    []struct {
		Address string
		Cells   []struct{ Text string }
	}
	Names []string
	Count int64
	Exact string
	Pages int
}

func (v viewer) run(widget string, state any) (out answer) {
	status, b := v.do(http.MethodPost, "/api/v1/dashboards/yard-today/widgets/"+widget+"/run", map[string]any{"state": state})
	require.Equal(v.t, http.StatusOK, status, "%s: %s", widget, b)
	require.NoError(v.t, json.Unmarshal(b, &out))
	return out
}

func (v viewer) records(widget string, state any, mark marks.Reference, number int) (out page) {
	status, b := v.do(http.MethodPost, "/api/v1/dashboards/yard-today/widgets/"+widget+"/records", map[string]any{"state": state, "mark": mark, "page": number})
	require.Equal(v.t, http.StatusOK, status, "%s: %s", widget, b)
	require.NoError(v.t, json.Unmarshal(b, &out))
	return out
}

// live opens a stream of changes and returns its events.
func (v viewer) live() (events chan string, stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, running.Eskadel+"/view/yard-today/live", nil)
	require.NoError(v.t, err)
	r.Header.Set("Authorization", "Bearer "+v.bearer)
	response, err := http.DefaultClient.Do(r)
	require.NoError(v.t, err)
	require.Equal(v.t, http.StatusOK, response.StatusCode)
	events = make(chan string, 100)
	go func() {
		defer response.Body.Close()
		lines := bufio.NewScanner(response.Body)
		name := ""
		for lines.Scan() {
			if e, ok := strings.CutPrefix(lines.Text(), "event: "); ok {
				name = e
			} else if data, ok := strings.CutPrefix(lines.Text(), "data: "); ok && name != "pulse" {
				events <- name + " " + data
			}
		}
	}()
	require.Equal(v.t, "ready {}", <-events)
	return events, cancel
}

// author signs in to Eskadel.
func author(t *testing.T, email string) *demo.Client {
	c, err := demo.SignIn(context.Background(), running.Eskadel, email, demo.Password)
	require.NoError(t, err)
	return c
}

// send asks the API as a person; whatever state a document is in is what it is changed from,
// unless a test says another. Made and done are as good as answered here.
func send(t *testing.T, c *demo.Client, method, path string, body any, headers ...string) (int, string) {
	b, _ := json.Marshal(body)
	if s, ok := body.(string); ok {
		b = []byte(s)
	}
	if method == http.MethodPut && !slices.Contains(headers, "If-Match") {
		headers = append(headers, "If-Match", "*")
	}
	out, status, err := c.Do(context.Background(), method, path, b, headers...)
	require.NoError(t, err)
	return done(status), string(out)
}

func done(status int) int {
	if status == http.StatusCreated || status == http.StatusNoContent {
		return http.StatusOK
	}
	return status
}

var (
	stateful = regexp.MustCompile(`^/data/(datasets/[^/?]+(/fields/[^/?]+)?|sources/[^/]+(/tables/[^/]+)?/rules|workspace)(\?|$)`)
	revised  = regexp.MustCompile(`rev=(\d+)|name="revision" value="(\d+)"`)
	tagged   = regexp.MustCompile(`name="tag" value="([^"]*)"`)
)

// stated adds to a form from which state it was made, as the page that holds it does.
func stated(t *testing.T, c *demo.Client, path string, values url.Values) string {
	if !stateful.MatchString(path) || strings.Contains(path, "rev=") {
		return path
	}
	_, page := send(t, c, http.MethodGet, strings.TrimSuffix(strings.Split(path, "?")[0], "/rules"), nil)
	if strings.HasPrefix(path, "/data/sources/") && !strings.Contains(path, "/tables/") {
		if m := tagged.FindStringSubmatch(page); m != nil {
			values.Set("tag", m[1])
		}
		return path
	}
	m := revised.FindStringSubmatch(page)
	if m == nil {
		return path
	}
	sign := "?"
	if strings.Contains(path, "?") {
		sign = "&"
	}
	return path + sign + "rev=" + m[1] + m[2]
}

// form posts fields as a page does.
func form(t *testing.T, c *demo.Client, path string, fields map[string]string, headers ...string) (int, string) {
	values := url.Values{}
	for k, v := range fields {
		values.Set(k, v)
	}
	return post(t, c, path, values, headers...)
}

// post does so where a field has several values.
func post(t *testing.T, c *demo.Client, path string, values url.Values, headers ...string) (int, string) {
	path = stated(t, c, path, values)
	r, err := http.NewRequest(http.MethodPost, running.Eskadel+path, strings.NewReader(values.Encode()))
	require.NoError(t, err)
	r.AddCookie(c.Cookie)
	r.Header.Set("X-CSRF-Token", c.CSRF)
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	return straight(t, r)
}

// straight is what comes of a request, without being led on.
func straight(t *testing.T, r *http.Request) (int, string) {
	response, err := (&http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}).Do(r)
	require.NoError(t, err)
	defer response.Body.Close()
	b, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response.StatusCode, string(b)
}

var widgets = []string{"open", "late", "revenue", "cost", "parts", "starts", "money", "crews", "jobs"}

func describe(v any) string { b, _ := json.Marshal(v); return fmt.Sprintf("%.300s", b) }
