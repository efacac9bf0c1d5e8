package identity

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/store"
)

// Audience is who a viewer pass must be for.
const Audience = "eskadel"

// Algorithm is how viewer passes are signed: HMAC with SHA-256, under a shared secret.
const Algorithm = "HS256"

// NewSecret makes the secret of a key.
func NewSecret() string { return token() }

// PassMinutes is how long a pass, and so a viewer in a frame, may last before the host app
// is asked again, unless the host app is registered with another time.
const PassMinutes = 5

// leeway is how far the clocks of the two servers may differ.
const leeway = 5 * time.Second

// Claims are what a viewer pass says. It is a JWT (RFC 7519); its header names the key
// (kid). Issuer is the host app's name, subject the viewer's id.
type Claims struct {
	jwt.RegisteredClaims
	Name       string         `json:"name"`
	Roles      []string       `json:"roles"`
	Attributes map[string]any `json:"attributes"`
	Scope      Scope          `json:"scope"`
}

// A Scope is what the pass is good for.
type Scope struct {
	Dashboards []string `json:"dashboards"`
}

// Exchange takes a viewer pass and begins a viewer's stay in a frame on a page of origin,
// for one dashboard. It returns the bearer token and when it ends.
func Exchange(ctx context.Context, s *store.Store, pass, origin, app, dashboard string) (bearer string, expires time.Time, err error) {
	refuse := func(format string, args ...any) (string, time.Time, error) {
		return "", time.Time{}, problem.New(problem.Forbidden, "pass", format, args...)
	}
	var key *store.HostKey
	var claims Claims
	_, err = jwt.ParseWithClaims(pass, &claims, func(t *jwt.Token) (any, error) {
		id, _ := t.Header["kid"].(string)
		k, secret, err := s.HostKey(ctx, id)
		if err != nil {
			return nil, err
		}
		if t.Method.Alg() != k.Algorithm {
			return nil, jwt.ErrTokenSignatureInvalid
		}
		if _, critical := t.Header["crit"]; critical {
			// Extensions that must be understood (RFC 7515, 4.1.11): none are.
			return nil, errCritical
		}
		key = k
		return []byte(secret), nil
	}, jwt.WithValidMethods([]string{Algorithm}), jwt.WithAudience(Audience), jwt.WithExpirationRequired(), jwt.WithLeeway(leeway))
	switch {
	case errors.Is(err, errCritical):
		return refuse("The viewer pass asks for extensions (crit) that are not known here.")
	case errors.Is(err, jwt.ErrTokenExpired):
		return refuse("The viewer pass has expired. Reload the page to get a new one.")
	case errors.Is(err, jwt.ErrTokenNotValidYet):
		return refuse("The viewer pass is not valid yet. The clocks of the two servers may differ.")
	case errors.Is(err, jwt.ErrTokenInvalidAudience):
		return refuse("The viewer pass is for another service than Eskadel.")
	case errors.Is(err, jwt.ErrTokenRequiredClaimMissing):
		return refuse("The viewer pass does not say when it expires, or for whom it is.")
	case err != nil:
		if p := problem.Of(err); p != nil && p.Code == problem.Down {
			return "", time.Time{}, p
		}
		return refuse("The viewer pass is not signed with a key of this host app.")
	}
	switch {
	case claims.Issuer != key.HostApp || app != key.HostApp:
		return refuse("The viewer pass was issued for another host app.")
	case claims.Subject == "" || claims.Name == "":
		return refuse("The viewer pass does not say who is looking.")
	case !slices.Contains(claims.Scope.Dashboards, dashboard):
		return refuse("The viewer pass is not for this dashboard.")
	}
	host, err := s.HostApp(ctx, key.HostApp)
	if err != nil {
		return "", time.Time{}, err
	}
	if !slices.Contains(host.OriginList(), origin) {
		return refuse("Pages of %s may not show Eskadel. The builder can add the address to the host app %s.", origin, host.Title)
	}
	now := time.Now()
	begins, expires := now, claims.ExpiresAt.Time
	if claims.IssuedAt != nil && claims.IssuedAt.Before(now) {
		begins = claims.IssuedAt.Time
	}
	if longest := time.Duration(host.PassMinutes) * time.Minute; expires.Sub(begins) > longest+leeway {
		return refuse("The viewer pass is good for longer than the %d minutes that the host app %s is registered with.", host.PassMinutes, host.Title)
	}
	if !expires.After(now) {
		return refuse("The viewer pass has expired. Reload the page to get a new one.")
	}
	if ended, err := s.ViewerEnded(ctx, key.HostApp, claims.Subject); err != nil || ended {
		if err != nil {
			return "", time.Time{}, err
		}
		return refuse("This viewer is let in no more. The builder can let them in again.")
	}
	viewer, err := json.Marshal(rule.Viewer{ID: key.HostApp + "/" + claims.Subject, Name: claims.Name, Roles: claims.Roles, Attributes: filter.Attributes(claims.Attributes)})
	if err != nil {
		return "", time.Time{}, err
	}
	dashboards, _ := json.Marshal(claims.Scope.Dashboards)
	bearer = token()
	return bearer, expires, s.AddFrameSession(ctx, &store.FrameSession{TokenHash: hash(bearer), HostApp: key.HostApp, HostKey: key.ID, Subject: claims.Subject, Viewer: viewer, Dashboards: dashboards, ExpiresAt: expires})
}

var errCritical = errors.New("critical extensions")

// ByBearer returns the viewer whom a bearer token stands for: of a host app, or a visitor by an open link. An
// API key stands for a person.
func ByBearer(ctx context.Context, s *store.Store, bearer string) (*Caller, error) {
	if strings.HasPrefix(bearer, keyMark) {
		return ByKey(ctx, s, bearer)
	}
	switch {
	case strings.HasPrefix(bearer, linkMark):
		return byVisit(ctx, s, bearer)
	case strings.HasPrefix(bearer, lookMark):
		return byLook(ctx, s, bearer)
	}
	f, err := s.FrameSession(ctx, hash(bearer))
	if err != nil {
		return nil, err
	}
	if !f.ExpiresAt.After(time.Now()) {
		return nil, problem.New(problem.NotFound, "", "There is no such viewer.")
	}
	c := &Caller{HostApp: f.HostApp, Expires: f.ExpiresAt}
	if err := json.Unmarshal(f.Viewer, &c.Viewer); err != nil {
		return nil, fmt.Errorf("read the viewer: %w", err)
	}
	c.Viewer.Builder = false
	c.alive = func(ctx context.Context, s *store.Store) (bool, error) {
		_, err := s.FrameSession(ctx, hash(bearer))
		return found(err)
	}
	return c, json.Unmarshal(f.Dashboards, &c.Dashboards)
}
