package identity

import (
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/coreos/go-oidc/v3/oidc"
	"golang.org/x/oauth2"

	"eskadel/core/problem"
	"eskadel/reach"
	"eskadel/store"
)

// departureLife is how long somebody may take at their organisation's provider, providerLife how
// long what a provider says of itself is kept.
const (
	departureLife = 10 * time.Minute
	providerLife  = time.Hour
)

// Providers sign people in through their organisation: OpenID Connect Core 1.0, by the code flow with
// PKCE (RFC 7636).
type Providers struct {
	client *http.Client
	mu     sync.Mutex
	issuer string
	kept   *oidc.Provider
	until  time.Time
}

// NewProviders returns what asks providers, also in the networks inside that are given.
func NewProviders(inside []netip.Prefix) *Providers {
	return &Providers{client: reach.Client(inside, 15*time.Second, 10*time.Second)}
}

// CheckOrganisation tells what is wrong with where an organisation signs in, as far as can be told
// without asking it.
func CheckOrganisation(o *store.Organisation) error {
	u, err := url.Parse(o.Issuer)
	switch {
	case o.Title == "":
		return problem.New(problem.Missing, "title", "Say what the organisation is called: the button to sign in says it.")
	case err != nil || u.Host == "" || u.RawQuery != "" || u.Fragment != "" || u.User != nil:
		return problem.New(problem.Invalid, "issuer", "“%s” is not the address of a provider, such as https://login.example.org.", o.Issuer)
	case u.Scheme != "https" && (u.Scheme != "http" || !loopback(u.Hostname())):
		return problem.New(problem.Invalid, "issuer", "The provider is asked over https only.")
	case o.Client == "":
		return problem.New(problem.Missing, "client", "Write what Eskadel is called at the provider (its client id).")
	}
	return nil
}

func loopback(host string) bool {
	ip, err := netip.ParseAddr(host)
	return host == "localhost" || err == nil && ip.IsLoopback()
}

// Try asks a provider what it says of itself.
func (p *Providers) Try(ctx context.Context, issuer string) error {
	_, err := p.ask(ctx, issuer)
	return err
}

func (p *Providers) ask(ctx context.Context, issuer string) (*oidc.Provider, error) {
	// What is fetched later on, the provider's keys, is fetched by this client too, and not within
	// the request that came first.
	got, err := oidc.NewProvider(oidc.ClientContext(context.WithoutCancel(ctx), p.client), issuer)
	switch {
	case errors.Is(err, reach.ErrInside):
		return nil, problem.New(problem.Forbidden, "issuer", "The provider lies inside the own network. List that network in ESKADEL_FETCH_INSIDE.")
	case err != nil:
		return nil, problem.New(problem.Down, "issuer", "The provider at %s does not answer as one of OpenID Connect does.", issuer).Because(err)
	}
	return got, nil
}

// of returns the provider of an issuer, as it was asked within the last hour.
func (p *Providers) of(ctx context.Context, issuer string) (*oidc.Provider, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.kept != nil && p.issuer == issuer && time.Now().Before(p.until) {
		return p.kept, nil
	}
	got, err := p.ask(ctx, issuer)
	if err == nil {
		p.kept, p.issuer, p.until = got, issuer, time.Now().Add(providerLife)
	}
	return got, err
}

// as is Eskadel as a provider knows it.
func (p *Providers) as(ctx context.Context, s *store.Store, o *store.Organisation, back string) (*oidc.Provider, *oauth2.Config, error) {
	provider, err := p.of(ctx, o.Issuer)
	if err != nil {
		return nil, nil, err
	}
	secret, err := s.OrganisationSecret(o)
	return provider, &oauth2.Config{ClientID: o.Client, ClientSecret: secret, Endpoint: provider.Endpoint(), RedirectURL: back, Scopes: []string{oidc.ScopeOpenID, "email", "profile"}}, err
}

// errNone is said where there is no organisation to sign in through.
var errNone = problem.New(problem.NotFound, "", "Nobody signs in through an organisation here.")

// Depart sends somebody to their organisation, to come back to an address of ours and to go on from
// there. The token is theirs alone: who comes back has to bring it.
func (p *Providers) Depart(ctx context.Context, s *store.Store, back, onward string) (address, brings string, err error) {
	o, err := s.Organisation(ctx)
	if err == nil && o == nil {
		err = errNone
	}
	if err != nil {
		return "", "", err
	}
	_, client, err := p.as(ctx, s, o, back)
	if err != nil {
		return "", "", err
	}
	brings = token()
	d := &store.Departure{TokenHash: hash(brings), State: token(), Nonce: token(), Verifier: oauth2.GenerateVerifier(), Onward: onward, ExpiresAt: time.Now().Add(departureLife)}
	if err := s.AddDeparture(ctx, d); err != nil {
		return "", "", err
	}
	return client.AuthCodeURL(d.State, oidc.Nonce(d.Nonce), oauth2.S256ChallengeOption(d.Verifier)), brings, nil
}

// A Return is somebody who comes back from their organisation, with what its provider has added to
// our address.
type Return struct {
	Token, State, Code string
	Issuer             string // RFC 9207; "" where it is not said
	Refused            string // why the provider lets them in not
	Back               string // the address that they came back to
}

// known is what a provider says of somebody.
type known struct {
	Subject  string `json:"sub"`
	Email    string `json:"email"`
	Verified any    `json:"email_verified"` // true, or “true” with some
	Name     string `json:"name"`
	Nonce    string `json:"nonce"`
}

// Arrive takes who comes back, and returns as whom the organisation knows them and where they wanted to go.
func (p *Providers) Arrive(ctx context.Context, s *store.Store, r Return) (k *Known, onward string, err error) {
	refuse := func(format string, args ...any) (*Known, string, error) {
		return nil, "", problem.New(problem.Forbidden, "", format, args...)
	}
	d, err := s.TakeDeparture(ctx, hash(r.Token))
	if problem.Is(err, problem.NotFound) {
		return refuse("This way back has been used already, or took too long. Sign in again.")
	}
	if err != nil {
		return nil, "", err
	}
	o, err := s.Organisation(ctx)
	if err == nil && o == nil {
		err = errNone
	}
	if err != nil {
		return nil, "", err
	}
	switch {
	case subtle.ConstantTimeCompare([]byte(d.State), []byte(r.State)) != 1:
		return refuse("This is not the way that you set out on. Sign in again.")
	case r.Issuer != "" && r.Issuer != o.Issuer:
		return refuse("Another provider than that of %s has answered. Sign in again.", o.Title)
	case r.Refused != "":
		return refuse("%s has not signed you in. Sign in again, or ask there why.", o.Title)
	}
	provider, client, err := p.as(ctx, s, o, r.Back)
	if err != nil {
		return nil, "", err
	}
	tokens, err := client.Exchange(oidc.ClientContext(ctx, p.client), r.Code, oauth2.VerifierOption(d.Verifier))
	if err != nil {
		return nil, "", problem.New(problem.Forbidden, "", "%s does not confirm that it has signed you in. Sign in again.", o.Title).Because(err)
	}
	raw, _ := tokens.Extra("id_token").(string)
	said, err := provider.Verifier(&oidc.Config{ClientID: o.Client}).Verify(oidc.ClientContext(ctx, p.client), raw)
	if err != nil {
		return nil, "", problem.New(problem.Forbidden, "", "What %s says of you cannot be believed. Sign in again.", o.Title).Because(err)
	}
	var claims known
	if err := said.Claims(&claims); err != nil || claims.Subject == "" {
		return refuse("%s does not say who you are.", o.Title)
	}
	if subtle.ConstantTimeCompare([]byte(claims.Nonce), []byte(d.Nonce)) != 1 {
		return refuse("What %s says was said for another way in. Sign in again.", o.Title)
	}
	k = &Known{Organisation: o, Subject: o.Issuer + " " + claims.Subject, Name: strings.Join(strings.Fields(claims.Name), " ")}
	if fmt.Sprint(claims.Verified) == "true" && isEmail(Email(claims.Email)) {
		k.Email = Email(claims.Email)
	}
	return k, d.Onward, nil
}

// Known is somebody as their organisation knows them.
type Known struct {
	Organisation *store.Organisation
	Subject      string // as whom, for ever
	Email        string // "" where it is not known to be theirs
	Name         string
}

// Recognise finds who it is that an organisation knows: whom it has signed in before, or whose
// address it is. Somebody new becomes an author where that is admitted. What was noted of them is
// said in words.
func Recognise(ctx context.Context, tx *store.Tx, k *Known) (p *store.Person, noted string, err error) {
	p, err = tx.PersonBySubject(ctx, k.Subject)
	if problem.Is(err, problem.NotFound) && k.Email != "" {
		p, err = tx.PersonByEmail(ctx, k.Email)
		switch {
		case err == nil && p.Subject != nil: // another of the same address
			return nil, "", problem.New(problem.Forbidden, "", "%s knows somebody else by your e-mail address %s. Ask who looks after people here.", k.Organisation.Title, k.Email)
		case err == nil && !p.Ended():
			noted = "is signed in by " + k.Organisation.Title + " from now on"
			err = bind(ctx, tx, p, k)
		case problem.Is(err, problem.NotFound) && k.Organisation.Admits:
			noted = "came by " + k.Organisation.Title + " and became an author"
			if len([]rune(k.Name)) > longestName {
				k.Name = ""
			}
			name := k.Name
			if name == "" {
				name, _, _ = strings.Cut(k.Email, "@")
			}
			if _, err = tx.AddPerson(ctx, &store.Person{Name: name, Email: k.Email}, nil, nil); err == nil {
				p, err = tx.PersonByEmail(ctx, k.Email)
			}
			if err == nil {
				err = bind(ctx, tx, p, k)
			}
		}
	}
	if problem.Is(err, problem.NotFound) || err == nil && p.Ended() {
		return nil, "", problem.New(problem.Forbidden, "", "%s has signed you in, but nobody has let you into Eskadel yet. Ask who looks after people here.", k.Organisation.Title)
	}
	return p, noted, err
}

// bind notes as whom the organisation knows a person.
func bind(ctx context.Context, tx *store.Tx, p *store.Person, k *Known) error {
	p.Subject = &k.Subject
	return tx.SetSubject(ctx, p.ID, k.Subject)
}

// BeginThrough begins the session of somebody whom an organisation has signed in. A second factor is
// that organisation's own matter.
func BeginThrough(ctx context.Context, s *store.Store, p *store.Person, o *store.Organisation, from From) (*Session, error) {
	return begin(ctx, s, p, from, o.Title, false)
}
