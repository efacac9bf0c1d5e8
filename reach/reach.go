// Package reach is how Eskadel asks addresses that somebody has given: none inside, unless an administrator
// has listed its network. What a name resolves to is looked at when the connection is made, so that
// no name can lead there later.
package reach

import (
	"errors"
	"net"
	"net/http"
	"net/netip"
	"syscall"
	"time"
)

// ErrInside says that an address lies inside.
var ErrInside = errors.New("the address lies inside")

var reserved = func() (out []netip.Prefix) {
	for _, p := range []string{"0.0.0.0/8", "100.64.0.0/10", "192.0.0.0/24", "192.0.2.0/24", "192.88.99.0/24", "198.18.0.0/15", "198.51.100.0/24", "203.0.113.0/24", "240.0.0.0/4", "64:ff9b::/96", "64:ff9b:1::/48", "100::/64", "2001::/23", "2001:db8::/32", "2002::/16", "fec0::/10"} {
		out = append(out, netip.MustParsePrefix(p))
	}
	return out
}()

// outside tells whether an address belongs to the public internet.
func outside(ip netip.Addr) bool {
	if !ip.IsValid() || ip.IsPrivate() || ip.IsLoopback() || ip.IsLinkLocalUnicast() || ip.IsMulticast() || ip.IsUnspecified() || ip.IsInterfaceLocalMulticast() || ip.IsLinkLocalMulticast() {
		return false
	}
	for _, p := range reserved {
		if p.Contains(ip) {
			return false
		}
	}
	return true
}

// Client returns a client that reaches what lies outside and the networks that are allowed, follows no
// redirect, and waits so long for an answer as a whole and for its beginning.
func Client(allowed []netip.Prefix, whole, begin time.Duration) *http.Client {
	dialer := &net.Dialer{Timeout: 10 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		host, err := netip.ParseAddrPort(address)
		if err != nil {
			return ErrInside
		}
		ip := host.Addr().Unmap()
		for _, p := range allowed {
			if p.Contains(ip) {
				return nil
			}
		}
		if !outside(ip) {
			return ErrInside
		}
		return nil
	}}
	return &http.Client{
		Timeout:       whole,
		Transport:     &http.Transport{DialContext: dialer.DialContext, Proxy: nil, TLSHandshakeTimeout: 10 * time.Second, ResponseHeaderTimeout: begin, DisableKeepAlives: true},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}
