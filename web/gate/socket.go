package gate

import (
	"context"
	"crypto/subtle"
	"strings"

	"github.com/coder/websocket"
	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
)

// A page that listens does so in a web socket (RFC 6455), of which browsers have many, where of other
// connections to one host they have six for all their tabs. The one header that a script can set of it names
// what is spoken and the token by which it comes: “eskadel, bearer.…” in a frame, “eskadel, csrf.…” in a page of
// Eskadel's own. Neither is guessed by a page of somebody else's, whatever cookies go along.
const speaks = "eskadel"

// WantsSocket tells whether a request asks for a web socket.
func WantsSocket(c *gin.Context) bool {
	return strings.EqualFold(c.GetHeader("Upgrade"), "websocket")
}

// offered is the token of a kind that a request for a web socket brings.
func offered(c *gin.Context, kind string) (string, bool) {
	if !WantsSocket(c) {
		return "", false
	}
	for _, p := range strings.Split(c.GetHeader("Sec-WebSocket-Protocol"), ",") {
		if token, ok := strings.CutPrefix(strings.TrimSpace(p), kind+"."); ok {
			return token, true
		}
	}
	return "", false
}

// Socket makes a web socket of a request. ctx ends when the other side goes.
func Socket(c *gin.Context) (send func(context.Context, []byte) error, ctx context.Context, end func(), err error) {
	if who := Caller(c); who.CSRF != "" {
		if sent, _ := offered(c, "csrf"); subtle.ConstantTimeCompare([]byte(sent), []byte(who.CSRF)) != 1 {
			return nil, nil, nil, problem.New(problem.Forbidden, "", "This did not come from a page of Eskadel. Load the page again and repeat it.")
		}
	}
	conn, err := websocket.Accept(c.Writer, c.Request, &websocket.AcceptOptions{Subprotocols: []string{speaks}, InsecureSkipVerify: true}) // the token says where it comes from
	if err != nil {
		return nil, nil, nil, problem.New(problem.Invalid, "", "This is no request for a web socket.").Because(err)
	}
	send = func(ctx context.Context, b []byte) error {
		ctx, cancel := context.WithTimeout(ctx, BodyTime)
		defer cancel()
		return conn.Write(ctx, websocket.MessageText, b)
	}
	// What the other side says is not listened to: whoever says something is let go.
	return send, conn.CloseRead(context.WithoutCancel(c.Request.Context())), func() { _ = conn.Close(websocket.StatusNormalClosure, "") }, nil
}
