// Package organisation stands in for the place where an organisation signs its people in: a small
// provider of OpenID Connect, for the demonstration and for tests. It asks for no password; nothing but
// loopback should reach it.
package organisation

import (
	"crypto/rand"
	"crypto/rsa"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"html/template"
	"net/http"
	"net/url"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"
	"github.com/golang-jwt/jwt/v5"
)

// Staff are those whom the organisation knows.
var Staff = []Member{
	{"skerrin-1", "Mara Quill", "mara.quill@skerrin.example"},
	{"skerrin-2", "Edda Harrow", "edda.harrow@skerrin.example"},
	{"skerrin-3", "Ruan Teague", "ruan.teague@skerrin.example"},
}

// A Member is one of its staff.
type Member struct{ ID, Name, Email string }

// A Provider signs them in.
type Provider struct {
	Issuer         string // its own address
	Client, Secret string // of whom it signs them in for
	Back           string // where it sends them back to

	// Twist, where it is set, changes what is said of somebody, for testing that lies are found out.
	Twist func(claims jwt.MapClaims)

	key   *rsa.PrivateKey
	mu    sync.Mutex
	codes map[string]grant
}

// A grant waits to be taken, once.
type grant struct {
	member           Member
	nonce, challenge string
	until            time.Time
}

// New returns a provider with a key of its own.
func New(issuer, client, secret, back string) (*Provider, error) {
	key, err := rsa.GenerateKey(rand.Reader, 2048)
	return &Provider{Issuer: issuer, Client: client, Secret: secret, Back: back, key: key, codes: map[string]grant{}}, err
}

const keyID = "skerrin-signs"

// Handler answers at its address.
func (p *Provider) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /.well-known/openid-configuration", p.configuration)
	mux.HandleFunc("GET /keys", p.keys)
	mux.HandleFunc("GET /authorize", p.authorize)
	mux.HandleFunc("POST /authorize", p.chosen)
	mux.HandleFunc("POST /token", p.token)
	return mux
}

func answer(w http.ResponseWriter, status int, v any) {
	w.Header().Set("Content-Type", "application/json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(v)
}

func (p *Provider) configuration(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, map[string]any{
		"issuer": p.Issuer, "authorization_endpoint": p.Issuer + "/authorize", "token_endpoint": p.Issuer + "/token", "jwks_uri": p.Issuer + "/keys",
		"response_types_supported": []string{"code"}, "subject_types_supported": []string{"public"}, "id_token_signing_alg_values_supported": []string{"RS256"},
		"code_challenge_methods_supported": []string{"S256"}, "authorization_response_iss_parameter_supported": true,
	})
}

func (p *Provider) keys(w http.ResponseWriter, _ *http.Request) {
	answer(w, http.StatusOK, jose.JSONWebKeySet{Keys: []jose.JSONWebKey{{Key: &p.key.PublicKey, KeyID: keyID, Algorithm: "RS256", Use: "sig"}}})
}

var choose = template.Must(template.New("").Parse(`<!doctype html>
<html lang="en-GB"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>Skerrin staff</title>
<h1>Skerrin staff</h1>
<p>This stands in for the place where the organisation signs its people in. Who are you?</p>
<form method="post"><input type="hidden" name="query" value="{{.Query}}">
{{range .Staff}}<p><button name="member" value="{{.ID}}">{{.Name}}</button></p>
{{end}}<p><button name="member" value="">None of these</button></p></form>`))

// authorize asks who somebody is.
func (p *Provider) authorize(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if q.Get("client_id") != p.Client || q.Get("redirect_uri") != p.Back || q.Get("response_type") != "code" || q.Get("code_challenge_method") != "S256" {
		http.Error(w, "This is not asked by anybody who is known here.", http.StatusBadRequest)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = choose.Execute(w, map[string]any{"Query": r.URL.RawQuery, "Staff": Staff})
}

// chosen sends somebody back with a code.
func (p *Provider) chosen(w http.ResponseWriter, r *http.Request) {
	q, err := url.ParseQuery(r.PostFormValue("query"))
	if err != nil || q.Get("client_id") != p.Client || q.Get("redirect_uri") != p.Back {
		http.Error(w, "This is not asked by anybody who is known here.", http.StatusBadRequest)
		return
	}
	back := url.Values{"state": {q.Get("state")}, "iss": {p.Issuer}}
	if code := p.Grant(r.PostFormValue("member"), q.Get("nonce"), q.Get("code_challenge")); code != "" {
		back.Set("code", code)
	} else {
		back.Set("error", "access_denied")
	}
	http.Redirect(w, r, p.Back+"?"+back.Encode(), http.StatusSeeOther)
}

// Grant makes the code by which it is learnt who somebody is; "" for whom the organisation does not know.
func (p *Provider) Grant(member, nonce, challenge string) string {
	for _, m := range Staff {
		if m.ID == member {
			code := rand.Text()
			p.mu.Lock()
			p.codes[code] = grant{m, nonce, challenge, time.Now().Add(time.Minute)}
			p.mu.Unlock()
			return code
		}
	}
	return ""
}

// token says who came, once for each code.
func (p *Provider) token(w http.ResponseWriter, r *http.Request) {
	refuse := func(code string) { answer(w, http.StatusBadRequest, map[string]string{"error": code}) }
	client, secret, ok := r.BasicAuth()
	if !ok {
		client, secret = r.PostFormValue("client_id"), r.PostFormValue("client_secret")
	}
	if client != p.Client || secret != p.Secret {
		refuse("invalid_client")
		return
	}
	code := r.PostFormValue("code")
	p.mu.Lock()
	g, known := p.codes[code]
	delete(p.codes, code)
	p.mu.Unlock()
	sum := sha256.Sum256([]byte(r.PostFormValue("code_verifier")))
	if !known || time.Now().After(g.until) || base64.RawURLEncoding.EncodeToString(sum[:]) != g.challenge || r.PostFormValue("redirect_uri") != p.Back {
		refuse("invalid_grant")
		return
	}
	now := time.Now()
	claims := jwt.MapClaims{"iss": p.Issuer, "sub": g.member.ID, "aud": p.Client, "exp": now.Add(5 * time.Minute).Unix(), "iat": now.Unix(),
		"nonce": g.nonce, "name": g.member.Name, "email": g.member.Email, "email_verified": true}
	if p.Twist != nil {
		p.Twist(claims)
	}
	said := jwt.NewWithClaims(jwt.SigningMethodRS256, claims)
	said.Header["kid"] = keyID
	signed, err := said.SignedString(p.key)
	if err != nil {
		http.Error(w, "It cannot be signed.", http.StatusInternalServerError)
		return
	}
	answer(w, http.StatusOK, map[string]any{"access_token": rand.Text(), "token_type": "Bearer", "expires_in": 300, "id_token": signed})
}
