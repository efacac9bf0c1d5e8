package yarddesk

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/golang-jwt/jwt/v5"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/localpg/pgtest"
)

var today = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

func generated(t *testing.T, name string) (string, *pgx.Conn) {
	owner, _ := pgtest.Database(t, name)
	conn, err := pgx.Connect(context.Background(), owner)
	require.NoError(t, err)
	t.Cleanup(func() { _ = conn.Close(context.Background()) })
	require.NoError(t, Generate(context.Background(), conn, 0.05, today))
	return owner, conn
}

func ask(t *testing.T, conn *pgx.Conn, sql string) (out float64) {
	require.NoError(t, conn.QueryRow(context.Background(), "select coalesce(("+sql+")::float8, -1)").Scan(&out), sql)
	return out
}

func TestTheRecordsHoldWhatTheStorySays(t *testing.T) {
	_, conn := generated(t, "yarddesk_story")
	for what, c := range map[string]struct {
		sql       string
		low, high float64
	}{
		"five yards":                           {"select count(*) from yard", 5, 5},
		"sixty staff":                          {"select count(*) from staff", 60, 60},
		"a twentieth of the jobs":              {"select count(*) from yard_job", 2000, 2000},
		"four years":                           {"select max(date '2026-11-23' - opened_at::date) from yard_job", 1400, 1461},
		"nothing opened in the future":         {"select count(*) from yard_job where opened_at > '2026-11-23 12:00Z'", 0, 0},
		"Tarn Quay starts later than the rest": {"select avg(days_late) filter (where yard_id = 3) - avg(days_late) filter (where yard_id <> 3) from yard_job where abs(days_late) < 100", 0.8, 12},
		"and more and more":                    {"select avg(days_late) filter (where opened_at > '2026-01-01') - avg(days_late) filter (where opened_at < '2024-01-01') from yard_job where yard_id = 3 and abs(days_late) < 100", 0.8, 12},
		"rework rises after one supplier":      {"select avg((kind = 'rework')::int) filter (where supplier_id = 5 and opened_at > '2026-01-01') - avg((kind = 'rework')::int) filter (where supplier_id <> 5) from yard_job", 0.1, 0.6},
		"credits are negative":                 {"select count(*) from invoice_line where net < 0", 1, 500},
		"some amounts are text that is none":   {"select count(*) from legacy_invoice where amount_text !~ '^[0-9],[0-9]{3}[.][0-9]{2}$'", 1, 40},
		"a plan for every yard, line, month":   {"select count(*) from plan_month", 5 * 6 * 48, 5 * 6 * 48},
		"spring is busier than winter":         {"select count(*) filter (where extract(month from opened_at) in (4, 5)) - count(*) filter (where extract(month from opened_at) in (11, 12)) from yard_job", 50, 2000},
	} {
		got := ask(t, conn, c.sql)
		assert.True(t, got >= c.low && got <= c.high, "%s: %v", what, got)
	}
	_, again := generated(t, "yarddesk_again")
	sum := "select sum(yard_cost * 7 + id) from yard_job"
	assert.Equal(t, ask(t, conn, sum), ask(t, again, sum), "the same seed and day make the same records")
}

// A browser of a member of the staff.
type browser struct {
	t      *testing.T
	app    http.Handler
	cookie *http.Cookie
	token  string
}

func (b *browser) do(method, path string, form url.Values) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, path, strings.NewReader(form.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if b.cookie != nil {
		r.AddCookie(b.cookie)
	}
	w := httptest.NewRecorder()
	b.app.ServeHTTP(w, r)
	return w
}

func signedIn(t *testing.T, app http.Handler, staff int) *browser {
	b := &browser{t: t, app: app}
	b.cookie = b.do(http.MethodPost, "/sign-in", url.Values{"staff": {fmt.Sprint(staff)}}).Result().Cookies()[0]
	m := regexp.MustCompile(`name="token" value="([^"]+)"`).FindStringSubmatch(b.do(http.MethodGet, "/", nil).Body.String())
	require.NotNil(t, m)
	b.token = m[1]
	return b
}

func TestYardDesk(t *testing.T) {
	owner, conn := generated(t, "yarddesk_app")
	app, err := New(context.Background(), Config{Database: owner, EskadelURL: "http://127.0.0.1:1", KeyID: "k", Secret: "a secret of the demo"})
	require.NoError(t, err)
	t.Cleanup(app.Close)
	h := app.Handler()

	stranger := &browser{t: t, app: h}
	assert.Equal(t, http.StatusSeeOther, stranger.do(http.MethodGet, "/jobs", nil).Code)
	stranger.cookie = &http.Cookie{Name: "yard_desk", Value: "3.forged"}
	assert.Equal(t, http.StatusSeeOther, stranger.do(http.MethodGet, "/eskadel-pass", nil).Code, "a cookie of one's own making is none")

	foreman := signedIn(t, h, 3)
	assert.Contains(t, foreman.do(http.MethodGet, "/", nil).Body.String(), "foreman at Tarn Quay")
	for _, list := range []string{"jobs", "enquiries", "hazards", "invoices"} {
		page := foreman.do(http.MethodGet, "/"+list, nil)
		assert.Equal(t, http.StatusOK, page.Code, list)
		assert.Contains(t, page.Body.String(), "Tarn Quay", list)
		assert.NotContains(t, page.Body.String(), "Marrow Bay", list)
	}
	own := int(ask(t, conn, "select max(id) from yard_job where yard_id = 3 and status <> 'withdrawn'"))
	other := int(ask(t, conn, "select max(id) from yard_job where yard_id = 5"))
	assert.Equal(t, http.StatusOK, foreman.do(http.MethodGet, fmt.Sprint("/jobs/", own), nil).Code)
	assert.Equal(t, http.StatusNotFound, foreman.do(http.MethodGet, fmt.Sprint("/jobs/", other), nil).Code)
	assert.Equal(t, http.StatusNotFound, foreman.do(http.MethodGet, "/jobs/1;drop", nil).Code)

	save := func(id int, token, cost string) string {
		return foreman.do(http.MethodPost, fmt.Sprint("/jobs/", id), url.Values{"token": {token}, "status": {"in hand"}, "kind": {"rework"}, "yard_cost": {cost}}).Header().Get("Location")
	}
	assert.Empty(t, save(own, "stolen", "1"), "a form of another page")
	assert.Contains(t, save(own, foreman.token, "1240.50"), "saved=")
	assert.Equal(t, 1240.5, ask(t, conn, fmt.Sprint("select yard_cost from yard_job where id = ", own)))
	assert.Contains(t, save(own, foreman.token, "a lot"), "wrong=yes")
	assert.Contains(t, save(other, foreman.token, "1"), "wrong=yes", "another yard's job stays as it is")

	var claims jwt.MapClaims
	_, err = jwt.ParseWithClaims(foreman.do(http.MethodGet, "/eskadel-pass", nil).Body.String(), &claims, func(k *jwt.Token) (any, error) {
		assert.Equal(t, "k", k.Header["kid"])
		return []byte("a secret of the demo"), nil
	}, jwt.WithValidMethods([]string{"HS256"}))
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"staff": 3.0, "yard": 3.0}, claims["attributes"])
	director := signedIn(t, h, int(ask(t, conn, "select min(id) from staff where role = 'director'")))
	claims = nil
	_, err = jwt.ParseWithClaims(director.do(http.MethodGet, "/eskadel-pass", nil).Body.String(), &claims, func(*jwt.Token) (any, error) { return []byte("a secret of the demo"), nil })
	require.NoError(t, err)
	assert.NotContains(t, claims["attributes"], "yard", "a director has no yard of their own")

	before := ask(t, conn, "select count(*) from yard_job")
	for range 40 {
		require.NoError(t, app.busy.event(context.Background()))
	}
	assert.Greater(t, ask(t, conn, "select count(*) from yard_job"), before, "a busy day brings new jobs")
	director.do(http.MethodPost, "/busy", url.Values{"token": {director.token}, "rate": {"1"}})
	assert.True(t, app.busy.running())
	director.do(http.MethodPost, "/busy", url.Values{"token": {director.token}})
	assert.False(t, app.busy.running())
}

// What Eskadel asks for is done by the same rules as on Yard Desk's own page, and only if it is signed.
func TestEskadelAsksForChanges(t *testing.T) {
	owner, conn := generated(t, "yarddesk_changes")
	app, err := New(context.Background(), Config{Database: owner, EskadelURL: "http://127.0.0.1:1", KeyID: "k", Secret: "a secret of the demo"})
	require.NoError(t, err)
	t.Cleanup(app.Close)
	own, other := int(ask(t, conn, "select max(id) from yard_job where yard_id = 3 and status = 'open'")), int(ask(t, conn, "select max(id) from yard_job where yard_id = 5"))
	send := func(id int, body, subject string, change func(jwt.MapClaims, map[string]any)) (int, string) {
		sum := sha256.Sum256([]byte(body))
		claims := jwt.MapClaims{"iss": "eskadel", "aud": "yard-desk", "sub": subject, "name": "Somebody", "exp": time.Now().Add(time.Minute).Unix(), "body": hex.EncodeToString(sum[:])}
		token := jwt.NewWithClaims(jwt.SigningMethodHS256, claims)
		token.Header["kid"] = "k"
		if change != nil {
			change(claims, token.Header)
		}
		signed, err := token.SignedString([]byte("a secret of the demo"))
		require.NoError(t, err)
		r := httptest.NewRequest(http.MethodPost, fmt.Sprint("/eskadel/jobs/", id), strings.NewReader(body))
		r.Header.Set("Authorization", "Bearer "+signed)
		w := httptest.NewRecorder()
		app.Handler().ServeHTTP(w, r)
		return w.Code, w.Body.String()
	}
	body := func(id int, column, was, now string) string {
		return fmt.Sprintf(`{"change":1,"record":{"id":"%d"},"column":%q,"was":%s,"now":%s}`, id, column, was, now)
	}
	good := body(own, "status", `"open"`, `"in hand"`)
	for name, change := range map[string]func(jwt.MapClaims, map[string]any){
		"another body":  func(c jwt.MapClaims, _ map[string]any) { c["body"] = "00" },
		"another app":   func(c jwt.MapClaims, _ map[string]any) { c["aud"] = "other" },
		"another maker": func(c jwt.MapClaims, _ map[string]any) { c["iss"] = "yard-desk" },
		"too late":      func(c jwt.MapClaims, _ map[string]any) { c["exp"] = 1 },
		"another key":   func(_ jwt.MapClaims, h map[string]any) { h["kid"] = "old" },
	} {
		status, _ := send(own, good, "3", change)
		assert.Equal(t, http.StatusUnauthorized, status, name)
	}
	for _, c := range []struct {
		id      int
		body    string
		subject string
		status  int
	}{
		{own + 1, good, "3", http.StatusUnauthorized}, {own, good, "9999", http.StatusForbidden}, {own, good, "", http.StatusForbidden}, {own, body(own, "id", `"1"`, `"2"`), "3", http.StatusForbidden}, {own, `no JSON`, "3", http.StatusUnauthorized},
		{other, body(other, "status", `"open"`, `"in hand"`), "3", http.StatusConflict}, {own, body(own, "status", `"in hand"`, `"open"`), "3", http.StatusConflict}, {own, body(own, "status", `"open"`, `"sunk"`), "3", http.StatusUnprocessableEntity},
		{own, good, "3", http.StatusOK}, {own, good, "3", http.StatusConflict},
	} {
		status, said := send(c.id, c.body, c.subject, nil)
		assert.Equal(t, c.status, status, "%s: %s", c.body, said)
	}
	assert.Equal(t, 1.0, ask(t, conn, fmt.Sprint("select (status = 'in hand')::int from yard_job where id = ", own)))
}
