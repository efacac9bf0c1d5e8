package chat_test

import (
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
	"eskadel/deliver/chat"
)

var loopback = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}

func nothing() error { return nil }

// A message is signed as the guide for operators says, and is what was signed.
func TestAMessageIsSigned(t *testing.T) {
	var got chat.Message
	room := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var claims chat.Claims
		token, err := jwt.ParseWithClaims(strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer "), &claims, func(*jwt.Token) (any, error) { return []byte("the secret of the channel"), nil },
			jwt.WithValidMethods([]string{"HS256"}), jwt.WithIssuer("eskadel"), jwt.WithAudience("chat"), jwt.WithExpirationRequired())
		sum := sha256.Sum256(body)
		if err != nil || token.Header["kid"] != "3" || claims.Body != hex.EncodeToString(sum[:]) || json.Unmarshal(body, &got) != nil || claims.ID != got.ID {
			w.WriteHeader(http.StatusUnauthorized)
		}
	}))
	defer room.Close()
	m := chat.Message{ID: "eskadel-1-2", Title: "<b>Weekly</b>", Text: "Jobs 231\n", Parts: []chat.Part{{Title: "Jobs", Text: "231"}}}
	require.NoError(t, chat.New(loopback).Send(t.Context(), room.URL, "3", "the secret of the channel", m, nothing))
	assert.Equal(t, m.Title, got.Title)
	assert.Equal(t, m.Parts, got.Parts)
	err := chat.New(loopback).Send(t.Context(), room.URL, "3", "another", m, nothing)
	assert.True(t, problem.Is(err, problem.Invalid), "%v", err)
}

// What a chat answers decides whether it is told again; what is not to be handed over does not leave.
func TestWhatAChatAnswers(t *testing.T) {
	asked := 0
	status := http.StatusOK
	room := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		switch status {
		case 0: // it ends without an answer
			conn, _, err := w.(http.Hijacker).Hijack()
			if err == nil {
				_ = conn.Close()
			}
		case http.StatusFound:
			http.Redirect(w, r, "/elsewhere", status)
		default:
			w.WriteHeader(status)
		}
	}))
	defer room.Close()
	send := func(inside []netip.Prefix, address string) error {
		return chat.New(inside).Send(t.Context(), address, "1", "s", chat.Message{ID: "1"}, nothing)
	}
	for of, code := range map[int]string{200: "", 204: "", 302: problem.Invalid, 400: problem.Invalid, 401: problem.Invalid, 404: problem.Invalid, 429: problem.Down, 500: problem.Down, 503: problem.Down, 0: problem.Slow} {
		status = of
		err := send(loopback, room.URL)
		got := ""
		if p := problem.Of(err); p != nil {
			got = p.Code
		}
		assert.Equal(t, code, got, "%d: %v", of, err)
	}
	assert.Equal(t, 10, asked, "and no redirect is followed")
	assert.True(t, problem.Is(send(nil, room.URL), problem.Forbidden), "inside")
	assert.True(t, problem.Is(send(loopback, "http://127.0.0.1:1"), problem.Down), "nobody there")
	assert.True(t, problem.Is(send(loopback, "http://[bad"), problem.Invalid), "no address")
	require.ErrorIs(t, chat.New(loopback).Send(t.Context(), room.URL, "1", "s", chat.Message{}, func() error { return assert.AnError }), assert.AnError)
	assert.Equal(t, 10, asked)
}
