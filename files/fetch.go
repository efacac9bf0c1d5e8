package files

import (
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"path"
	"syscall"
	"time"

	"eskadel/core/problem"
)

// A Fetcher gets files from addresses. It reaches no address inside: what a name resolves
// to is looked at when the connection is made, so that no name can lead there later.
type Fetcher struct{ client *http.Client }

// NewFetcher returns a fetcher that may also reach the given networks, which an
// administrator has listed.
func NewFetcher(allowed []netip.Prefix) *Fetcher {
	dialer := &net.Dialer{Timeout: 10 * time.Second, Control: func(_, address string, _ syscall.RawConn) error {
		host, err := netip.ParseAddrPort(address)
		if err != nil {
			return errInside
		}
		ip := host.Addr().Unmap()
		for _, p := range allowed {
			if p.Contains(ip) {
				return nil
			}
		}
		if !outside(ip) {
			return errInside
		}
		return nil
	}}
	return &Fetcher{&http.Client{
		Timeout:       10 * time.Minute,
		Transport:     &http.Transport{DialContext: dialer.DialContext, Proxy: nil, TLSHandshakeTimeout: 10 * time.Second, ResponseHeaderTimeout: 60 * time.Second, DisableKeepAlives: true},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}}
}

var errInside = errors.New("the address lies inside")

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

// CheckAddress tells in words what is wrong with an address to fetch from.
func CheckAddress(address string) error {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.User != nil {
		return problem.New(problem.Invalid, "address", "This is not an address such as https://example.org/jobs.csv; it carries no name or password.")
	}
	return nil
}

// Fetch opens the file at an address; the caller closes it. name is the file's own name.
func (f *Fetcher) Fetch(ctx context.Context, address string) (in io.ReadCloser, name string, err error) {
	if err := CheckAddress(address); err != nil {
		return nil, "", err
	}
	request, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, "", problem.New(problem.Invalid, "address", "This address cannot be used.")
	}
	request.Header.Set("User-Agent", "eskadel")
	response, err := f.client.Do(request)
	switch {
	case errors.Is(err, errInside):
		return nil, "", problem.New(problem.Forbidden, "address", "This address leads inside the own network. An administrator can list the networks that may be reached.")
	case err != nil:
		return nil, "", problem.New(problem.Down, "address", "The address does not answer.").Because(err)
	case response.StatusCode >= 300 && response.StatusCode < 400:
		response.Body.Close()
		return nil, "", problem.New(problem.Invalid, "address", "The address leads on to another one; give that one instead.")
	case response.StatusCode != http.StatusOK:
		response.Body.Close()
		return nil, "", problem.New(problem.Down, "address", "The address answers %s instead of a file.", response.Status)
	}
	return response.Body, path.Base(request.URL.Path), nil
}
