package identity

import (
	"context"
	"crypto"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/elliptic"
	"crypto/rsa"
	"crypto/x509"
	"encoding/json"
	"encoding/pem"
	"errors"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"strings"
	"sync"
	"time"

	"github.com/go-jose/go-jose/v4"

	"eskadel/core/problem"
	"eskadel/reach"
)

// How passes may be signed. The algorithm of a key is fixed: a pass cannot choose another.
const (
	HS256 = "HS256" // a shared secret
	RS256 = "RS256"
	ES256 = "ES256"
	EdDSA = "EdDSA"
	// KeySet is no algorithm: the keys are fetched from an address, each with its own.
	KeySet = "JWKS"
)

// leastRSA is how many bits an RSA key has at least (RFC 7518, 3.3).
const leastRSA = 2048

// algorithmOf is how a public key is signed with.
func algorithmOf(key any) (string, error) {
	switch k := key.(type) {
	case *rsa.PublicKey:
		if k.N.BitLen() < leastRSA {
			return "", problem.New(problem.Invalid, "public_key", "This RSA key has %d bits: %d are needed.", k.N.BitLen(), leastRSA)
		}
		return RS256, nil
	case *ecdsa.PublicKey:
		if k.Curve != elliptic.P256() {
			return "", problem.New(problem.Invalid, "public_key", "This key is of the curve %s: P-256 is needed.", k.Curve.Params().Name)
		}
		return ES256, nil
	case ed25519.PublicKey:
		return EdDSA, nil
	}
	return "", problem.New(problem.Invalid, "public_key", "This is no key of RSA, of the curve P-256, or Ed25519.")
}

// ReadPublicKey reads a public key as it is written in a file (PEM, RFC 7468), and how it is signed with.
func ReadPublicKey(text string) (key crypto.PublicKey, algorithm string, err error) {
	block, rest := pem.Decode([]byte(strings.TrimSpace(text) + "\n"))
	switch {
	case block == nil:
		return nil, "", problem.New(problem.Invalid, "public_key", "This is not a public key: it begins with -----BEGIN PUBLIC KEY-----.")
	case strings.Contains(block.Type, "PRIVATE"):
		return nil, "", problem.New(problem.Invalid, "public_key", "This is the private key, which stays with your application. Make a new pair, since this one has been shown, and give the public key.")
	case len(strings.TrimSpace(string(rest))) > 0:
		return nil, "", problem.New(problem.Invalid, "public_key", "There is more than one key in this.")
	}
	if key, err = x509.ParsePKIXPublicKey(block.Bytes); err != nil {
		return nil, "", problem.New(problem.Invalid, "public_key", "This public key cannot be read: it is written as PKIX (SubjectPublicKeyInfo).").Because(err)
	}
	algorithm, err = algorithmOf(key)
	return key, algorithm, err
}

// How long keys that were fetched are kept, for how long they do where their address does not answer, and how
// soon they are fetched again for a key that is not among them.
const (
	keysFresh  = 10 * time.Minute
	keysStale  = time.Hour
	keysAgain  = 30 * time.Second
	mostKeySet = 256 << 10
)

// keySets fetches the keys of host apps from their addresses (JWKS, RFC 7517).
type keySets struct {
	client *http.Client
	mu     sync.Mutex
	kept   map[string]*fetched
}

type fetched struct {
	mu  sync.Mutex
	at  time.Time
	set jose.JSONWebKeySet
}

func newKeySets(inside []netip.Prefix) *keySets {
	return &keySets{client: reach.Client(inside, 10*time.Second, 5*time.Second), kept: map[string]*fetched{}}
}

// CheckKeySet tells what is wrong with the address of keys, as far as can be told without asking.
func CheckKeySet(address string) error {
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || u.User != nil || u.Fragment != "" || u.Scheme != "https" && (u.Scheme != "http" || !loopback(u.Hostname())) {
		return problem.New(problem.Invalid, "address", "“%s” is not an address of keys, such as https://desk.example/keys.json: they are fetched over https.", address)
	}
	return nil
}

// find finds a key of an address by its id.
func (k *keySets) find(ctx context.Context, address, id string) (key any, algorithm string, err error) {
	k.mu.Lock()
	f := k.kept[address]
	if f == nil {
		f = &fetched{}
		k.kept[address] = f
	}
	k.mu.Unlock()
	f.mu.Lock()
	defer f.mu.Unlock()
	age := time.Since(f.at)
	found := f.set.Key(id)
	if age > keysFresh || len(found) == 0 && age > keysAgain {
		set, wrong := k.fetch(ctx, address)
		switch {
		case wrong == nil:
			f.set, f.at, found = *set, time.Now(), set.Key(id)
		case age > keysStale:
			return nil, "", wrong
		}
	}
	for _, one := range found {
		if one.Use != "" && one.Use != "sig" || !one.IsPublic() {
			continue
		}
		if algorithm, err = algorithmOf(one.Key); err == nil && (one.Algorithm == "" || one.Algorithm == algorithm) {
			return one.Key, algorithm, nil
		}
	}
	return nil, "", problem.New(problem.NotFound, "kid", "There is no key “%s” at %s.", id, address)
}

// fetch fetches the keys of an address.
func (k *keySets) fetch(ctx context.Context, address string) (*jose.JSONWebKeySet, error) {
	wrong := func(because error) error {
		if errors.Is(because, reach.ErrInside) {
			return problem.New(problem.Forbidden, "address", "The address of the keys lies inside the own network. List that network in ESKADEL_FETCH_INSIDE.")
		}
		return problem.New(problem.Down, "address", "The keys cannot be fetched from %s: a JSON Web Key Set is expected there.", address).Because(because)
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, wrong(err)
	}
	request.Header.Set("Accept", "application/jwk-set+json, application/json")
	response, err := k.client.Do(request)
	if err != nil {
		return nil, wrong(err)
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return nil, wrong(errors.New(response.Status))
	}
	b, err := io.ReadAll(io.LimitReader(response.Body, mostKeySet+1))
	if err != nil || len(b) > mostKeySet {
		return nil, wrong(errors.Join(err, errors.New("too long")))
	}
	var set jose.JSONWebKeySet
	if err := json.Unmarshal(b, &set); err != nil || len(set.Keys) == 0 {
		return nil, wrong(errors.Join(err, errors.New("no keys")))
	}
	return &set, nil
}
