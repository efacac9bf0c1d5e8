// Package mailtest stands in for an organisation's mail server, on loopback, in tests.
package mailtest

import (
	"io"
	"net"
	"net/mail"
	"testing"

	"github.com/emersion/go-smtp"
	"github.com/stretchr/testify/require"
)

// A Letter is one that was taken.
type Letter struct {
	To     []string
	Header mail.Header
	Text   string
}

// A Server takes letters.
type Server struct {
	Address string // smtp://127.0.0.1:…
	Letters chan Letter
}

// Start starts a server that ends with the test. It takes letters for every address but those of
// nowhere.example.
func Start(t *testing.T) *Server {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	out := &Server{Address: "smtp://" + l.Addr().String(), Letters: make(chan Letter, 100)}
	server := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{of: out}, nil }))
	server.Domain = "localhost"
	go func() { _ = server.Serve(l) }()
	t.Cleanup(func() { _ = server.Close() })
	return out
}

type session struct {
	of *Server
	to []string
}

func (s *session) Mail(string, *smtp.MailOptions) error { return nil }

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	if len(to) > 16 && to[len(to)-16:] == "@nowhere.example" {
		return &smtp.SMTPError{Code: 550, Message: "no such address"}
	}
	s.to = append(s.to, to)
	return nil
}

func (s *session) Data(r io.Reader) error {
	m, err := mail.ReadMessage(r)
	if err != nil {
		return err
	}
	text, err := io.ReadAll(m.Body)
	s.of.Letters <- Letter{s.to, m.Header, string(text)}
	return err
}

func (s *session) Reset()        { s.to = nil }
func (s *session) Logout() error { return nil }
