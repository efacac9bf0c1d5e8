package hostapp_test

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"strings"
	"testing"

	"github.com/golang-jwt/jwt/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/problem"
	"eskadel/hostapp"
)

var loopback = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("::1/128")}

func ask(a *hostapp.Asker, address string) error {
	open, done := "open", "done"
	return a.Ask(context.Background(), address, hostapp.Key{App: "desk", ID: "k1", Secret: "a secret of thirty-two characters"}, hostapp.By{Subject: "7", Name: "Orla"}, hostapp.Order{Change: 12, Record: map[string]string{"id": "3"}, Column: "state", Was: &open, Now: &done})
}

// What the app gets tells by its signature who asks, for whom, and that the body is the one that was signed.
func TestARequestIsSigned(t *testing.T) {
	var got hostapp.Claims
	var order map[string]any
	app := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		token, err := jwt.ParseWithClaims(strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer "), &got, func(t *jwt.Token) (any, error) { return []byte("a secret of thirty-two characters"), nil },
			jwt.WithValidMethods([]string{"HS256"}), jwt.WithIssuer("eskadel"), jwt.WithAudience("desk"), jwt.WithExpirationRequired())
		sum := sha256.Sum256(body)
		if err != nil || token.Header["kid"] != "k1" || got.Body != hex.EncodeToString(sum[:]) || json.Unmarshal(body, &order) != nil || r.Method != http.MethodPost {
			w.WriteHeader(http.StatusUnauthorized)
		}
	}))
	defer app.Close()
	require.NoError(t, ask(hostapp.New(loopback), app.URL+"/change/3"))
	assert.Equal(t, map[string]any{"change": 12.0, "record": map[string]any{"id": "3"}, "column": "state", "was": "open", "now": "done"}, order)
	assert.Equal(t, "7 12 Orla", got.Subject+" "+got.ID+" "+got.Name)

	err := ask(hostapp.New(nil), app.URL)
	assert.ErrorContains(t, err, "lies inside the own network")
}

func TestWhatTheAppSaysIsPassedOn(t *testing.T) {
	for _, c := range []struct {
		status     int
		body, code string
		words      string
	}{
		{200, `{}`, "", ""}, {204, ``, "", ""}, {200, `no JSON`, "", ""},
		{409, `{"message":"Bram closed it."}`, problem.Outdated, "Bram closed it."}, {409, ``, problem.Outdated, "This record was changed meanwhile."},
		{401, `{"message":"x"}`, problem.Forbidden, "The application does not accept Eskadel's key."}, {403, ``, problem.Forbidden, "The application does not let you change this."},
		{404, `{"message":"  two\n lines "}`, problem.NotFound, "two lines"}, {422, `{"message":"` + strings.Repeat("é", 400) + `"}`, problem.Invalid, strings.Repeat("é", 300) + "…"}, {400, `[]`, problem.Invalid, "The application does not allow this."},
		{302, ``, problem.Down, "The application's address for changes leads on to another one: nothing is changed."}, {500, `{"message":"stack"}`, problem.Slow, hostapp.Unknown.Words},
		{422, `{"message":"` + strings.Repeat("x", hostapp.MostAnswered) + `"}`, problem.Invalid, "The application does not allow this."},
	} {
		app := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Location", "/elsewhere")
			w.WriteHeader(c.status)
			_, _ = io.WriteString(w, c.body)
		}))
		err := ask(hostapp.New(loopback), app.URL)
		if c.code == "" {
			assert.NoError(t, err, c.status)
		} else if p := problem.Of(err); assert.NotNil(t, p, c.status) {
			assert.Equal(t, c.code+": "+c.words, p.Code+": "+p.Words, c.status)
		}
		app.Close()
	}
	gone := httptest.NewServer(nil)
	gone.Close()
	assert.Equal(t, problem.Down, problem.Of(ask(hostapp.New(loopback), gone.URL)).Code, "nothing was asked")
	cut := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) { panic(http.ErrAbortHandler) }))
	defer cut.Close()
	assert.Equal(t, problem.Slow, problem.Of(ask(hostapp.New(loopback), cut.URL)).Code, "it may have been done")
}
