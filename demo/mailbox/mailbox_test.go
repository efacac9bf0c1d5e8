package mailbox_test

import (
	"context"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/deliver/chat"
	"eskadel/demo/mailbox"
	"eskadel/mail"
)

func get(t *testing.T, address string) (*http.Response, string) {
	response, err := http.Get(address)
	require.NoError(t, err)
	defer response.Body.Close()
	b, err := io.ReadAll(response.Body)
	require.NoError(t, err)
	return response, string(b)
}

// A letter is shown as its reader would see it, in a sandbox, with its pictures and files; what it holds is text.
func TestLettersAreShown(t *testing.T) {
	box := mailbox.New()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	go box.Take(l)
	t.Cleanup(box.Close)
	page := httptest.NewServer(box.Handler())
	defer page.Close()
	m, err := mail.New("smtp://"+l.Addr().String(), "eskadel@skerrin.example")
	require.NoError(t, err)
	require.NoError(t, m.Send(context.Background(), mail.Letter{To: "orla@skerrin.example", Subject: "<script>alert(1)</script>", Text: "Jobs 231", HTML: `<html><head></head><body><img src="cid:chart-1.png"><a href="https://x.example">x</a></body></html>`,
		Pictures: []mail.File{{Name: "chart-1.png", Type: "image/png", Bytes: []byte("PNG")}}, Files: []mail.File{{Name: "jobs.csv", Type: "text/csv", Bytes: []byte("a,b")}}}, nil))
	<-box.Arrived
	_, list := get(t, page.URL+"/")
	assert.Contains(t, list, "&lt;script&gt;alert(1)")
	assert.NotContains(t, list, "<script>")
	response, html := get(t, page.URL+"/letters/1/html")
	assert.Contains(t, response.Header.Get("Content-Security-Policy"), "sandbox")
	assert.Contains(t, html, `src="/letters/1/pictures/chart-1.png"`)
	response, png := get(t, page.URL+"/letters/1/pictures/chart-1.png")
	assert.Equal(t, "image/png PNG", response.Header.Get("Content-Type")+" "+png)
	response, csv := get(t, page.URL+"/letters/1/files/0")
	assert.Equal(t, "a,b", csv)
	assert.Contains(t, response.Header.Get("Content-Disposition"), "jobs.csv")
	for _, none := range []string{"/letters/2", "/letters/1/files/1", "/letters/1/files/-1", "/letters/x"} {
		response, _ := get(t, page.URL+none)
		assert.Equal(t, http.StatusNotFound, response.StatusCode, none)
	}
}

// Only messages that are signed with the secret of their channel are taken, and each once.
func TestMessagesAreTaken(t *testing.T) {
	box := mailbox.New()
	page := httptest.NewServer(box.Handler())
	defer page.Close()
	send := func(key, secret, id string) error {
		return chat.New([]netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}).Send(context.Background(), page.URL+"/chat/yards", key, secret, chat.Message{ID: id, Title: "<b>Weekly</b>", Text: "Jobs 231"}, func() error { return nil })
	}
	require.Error(t, send("1", "", "a"), "no channel is known")
	box.Signed(map[string]string{"1": "secret"})
	require.Error(t, send("1", "another", "a"))
	require.Error(t, send("2", "secret", "a"))
	require.NoError(t, send("1", "secret", "a"))
	require.NoError(t, send("1", "secret", "a"))
	require.NoError(t, send("1", "secret", "b"))
	assert.Len(t, box.Chat(), 2)
	_, said := get(t, page.URL+"/chat")
	assert.Contains(t, said, "&lt;b&gt;Weekly")
}

func TestWhatIsNoLetter(t *testing.T) {
	for _, text := range []string{"Content-Type: multipart/mixed\r\n\r\n--x", "Subject: =?x?q?y?=\r\nContent-Type: multipart/mixed; boundary=a\r\n\r\n--a\r\nContent-Transfer-Encoding: base64\r\n\r\n!!!!\r\n--a--"} {
		_, err := mailbox.Read([]byte(text))
		assert.Error(t, err, text)
	}
}
