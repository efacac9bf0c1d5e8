package web_test

import (
	"context"
	"net/http"
	"strings"
	"testing"

	"github.com/coder/websocket"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/demo"
)

// A page listens in a web socket by its token, whatever cookies go along, and hears what its viewer may.
func TestChangesAreHeardInASocket(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	signedIn := author(t, demo.AuthorEmail)
	dial := func(dashboard, token string, cookie bool) (*websocket.Conn, int) {
		options := &websocket.DialOptions{Subprotocols: []string{"eskadel"}, HTTPHeader: http.Header{"Accept": {"application/json"}}}
		if token != "" {
			options.Subprotocols = append(options.Subprotocols, token)
		}
		if cookie {
			(&http.Request{Header: options.HTTPHeader}).AddCookie(signedIn.Cookie)
		}
		conn, response, err := websocket.Dial(ctx, strings.Replace(running.Eskadel, "http", "ws", 1)+"/view/"+dashboard+"/live", options)
		if err != nil {
			require.NotNil(t, response, err)
			return nil, response.StatusCode
		}
		assert.Equal(t, "eskadel", conn.Subprotocol())
		return conn, response.StatusCode
	}
	next := func(conn *websocket.Conn) string {
		_, b, err := conn.Read(ctx)
		require.NoError(t, err)
		return string(b)
	}
	v := foreman(t)
	conn, status := dial("yard-today", "bearer."+v.bearer, false)
	require.Equal(t, http.StatusSwitchingProtocols, status)
	assert.JSONEq(t, `{"event":"ready","data":{}}`, next(conn))
	_, err := records(t).Exec(ctx, "update yard_job set title = title where id = (select min(id) from yard_job where yard_id = 3)")
	require.NoError(t, err)
	assert.Contains(t, next(conn), `"event":"changed"`)
	require.NoError(t, conn.Write(ctx, websocket.MessageText, []byte("hello")), "who speaks is let go")
	_, _, err = conn.Read(ctx)
	assert.Equal(t, websocket.StatusPolicyViolation, websocket.CloseStatus(err))

	conn, status = dial("yard-today", "csrf."+signedIn.CSRF, true)
	require.Equal(t, http.StatusSwitchingProtocols, status)
	require.NoError(t, conn.Close(websocket.StatusNormalClosure, ""))
	for name, c := range map[string]struct {
		dashboard, token string
		cookie           bool
		status           int
	}{
		"nobody": {"yard-today", "", false, http.StatusUnauthorized}, "a token that is none": {"yard-today", "bearer.nothing", false, http.StatusUnauthorized}, "no such dashboard": {"nothing", "bearer." + v.bearer, false, http.StatusForbidden},
		"a cookie alone": {"yard-today", "", true, http.StatusForbidden}, "a cookie and a token that is none": {"yard-today", "csrf.nothing", true, http.StatusForbidden},
	} {
		_, status := dial(c.dashboard, c.token, c.cookie)
		assert.Equal(t, c.status, status, name)
	}
}
