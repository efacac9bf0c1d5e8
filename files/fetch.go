package files

import (
	"context"
	"errors"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"path"
	"time"

	"eskadel/core/problem"
	"eskadel/reach"
)

// A Fetcher gets files from addresses.
type Fetcher struct{ client *http.Client }

// NewFetcher returns a fetcher that may also reach the given networks, which an
// administrator has listed.
func NewFetcher(allowed []netip.Prefix) *Fetcher {
	return &Fetcher{reach.Client(allowed, 10*time.Minute, time.Minute)}
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
	case errors.Is(err, reach.ErrInside):
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
