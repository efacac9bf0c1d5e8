package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"time"

	"github.com/golang-jwt/jwt/v5"
)

var csrf = regexp.MustCompile(`data-csrf="([^"]+)"`)

// A Client is a person signed in to Eskadel from a program.
type Client struct {
	Address string
	Cookie  *http.Cookie
	CSRF    string
}

// SignIn signs a person in.
func SignIn(ctx context.Context, address, email, password string) (*Client, error) {
	c := &Client{Address: address}
	web := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	form := url.Values{"email": {email}, "password": {password}}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, address+"/sign-in", strings.NewReader(form.Encode()))
	if err != nil {
		return nil, err
	}
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	response, err := web.Do(r)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	if len(response.Cookies()) == 0 {
		return nil, fmt.Errorf("sign in as %s: %s", email, response.Status)
	}
	c.Cookie = response.Cookies()[0]
	page, status, err := c.Do(ctx, http.MethodGet, "/you", nil)
	if err != nil || status != http.StatusOK {
		return nil, fmt.Errorf("sign in as %s: %d %w", email, status, err)
	}
	m := csrf.FindSubmatch(page)
	if m == nil {
		return nil, fmt.Errorf("sign in as %s: the page holds no token", email)
	}
	c.CSRF = string(m[1])
	return c, nil
}

// Do sends a request, with further headers if wanted, and returns the answer's body and status.
func (c *Client) Do(ctx context.Context, method, path string, body []byte, headers ...string) ([]byte, int, error) {
	r, err := http.NewRequestWithContext(ctx, method, c.Address+path, strings.NewReader(string(body)))
	if err != nil {
		return nil, 0, err
	}
	r.AddCookie(c.Cookie)
	r.Header.Set("X-CSRF-Token", c.CSRF)
	r.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(headers); i += 2 {
		r.Header.Set(headers[i], headers[i+1])
	}
	response, err := http.DefaultClient.Do(r)
	if err != nil {
		return nil, 0, err
	}
	defer response.Body.Close()
	b, err := io.ReadAll(response.Body)
	return b, response.StatusCode, err
}

func (c *Client) put(ctx context.Context, method, address string, body []byte, headers ...string) error {
	b, status, err := c.Do(ctx, method, address, body, headers...)
	if err == nil && status/100 != 2 {
		var p struct{ Detail, Place string }
		_ = json.Unmarshal(b, &p)
		err = fmt.Errorf("%s %s: %d %s (%s)", method, address, status, p.Detail, p.Place)
	}
	return err
}

// Viewer begins the stay of a director who sees Yard today in a frame, and returns their
// bearer token.
func (d *Demo) Viewer(ctx context.Context) (bearer string, err error) {
	pass := jwt.NewWithClaims(jwt.SigningMethodHS256, jwt.MapClaims{"iss": "yard-desk", "aud": "eskadel", "sub": "1", "name": "Bench", "exp": time.Now().Add(4 * time.Minute).Unix(),
		"roles": []string{"director"}, "scope": map[string]any{"dashboards": []string{"yard-today"}}})
	pass.Header["kid"] = d.Key.KeyID
	signed, err := pass.SignedString([]byte(d.Key.Secret))
	if err != nil {
		return "", err
	}
	body, _ := json.Marshal(map[string]string{"pass": signed, "origin": d.YardDesk})
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, d.Eskadel+"/embed/yard-desk/yard-today/session", bytes.NewReader(body))
	if err != nil {
		return "", err
	}
	r.Header.Set("Content-Type", "application/json")
	response, err := http.DefaultClient.Do(r)
	if err != nil {
		return "", err
	}
	defer response.Body.Close()
	var out struct{ Bearer string }
	err = json.NewDecoder(response.Body).Decode(&out)
	return out.Bearer, err
}
