package mailbox

import (
	"crypto/sha256"
	"embed"
	"encoding/hex"
	"encoding/json"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/golang-jwt/jwt/v5"
)

//go:embed mailbox.html mailbox.css
var files embed.FS

var pages = template.Must(template.New("").Funcs(template.FuncMap{
	"clock": func(at time.Time) string { return at.Format("2 January, 15:04:05") },
	"join":  func(all []string) string { return strings.Join(all, ", ") },
}).ParseFS(files, "mailbox.html"))

// A Said is a message that somebody told a room of the chat.
type Said struct {
	ID    string    `json:"id"`
	Title string    `json:"title"`
	Text  string    `json:"text"`
	Link  string    `json:"link"`
	At    time.Time `json:"at"`
	Parts []struct {
		Title string `json:"title"`
		Text  string `json:"text"`
	} `json:"parts"`
	Room string `json:"-"`
}

// Chat are the messages that were taken, the newest first.
func (b *Box) Chat() []Said {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := slices.Clone(b.said)
	slices.Reverse(out)
	return out
}

// policy lets pages show what they have, and nothing else.
const policy = "default-src 'none'; style-src 'self'; img-src 'self'; frame-src 'self'; base-uri 'none'; form-action 'none'"

// Handler shows letters and messages, and takes messages at /chat/ and the name of a room.
func (b *Box) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) { show(w, "letters", b.Letters()) })
	mux.HandleFunc("GET /chat", func(w http.ResponseWriter, r *http.Request) { show(w, "chat", b.Chat()) })
	mux.HandleFunc("POST /chat/{room}", b.hear)
	mux.HandleFunc("GET /mailbox.css", func(w http.ResponseWriter, r *http.Request) { http.ServeFileFS(w, r, files, "mailbox.css") })
	mux.HandleFunc("GET /letters/{id}", b.on(func(w http.ResponseWriter, _ *http.Request, l *Letter) { show(w, "letter", l) }))
	mux.HandleFunc("GET /letters/{id}/html", b.on(func(w http.ResponseWriter, r *http.Request, l *Letter) {
		w.Header().Set("Content-Security-Policy", "sandbox allow-popups allow-popups-to-escape-sandbox; default-src 'none'; img-src 'self'; style-src 'unsafe-inline'")
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = io.WriteString(w, strings.ReplaceAll(strings.Replace(l.HTML, "<head>", `<head><base target="_blank">`, 1), `src="cid:`, `src="/letters/`+strconv.Itoa(l.ID)+`/pictures/`))
	}))
	mux.HandleFunc("GET /letters/{id}/pictures/{name}", b.on(func(w http.ResponseWriter, r *http.Request, l *Letter) {
		w.Header().Set("Cross-Origin-Resource-Policy", "cross-origin") // to the letter in its sandbox
		send(w, l.Pictures[r.PathValue("name")])
	}))
	mux.HandleFunc("GET /letters/{id}/files/{number}", b.on(func(w http.ResponseWriter, r *http.Request, l *Letter) {
		if n, err := strconv.Atoi(r.PathValue("number")); err == nil && n >= 0 && n < len(l.Files) {
			w.Header().Set("Content-Disposition", `attachment; filename="`+strings.ReplaceAll(l.Files[n].Name, `"`, "")+`"`)
			send(w, l.Files[n])
			return
		}
		http.NotFound(w, r)
	}))
	return mux
}

func send(w http.ResponseWriter, f File) {
	w.Header().Set("Content-Type", f.Type)
	w.Header().Set("X-Content-Type-Options", "nosniff")
	_, _ = w.Write(f.Bytes)
}

func show(w http.ResponseWriter, name string, of any) {
	w.Header().Set("Content-Security-Policy", policy)
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = pages.ExecuteTemplate(w, name, of)
}

// on is for what is about one letter.
func (b *Box) on(do func(http.ResponseWriter, *http.Request, *Letter)) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		for _, l := range b.Letters() {
			if strconv.Itoa(l.ID) == r.PathValue("id") {
				do(w, r, l)
				return
			}
		}
		http.NotFound(w, r)
	}
}

// hear takes a message, if it is signed with the secret of its channel, and the first with its id.
func (b *Box) hear(w http.ResponseWriter, r *http.Request) {
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 1<<20))
	var claims struct {
		jwt.RegisteredClaims
		Body string `json:"body"`
	}
	var said Said
	if err == nil {
		_, err = jwt.ParseWithClaims(strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer "), &claims, func(t *jwt.Token) (any, error) {
			channel, _ := t.Header["kid"].(string)
			b.mu.Lock()
			defer b.mu.Unlock()
			if secret := b.secrets[channel]; secret != "" {
				return []byte(secret), nil
			}
			return nil, jwt.ErrTokenUnverifiable
		}, jwt.WithValidMethods([]string{"HS256"}), jwt.WithIssuer("eskadel"), jwt.WithAudience("chat"), jwt.WithExpirationRequired())
	}
	sum := sha256.Sum256(body)
	if err != nil || claims.Body != hex.EncodeToString(sum[:]) || json.Unmarshal(body, &said) != nil || said.ID != claims.ID {
		w.WriteHeader(http.StatusUnauthorized)
		return
	}
	said.Room = r.PathValue("room")
	b.mu.Lock()
	defer b.mu.Unlock()
	if slices.ContainsFunc(b.said, func(s Said) bool { return s.ID == said.ID }) {
		return
	}
	if b.said = append(b.said, said); len(b.said) > mostKept {
		b.said = b.said[1:]
	}
}
