// Package hostapp asks a host app to change one of its records: a signed request to an address of the app's
// own, whose answer is what it says. docs/embedding.md describes the request for those who answer it.
package hostapp

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/netip"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"eskadel/core/problem"
	"eskadel/reach"
)

// An Order is what the app is asked to do: the body of the request. Values are written exactly, null
// for none.
type Order struct {
	Change int64             `json:"change"` // its number in Eskadel's log, which comes once only
	Record map[string]string `json:"record"` // the columns of its key
	Column string            `json:"column"`
	Was    *string           `json:"was"` // what it held when it was looked at
	Now    *string           `json:"now"`
}

// Claims are what the token of a request says: a JWT (RFC 7519) by HS256 with a key of the app, which its
// header names (kid). Issuer is eskadel, audience the app, subject the viewer as the app's pass named
// them, and for somebody who signs in to Eskadel nobody.
type Claims struct {
	jwt.RegisteredClaims
	Name  string `json:"name"`
	Email string `json:"email,omitempty"` // of somebody who signs in to Eskadel
	Body  string `json:"body"`            // SHA-256 of the request's body, in hexadecimal
}

// MostAnswered is how many bytes of an answer are read.
const MostAnswered = 64 << 10

// By is for whom the app is asked.
type By struct{ Subject, Name, Email string }

// A Key signs.
type Key struct{ App, ID, Secret string }

// An Asker asks.
type Asker struct{ client *http.Client }

// New returns an asker that may also reach the given networks inside.
func New(allowed []netip.Prefix) *Asker {
	return &Asker{reach.Client(allowed, 15*time.Second, 10*time.Second)}
}

// Unknown tells that it is not known whether the app did what it was asked.
var Unknown = problem.New(problem.Slow, "", "The application did not say whether it made the change: look at the record again before you try once more.")

// Ask asks an app at an address, and returns nil where it did so.
func (a *Asker) Ask(ctx context.Context, address string, key Key, by By, o Order) error {
	body, err := json.Marshal(o)
	if err != nil {
		return err
	}
	said := reach.Said(key.App, fmt.Sprint(o.Change))
	said.Subject = by.Subject
	signed, err := reach.Sign(key.ID, key.Secret, Claims{RegisteredClaims: said, Name: by.Name, Email: by.Email, Body: reach.Sum(body)})
	if err != nil {
		return err
	}
	got := reach.Post(ctx, a.client, address, signed, body, MostAnswered)
	switch {
	case errors.Is(got.Err, reach.ErrInside):
		return problem.New(problem.Forbidden, "", "The host app lies inside the own network. An administrator can list the networks that may be reached.")
	case errors.Is(got.Err, reach.ErrAddress):
		return problem.New(problem.Invalid, "", "The host app's address for changes cannot be used.").Because(got.Err)
	case got.Err != nil && got.Begun:
		return Unknown.Because(got.Err)
	case got.Err != nil:
		return problem.New(problem.Down, "", "The application does not answer: nothing is changed.").Because(got.Err)
	}
	return answered(got.Status, got.Body)
}

// answered is what an answer says.
func answered(status int, body []byte) error {
	var said struct{ Message string }
	_ = json.Unmarshal(body, &said)
	or := func(code, usual string) error {
		return problem.New(code, "", "%s", problem.PassedOn(said.Message, usual))
	}
	switch {
	case status >= 200 && status < 300:
		return nil
	case status == http.StatusConflict:
		return or(problem.Outdated, "This record was changed meanwhile.")
	case status == http.StatusUnauthorized:
		return problem.New(problem.Forbidden, "", "The application does not accept Eskadel's key.")
	case status == http.StatusForbidden:
		return or(problem.Forbidden, "The application does not let you change this.")
	case status == http.StatusNotFound:
		return or(problem.NotFound, "The application has no such record, or none that you may change.")
	case status >= 400 && status < 500:
		return or(problem.Invalid, "The application does not allow this.")
	case status >= 300 && status < 400:
		return problem.New(problem.Down, "", "The application's address for changes leads on to another one: nothing is changed.")
	}
	return Unknown
}
