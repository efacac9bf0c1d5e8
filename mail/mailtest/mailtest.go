// Package mailtest starts the stand-in for an organisation's mail server, in tests.
package mailtest

import (
	"net"
	"strings"
	"testing"

	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/require"

	"eskadel/demo/mailbox"
)

// A Server takes letters.
type Server struct {
	*mailbox.Box
	Address string // smtp://127.0.0.1:…
}

// Start starts a server that ends with the test. It takes letters for every address but those of
// nowhere.example.
func Start(t *testing.T) *Server {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	out := &Server{mailbox.New(), "smtp://" + l.Addr().String()}
	out.Takes = func(to string) error {
		if strings.HasSuffix(to, "@nowhere.example") {
			return &smtp.SMTPError{Code: 550, Message: "no such address"}
		}
		return nil
	}
	go out.Take(l)
	t.Cleanup(out.Close)
	return out
}
