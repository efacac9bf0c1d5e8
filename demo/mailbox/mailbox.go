// Package mailbox stands in for an organisation's mail server and chat, for the demonstration and for tests: what is
// sent to anybody is kept in memory, and shown as its reader would see it. Nothing but loopback should reach it.
package mailbox

import (
	"bytes"
	"io"
	"net"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-smtp"
)

// mostKept is how many letters, and messages, are kept; mostBytes how large a letter may be.
const (
	mostKept  = 500
	mostBytes = 32 << 20
)

// A Letter is one that was taken.
type Letter struct {
	ID       int
	At       time.Time
	From     string
	To       []string
	Subject  string
	Header   mail.Header
	Text     string
	HTML     string
	Pictures map[string]File // by the names by which the HTML calls them
	Files    []File
}

// A File came with a letter.
type File struct {
	Name, Type string
	Bytes      []byte
}

// A Box takes letters and messages.
type Box struct {
	Arrived chan *Letter            // each letter, as long as there is room
	Takes   func(to string) error   // whether letters to an address are taken; all are without it
	Ends    func(to []string) error // asked once a letter is whole, before it is taken
	mu      sync.Mutex
	letters []*Letter
	said    []Said
	count   int
	secrets map[string]string // of channels, by their ids
	server  *smtp.Server
}

// New returns an empty box.
func New() *Box {
	b := &Box{Arrived: make(chan *Letter, 10*mostKept)}
	b.server = smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &session{of: b}, nil }))
	b.server.Domain, b.server.MaxMessageBytes, b.server.ReadTimeout = "localhost", mostBytes, time.Minute
	return b
}

// Signed says with which secrets the messages of channels are signed, by the channels' ids.
func (b *Box) Signed(secrets map[string]string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.secrets = secrets
}

// Take takes letters by SMTP until Close.
func (b *Box) Take(l net.Listener) { _ = b.server.Serve(l) }

// Close takes no more.
func (b *Box) Close() { _ = b.server.Close() }

// Letters are those that were taken, the newest first.
func (b *Box) Letters() []*Letter {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := make([]*Letter, 0, len(b.letters))
	for i := len(b.letters) - 1; i >= 0; i-- {
		out = append(out, b.letters[i])
	}
	return out
}

func (b *Box) keep(l *Letter) {
	b.mu.Lock()
	b.count++
	l.ID = b.count
	b.letters = append(b.letters, l)
	if len(b.letters) > mostKept {
		b.letters = b.letters[1:]
	}
	b.mu.Unlock()
	select {
	case b.Arrived <- l:
	default:
	}
}

// A session is a connection to the mail server.
type session struct {
	of   *Box
	from string
	to   []string
}

func (s *session) Mail(from string, _ *smtp.MailOptions) error { s.from = from; return nil }

func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	if s.of.Takes != nil {
		if err := s.of.Takes(to); err != nil {
			return err
		}
	}
	s.to = append(s.to, to)
	return nil
}

func (s *session) Data(r io.Reader) error {
	b, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	l, err := Read(b)
	if err != nil {
		return &smtp.SMTPError{Code: 554, Message: err.Error()}
	}
	l.At, l.From, l.To = time.Now(), s.from, s.to
	if s.of.Ends != nil {
		if err := s.of.Ends(l.To); err != nil {
			return err
		}
	}
	s.of.keep(l)
	return nil
}

func (s *session) Reset()        { s.from, s.to = "", nil }
func (s *session) Logout() error { return nil }

// Read reads a letter as a mail program does.
func Read(b []byte) (*Letter, error) {
	r, err := mail.CreateReader(bytes.NewReader(b))
	if err != nil {
		return nil, err
	}
	l := &Letter{Header: r.Header, Pictures: map[string]File{}}
	if l.Subject, err = r.Header.Subject(); err != nil {
		return nil, err
	}
	for {
		p, err := r.NextPart()
		if err == io.EOF {
			return l, nil
		}
		if err != nil {
			return nil, err
		}
		body, err := io.ReadAll(p.Body)
		if err != nil {
			return nil, err
		}
		switch h := p.Header.(type) {
		case *mail.InlineHeader:
			kind, _, _ := h.ContentType()
			id := strings.Trim(h.Get("Content-Id"), "<>")
			switch {
			case id != "":
				l.Pictures[id] = File{id, kind, body}
			case kind == "text/html":
				l.HTML = string(body)
			default:
				l.Text += strings.ReplaceAll(string(body), "\r\n", "\n")
			}
		case *mail.AttachmentHeader:
			name, _ := h.Filename()
			kind, _, _ := h.ContentType()
			if id := strings.Trim(h.Get("Content-Id"), "<>"); id != "" && strings.HasPrefix(kind, "image/") {
				l.Pictures[id] = File{id, kind, body}
				continue
			}
			l.Files = append(l.Files, File{name, kind, body})
		}
	}
}
