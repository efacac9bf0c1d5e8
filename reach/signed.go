package reach

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"net/http"
	"net/http/httptrace"
	"sync/atomic"
	"time"

	"github.com/golang-jwt/jwt/v5"
)

// Issuer is who signs requests of Eskadel's own.
const Issuer = "eskadel"

// lasts is how long the token of a request is good for.
const lasts = time.Minute

// ErrAddress says that an address is none.
var ErrAddress = errors.New("this is no address")

// Said is what the token of a request says whoever it is for: who signs it, and an id that comes once only.
func Said(audience, id string) jwt.RegisteredClaims {
	now := time.Now()
	return jwt.RegisteredClaims{Issuer: Issuer, Audience: jwt.ClaimStrings{audience}, ID: id, IssuedAt: jwt.NewNumericDate(now), ExpiresAt: jwt.NewNumericDate(now.Add(lasts))}
}

// Sum is what a token says of the body that it goes with: its SHA-256 in hexadecimal.
func Sum(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

// Sign signs the token of a request (JWT by HS256) with a secret; its header names the key.
func Sign(key, secret string, claims jwt.Claims) (string, error) {
	token := jwt.NewWithClaims(jwt.SigningMethodHS256, claims)
	token.Header["kid"] = key
	return token.SignedString([]byte(secret))
}

// Got is what came of a request.
type Got struct {
	Status int
	Body   []byte
	Begun  bool // it may have got there, even though there is no answer
	Err    error
}

// Post sends JSON with a token, and reads so much of the answer.
func Post(ctx context.Context, client *http.Client, address, token string, body []byte, most int64) Got {
	request, err := http.NewRequestWithContext(ctx, http.MethodPost, address, bytes.NewReader(body))
	if err != nil {
		return Got{Err: errors.Join(ErrAddress, err)}
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Accept", "application/json")
	request.Header.Set("User-Agent", "eskadel")
	request.Header.Set("Authorization", "Bearer "+token)
	var begun atomic.Bool
	trace := &httptrace.ClientTrace{WroteHeaders: func() { begun.Store(true) }}
	response, err := client.Do(request.WithContext(httptrace.WithClientTrace(ctx, trace)))
	if err != nil {
		return Got{Begun: begun.Load(), Err: err}
	}
	defer response.Body.Close()
	said, _ := io.ReadAll(io.LimitReader(response.Body, most))
	return Got{Status: response.StatusCode, Body: said, Begun: true}
}
