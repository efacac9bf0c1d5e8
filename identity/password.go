package identity

import (
	"context"
	"runtime"
	"strings"
	"unicode"

	"github.com/trustelem/zxcvbn"
	"golang.org/x/crypto/bcrypt"

	"eskadel/core/problem"
)

// Passwords have so many bytes: more than 72 do not count for bcrypt.
const (
	ShortestPassword = 8
	LongestPassword  = 72
)

// leastStrength is how hard to guess a password must be: from 10⁶ guesses on, by the lists of
// common passwords, names and words of zxcvbn (Wheeler 2016).
const leastStrength = 2

// HashPassword makes what is kept of a password, unless it is guessed too easily; about is what is
// known of whose it is, which is guessed first.
func HashPassword(password string, about ...string) (string, error) {
	if len(password) < ShortestPassword || len(password) > LongestPassword {
		return "", problem.New(problem.Invalid, "password", "A password has from %d to %d characters.", ShortestPassword, LongestPassword)
	}
	known := []string{"eskadel"}
	for _, text := range about { // whole, word by word, and run together
		words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
		known = append(append(known, strings.ToLower(text), strings.Join(words, "")), words...)
	}
	if zxcvbn.PasswordStrength(password, known).Score < leastStrength {
		return "", problem.New(problem.Invalid, "password", "This password is guessed too easily: it is common, or made of names, dates or keys beside each other. Take several words that do not belong together.")
	}
	b, err := bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
	return string(b), err
}

// nobody is compared with when there is no such account, or it has no password, so that it takes
// as long.
var nobody, _ = bcrypt.GenerateFromPassword([]byte("nobody has this"), bcrypt.DefaultCost)

// comparing bounds how many passwords are compared at once, which takes a tenth of a
// second of one processor each.
var comparing = make(chan struct{}, max(1, runtime.GOMAXPROCS(0)))

// matches compares a password with what is kept of one, "" where nothing is.
func matches(ctx context.Context, kept, password string) (bool, error) {
	select {
	case comparing <- struct{}{}:
		defer func() { <-comparing }()
	case <-ctx.Done():
		return false, ctx.Err()
	}
	with := []byte(kept)
	if kept == "" {
		with = nobody
	}
	return bcrypt.CompareHashAndPassword(with, []byte(password)) == nil && kept != "", nil
}
