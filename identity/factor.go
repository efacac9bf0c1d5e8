package identity

import (
	"bytes"
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base32"
	"encoding/base64"
	"image/png"
	"strings"
	"time"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
	"github.com/pquerna/otp/totp"

	"eskadel/core/problem"
	"eskadel/store"
)

// Codes are those of RFC 6238: six digits, of 30 seconds each, by HMAC-SHA-1, which every
// authenticator knows; one step before and one after are taken, for clocks that differ.
const (
	codeStep = 30
	codeSkew = 1
)

// codeTries are how many wrong codes there may be: of a million, three are right at a time.
var codeTries = store.Tries{Span: 15 * time.Minute, Pair: 5, Address: 40, Account: 10}

// spareCodes is how many codes stand in for a lost device.
const spareCodes = 8

// A Factor is a second factor that is about to be set up.
type Factor struct {
	Secret  string // for typing, in groups of four
	Picture string // of the same, for a camera: a data address
}

// NewFactor makes a second factor for an account.
func NewFactor(account string) (*Factor, error) {
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Eskadel", AccountName: account})
	if err != nil {
		return nil, err
	}
	return draw(key)
}

// FactorAgain is a second factor whose secret has been shown already.
func FactorAgain(account, secret string) (*Factor, error) {
	raw, err := base32.StdEncoding.WithPadding(base32.NoPadding).DecodeString(plain(secret))
	if err != nil || len(raw) < 16 || len(raw) > 64 {
		return nil, problem.New(problem.Invalid, "code", "This is not a secret that was made here. Begin again.")
	}
	key, err := totp.Generate(totp.GenerateOpts{Issuer: "Eskadel", AccountName: account, Secret: raw})
	if err != nil {
		return nil, err
	}
	return draw(key)
}

func draw(key *otp.Key) (*Factor, error) {
	picture, err := key.Image(240, 240)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, picture); err != nil {
		return nil, err
	}
	return &Factor{Secret: grouped(key.Secret()), Picture: "data:image/png;base64," + base64.StdEncoding.EncodeToString(b.Bytes())}, nil
}

// grouped and plain write a secret or a code in groups of four, and as it counts.
func grouped(s string) string {
	var out []string
	for ; len(s) > 4; s = s[4:] {
		out = append(out, s[:4])
	}
	return strings.Join(append(out, s), " ")
}

func plain(s string) string {
	return strings.ToUpper(strings.Map(func(r rune) rune {
		if r == ' ' || r == '-' || r == '\t' {
			return -1
		}
		return r
	}, s))
}

// stepOf is the step of time whose code this is, 0 where it is none of those that are taken now.
func stepOf(secret, code string, now time.Time) (int64, error) {
	at := now.Unix() / codeStep
	for step := at - codeSkew; step <= at+codeSkew; step++ {
		right, err := hotp.GenerateCode(plain(secret), uint64(step))
		if err != nil {
			return 0, err
		}
		if subtle.ConstantTimeCompare([]byte(right), []byte(code)) == 1 {
			return step, nil
		}
	}
	return 0, nil
}

var errCode = problem.New(problem.Invalid, "code", "This is not the code that your device shows now.")

// SetFactor gives a person a second factor, once they show a code of it, and returns the codes
// that stand in for a lost device.
func SetFactor(ctx context.Context, tx *store.Tx, p *store.Person, secret, code string) (spare []string, err error) {
	if _, err := FactorAgain(p.Email, secret); err != nil {
		return nil, err
	}
	step, err := stepOf(secret, plain(code), time.Now())
	if err != nil {
		return nil, err
	}
	if step == 0 {
		return nil, errCode
	}
	var hashes []string
	for range spareCodes {
		b := make([]byte, 10)
		_, _ = rand.Read(b)
		one := base32.StdEncoding.EncodeToString(b) // 80 bits, 16 letters
		spare, hashes = append(spare, strings.ToLower(grouped(one))), append(hashes, hash(one))
	}
	if err := tx.SetFactor(ctx, p.ID, plain(secret), hashes); err != nil {
		return nil, err
	}
	_, err = tx.TakeStep(ctx, p.ID, step)
	return spare, err
}

// Complete makes a half session whole by a code of the second factor, or by one that stands in
// for it.
func Complete(ctx context.Context, s *store.Store, half, code string, from From) (*Session, error) {
	session, err := s.Session(ctx, hash(half), true)
	if problem.Is(err, problem.NotFound) || err == nil && !session.ExpiresAt.After(time.Now()) {
		return nil, problem.New(problem.SignedOut, "", "Too much time has passed. Sign in again.")
	}
	if err != nil {
		return nil, err
	}
	p := &session.Person
	account := "code " + p.Email
	if err := limited(ctx, s, account, from.Address, codeTries); err != nil {
		return nil, err
	}
	right, err := takeCode(ctx, s, p, plain(code))
	if err != nil {
		return nil, err
	}
	if !right {
		return nil, errCode
	}
	if err := s.SignedIn(ctx, account, from.Address); err != nil {
		return nil, err
	}
	if err := s.EndHalf(ctx, hash(half)); err != nil {
		return nil, err
	}
	return begin(ctx, s, p, from, byCode, false)
}

// takeCode uses a code of a person up, and tells whether it was right.
func takeCode(ctx context.Context, s *store.Store, p *store.Person, code string) (bool, error) {
	if len(code) != otp.DigitsSix.Length() {
		return s.TakeSpareCode(ctx, p.ID, hash(code))
	}
	secret, err := s.Factor(p)
	if err != nil {
		return false, err
	}
	step, err := stepOf(secret, code, time.Now())
	if err != nil || step == 0 {
		return false, err
	}
	return s.TakeStep(ctx, p.ID, step)
}
