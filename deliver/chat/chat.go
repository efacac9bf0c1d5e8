// Package chat tells rooms of chats: a signed request to the address of a webhook. docs/operations.md describes it for
// those who take it.
package chat

import (
	"context"
	"encoding/json"
	"errors"
	"net/http"
	"net/netip"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"eskadel/core/problem"
	"eskadel/reach"
)

// A Message is the body of the request.
type Message struct {
	ID    string    `json:"id"` // comes once only: whoever gets it twice leaves the second out
	Title string    `json:"title"`
	Text  string    `json:"text"` // all of it, in lines
	Link  string    `json:"link,omitempty"`
	At    time.Time `json:"at"`
	Parts []Part    `json:"parts,omitempty"`
}

// A Part is a chart or a figure of it.
type Part struct {
	Title string `json:"title"`
	Text  string `json:"text"`
}

// Claims are what the token of the request says: a JWT (RFC 7519) by HS256 with the secret of the channel, which its
// header names (kid). Issuer is eskadel, audience chat, and its id that of the message.
type Claims struct {
	jwt.RegisteredClaims
	Body string `json:"body"` // SHA-256 of the request's body, in hexadecimal
}

// Audience is for whom a token is, whatever the channel is called.
const Audience = "chat"

// A Sender sends.
type Sender struct{ client *http.Client }

// New returns a sender that may also reach the given networks inside.
func New(inside []netip.Prefix) *Sender {
	return &Sender{reach.Client(inside, 15*time.Second, 10*time.Second)}
}

// Send tells a room at an address, signed with its secret, which key names. handing is called before anything leaves;
// with an error nothing does.
func (s *Sender) Send(ctx context.Context, address, key, secret string, m Message, handing func() error) error {
	body, err := json.Marshal(m)
	if err != nil {
		return err
	}
	token, err := reach.Sign(key, secret, Claims{reach.Said(Audience, m.ID), reach.Sum(body)})
	if err != nil {
		return err
	}
	if err := handing(); err != nil {
		return err
	}
	got := reach.Post(ctx, s.client, address, token, body, 4<<10)
	switch {
	case errors.Is(got.Err, reach.ErrInside):
		return problem.New(problem.Forbidden, "", "The chat lies inside the own network. An administrator can list the networks that may be reached (ESKADEL_FETCH_INSIDE).")
	case errors.Is(got.Err, reach.ErrAddress):
		return problem.New(problem.Invalid, "", "The channel's address cannot be used.").Because(got.Err)
	case got.Err != nil && got.Begun:
		return problem.New(problem.Slow, "", "The chat did not say whether it took the message.").Because(got.Err)
	case got.Err != nil:
		return problem.New(problem.Down, "", "The chat does not answer.").Because(got.Err)
	case got.Status >= 200 && got.Status < 300:
		return nil
	case got.Status == http.StatusTooManyRequests || got.Status >= 500:
		return problem.New(problem.Down, "", "The chat takes no message just now (status %d).", got.Status)
	case got.Status >= 300 && got.Status < 400:
		return problem.New(problem.Invalid, "", "The channel's address leads on to another one: nothing was told there.")
	}
	return problem.New(problem.Invalid, "", "The chat does not take the message (status %d).", got.Status)
}
