package source

import (
	"net/url"
	"strings"
)

// Bare splits an address into what may be shown and its password.
func Bare(address string) (bare, password string) {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil || u.User == nil {
		return strings.TrimSpace(address), ""
	}
	password, _ = u.User.Password()
	u.User = url.User(u.User.Username())
	return u.String(), password
}

// WithPassword puts a password into an address that has none.
func WithPassword(address, password string) string {
	u, err := url.Parse(strings.TrimSpace(address))
	if err != nil || u.User == nil || password == "" {
		return strings.TrimSpace(address)
	}
	if _, has := u.User.Password(); has {
		return strings.TrimSpace(address)
	}
	u.User = url.UserPassword(u.User.Username(), password)
	return u.String()
}
