package identity

import (
	"context"
	"encoding/json"
	"fmt"
	"net/mail"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/golang-jwt/jwt/v5"

	"eskadel/core/filter"
	"eskadel/core/locale"
	"eskadel/core/problem"
	"eskadel/core/rule"
	"eskadel/store"
)

// Audience is who a viewer pass must be for.
const Audience = "eskadel"

// NewSecret makes the secret of a key.
func NewSecret() string { return token() }

// PassMinutes is how long a pass, and so a viewer in a frame, may last before the host app
// is asked again, unless the host app is registered with another time.
const PassMinutes = 5

// leeway is how far the clocks of the two servers may differ.
const leeway = 5 * time.Second

// A pass has at most so many bytes, and names so many roles, attributes and dashboards.
const (
	MostPass  = 8 << 10
	mostNamed = 200
)

// Claims are what a viewer pass says. It is a JWT (RFC 7519); its header names the key
// (kid). Issuer is the host app's name, subject the viewer's id.
type Claims struct {
	jwt.RegisteredClaims
	Name       string         `json:"name"`
	Email      string         `json:"email,omitempty"` // where letters reach them, which they then may sign up for
	Roles      []string       `json:"roles"`
	Attributes map[string]any `json:"attributes"`
	Scope      Scope          `json:"scope"`
}

// A Scope is what the pass is good for.
type Scope struct {
	Dashboards []string `json:"dashboards"`
}

// Passes checks viewer passes.
type Passes struct{ sets *keySets }

// NewPasses returns what checks passes; keys may be fetched from the networks inside that are given, too.
func NewPasses(inside []netip.Prefix) *Passes { return &Passes{newKeySets(inside)} }

// TryKeySet asks an address for keys, and says which it has.
func (p *Passes) TryKeySet(ctx context.Context, address string) (ids []string, err error) {
	set, err := p.sets.fetch(ctx, address)
	if err != nil {
		return nil, err
	}
	for _, k := range set.Keys {
		if _, err := algorithmOf(k.Key); err == nil && k.IsPublic() {
			ids = append(ids, k.KeyID)
		}
	}
	if len(ids) == 0 {
		return nil, problem.New(problem.Invalid, "address", "None of the keys at %s signs with RS256, ES256 or EdDSA.", address)
	}
	return ids, nil
}

// A Fault is what is wrong with a pass: at which of its parts, and why.
type Fault struct{ Part, Words string }

// Presented is by whom a pass is presented: for which dashboard, by a page of which origin and of which host
// app. What is empty is not looked at.
type Presented struct{ App, Dashboard, Origin string }

// Checked is a pass that was looked at.
type Checked struct {
	Header map[string]any
	Claims *Claims
	Key    *store.HostKey // that signed it; nil where that is not known
	Host   *store.HostApp
	Faults []Fault // none for a pass that is good
}

// signature are the parts of a pass of whose faults viewers are told no more than that they are.
var signature = []string{"alg", "kid", "signature"}

// Err is the first fault of a pass, in words for its viewer.
func (c *Checked) Err() error {
	if len(c.Faults) == 0 {
		return nil
	}
	f := c.Faults[0]
	if slices.Contains(signature, f.Part) {
		f.Words = "The viewer pass is not signed with a key of this host app."
	}
	return problem.New(problem.Forbidden, "pass", "%s", f.Words)
}

// Check looks at a pass, and says everything that is wrong with it. Nothing is taken from a pass whose
// signature is not right but for saying what it claims.
func (p *Passes) Check(ctx context.Context, s *store.Store, pass string, by Presented) (*Checked, error) {
	c := &Checked{Claims: &Claims{}}
	fault := func(part, format string, args ...any) {
		c.Faults = append(c.Faults, Fault{part, fmt.Sprintf(format, args...)})
	}
	if len(pass) > MostPass {
		fault("size", "The viewer pass is longer than %d bytes.", MostPass)
		return c, nil
	}
	read, _, err := jwt.NewParser().ParseUnverified(pass, c.Claims)
	if err != nil {
		c.Claims = &Claims{}
		fault("signature", "This is not a pass: a JSON Web Token has three parts with dots between, of which the first two are JSON in base64url. (%s)", strings.TrimPrefix(err.Error(), "token is malformed: "))
		return c, nil
	}
	c.Header = read.Header
	if err := p.signed(ctx, s, pass, read, c, fault); err != nil {
		return nil, err
	}
	if c.Key != nil {
		if c.Host, err = s.HostApp(ctx, c.Key.HostApp); err != nil {
			return nil, err
		}
	}
	c.claimed(by, time.Now(), fault)
	if len(c.Faults) > 0 || c.Key == nil {
		return c, nil
	}
	ended, err := s.ViewerEnded(ctx, c.Key.HostApp, c.Claims.Subject)
	if ended {
		fault("sub", "This viewer is let in no more. The builder can let them in again.")
	}
	return c, err
}

// signed looks at the signature of a pass, and finds the key that made it.
func (p *Passes) signed(ctx context.Context, s *store.Store, pass string, read *jwt.Token, c *Checked, fault func(string, string, ...any)) error {
	if _, critical := read.Header["crit"]; critical {
		// Extensions that must be understood (RFC 7515, 4.1.11): none are.
		fault("crit", "The viewer pass asks for extensions (crit) that are not known here.")
	}
	id, _ := read.Header["kid"].(string)
	if id == "" {
		fault("kid", "The header does not say which key signed it (kid).")
		return nil
	}
	key, verify, algorithm, err := p.key(ctx, s, id, c.Claims.Issuer)
	switch {
	case problem.Is(err, problem.NotFound):
		fault("kid", "There is no key “%s”, or it has been ended.", id)
		return nil
	case err != nil:
		return err
	}
	alg, _ := read.Header["alg"].(string)
	if alg != algorithm {
		fault("alg", "The key “%s” signs with %s, and with nothing else: the pass says “%s”.", id, algorithm, alg)
		return nil
	}
	_, err = jwt.NewParser(jwt.WithValidMethods([]string{algorithm}), jwt.WithoutClaimsValidation()).ParseWithClaims(pass, &Claims{}, func(*jwt.Token) (any, error) { return verify, nil })
	if err != nil {
		fault("signature", "The signature is not that of the key “%s”: it was made with another, or the pass was changed since.", id)
		return nil
	}
	c.Key = key
	return nil
}

// key finds the key that a pass names: one that is kept here, or one of the sets of the host app that the pass
// says it is from.
func (p *Passes) key(ctx context.Context, s *store.Store, id, issuer string) (kept *store.HostKey, verify any, algorithm string, err error) {
	kept, secret, err := s.HostKey(ctx, id)
	if err == nil && kept.Algorithm == KeySet {
		err = problem.New(problem.NotFound, "", "There is no such key.") // it names a set, not a key of it
	}
	switch {
	case err == nil && kept.Algorithm == HS256:
		return kept, []byte(secret), HS256, nil
	case err == nil:
		verify, algorithm, err = ReadPublicKey(kept.PublicKey)
		return kept, verify, algorithm, err
	case !problem.Is(err, problem.NotFound):
		return nil, nil, "", err
	}
	sets, err := s.KeySets(ctx, issuer)
	if err != nil {
		return nil, nil, "", err
	}
	wrong := error(problem.New(problem.NotFound, "", "There is no such key."))
	for i := range sets {
		verify, algorithm, err := p.sets.find(ctx, sets[i].Address, id)
		if err == nil {
			return &sets[i], verify, algorithm, nil
		}
		if !problem.Is(err, problem.NotFound) {
			wrong = err
		}
	}
	return nil, nil, "", wrong
}

// claimed looks at what a pass says, part by part.
func (c *Checked) claimed(by Presented, now time.Time, fault func(string, string, ...any)) {
	says := c.Claims
	if c.Key != nil && says.Issuer != c.Key.HostApp || by.App != "" && says.Issuer != by.App {
		fault("iss", "The viewer pass was issued for another host app.")
	}
	switch {
	case len(says.Audience) == 0:
		fault("aud", "The viewer pass does not say when it expires, or for whom it is.")
	case !slices.Contains(says.Audience, Audience):
		fault("aud", "The viewer pass is for another service than Eskadel.")
	}
	switch {
	case says.ExpiresAt == nil:
		fault("exp", "The viewer pass does not say when it expires, or for whom it is.")
	case !says.ExpiresAt.After(now):
		fault("exp", "The viewer pass has expired. Reload the page to get a new one.")
	default:
		begins := now
		if says.IssuedAt != nil && says.IssuedAt.Before(now) {
			begins = says.IssuedAt.Time
		}
		if c.Host != nil && says.ExpiresAt.Sub(begins) > time.Duration(c.Host.PassMinutes)*time.Minute+leeway {
			fault("exp", "The viewer pass is good for longer than the %d minutes that the host app %s is registered with.", c.Host.PassMinutes, c.Host.Title)
		}
	}
	if later := now.Add(leeway); says.NotBefore != nil && says.NotBefore.After(later) || says.IssuedAt != nil && says.IssuedAt.After(later) {
		part := "nbf"
		if says.NotBefore == nil || !says.NotBefore.After(later) {
			part = "iat"
		}
		fault(part, "The viewer pass is not valid yet. The clocks of the two servers may differ.")
	}
	if says.Subject == "" {
		fault("sub", "The viewer pass does not say who is looking.")
	}
	if says.Name == "" {
		fault("name", "The viewer pass does not say who is looking.")
	}
	if says.Email != "" {
		if a, err := mail.ParseAddress(says.Email); err != nil || a.Address != says.Email {
			fault("email", "The viewer pass has an address for letters that is none.")
		}
	}
	if len(says.Roles) > mostNamed || len(says.Attributes) > mostNamed || len(says.Scope.Dashboards) > mostNamed {
		fault("size", "The viewer pass names more than %d roles, attributes or dashboards.", mostNamed)
	}
	if len(says.Scope.Dashboards) == 0 || by.Dashboard != "" && !slices.Contains(says.Scope.Dashboards, by.Dashboard) {
		fault("scope", "The viewer pass is not for this dashboard.")
	}
	if c.Host != nil && c.Host.Once && says.ID == "" {
		fault("jti", "The viewer pass has no id (jti), by which it would be known to be used once only.")
	}
	if c.Host != nil && by.Origin != "" && !slices.Contains(c.Host.OriginList(), by.Origin) {
		fault("origin", "Pages of %s may not show Eskadel. The builder can add the address to the host app %s.", by.Origin, c.Host.Title)
	}
}

// take checks a viewer pass, counts it where it counts once, and notes who came by it.
func (p *Passes) take(ctx context.Context, s *store.Store, pass string, by Presented) (c *Checked, as rule.Viewer, err error) {
	c, err = p.Check(ctx, s, pass, by)
	if err == nil {
		err = c.Err()
	}
	if err != nil {
		return nil, as, err
	}
	says := c.Claims
	if c.Host.Once {
		fresh, err := s.TakePass(ctx, c.Host.Name, says.ID, says.ExpiresAt.Time)
		if err != nil {
			return nil, as, err
		}
		if !fresh {
			return nil, as, problem.New(problem.Forbidden, "pass", "The viewer pass has been used already. Reload the page to get a new one.")
		}
	}
	as = rule.Viewer{ID: c.Host.Name + "/" + says.Subject, Name: says.Name, Roles: says.Roles, Attributes: filter.Attributes(says.Attributes)}
	return c, as, s.SeenViewer(ctx, store.HostViewer{HostApp: c.Host.Name, HostKey: c.Key.ID, Subject: says.Subject, Name: says.Name, Email: Email(says.Email)}, says.Roles, says.Scope.Dashboards, says.Attributes)
}

// Exchange takes a viewer pass and begins a viewer's stay in a frame on a page of origin,
// for one dashboard. The page speaks a language, or "" for the workspace's. It returns the bearer token and when it ends.
func (p *Passes) Exchange(ctx context.Context, s *store.Store, pass string, by Presented, speaks string) (bearer string, expires time.Time, err error) {
	if by.Origin == "" || by.App == "" || by.Dashboard == "" {
		return "", expires, problem.New(problem.Forbidden, "pass", "Pages that do not say where they come from may not show Eskadel.")
	}
	c, as, err := p.take(ctx, s, pass, by)
	if err != nil {
		return "", expires, err
	}
	if locale.Match(speaks) != nil {
		as.Language = speaks
	}
	viewer, err := json.Marshal(as)
	if err != nil {
		return "", expires, err
	}
	says := c.Claims
	dashboards, _ := json.Marshal(says.Scope.Dashboards)
	bearer, expires = token(), says.ExpiresAt.Time
	return bearer, expires, s.AddFrameSession(ctx, &store.FrameSession{TokenHash: hash(bearer), HostApp: c.Host.Name, HostKey: c.Key.ID, Subject: says.Subject, Viewer: viewer, Dashboards: dashboards, ExpiresAt: expires})
}

// IsPass tells whether a token that somebody brings is a viewer pass rather than one of Eskadel's own.
func IsPass(token string) bool {
	return strings.Count(token, ".") == 2 && strings.HasPrefix(token, "eyJ")
}

// Bring takes a viewer pass from the server of a host app, which asks in its viewer's name and draws itself.
func (p *Passes) Bring(ctx context.Context, s *store.Store, pass string) (*Caller, error) {
	c, as, err := p.take(ctx, s, pass, Presented{})
	if err != nil {
		return nil, err
	}
	return &Caller{Viewer: as, HostApp: c.Host.Name, Expires: c.Claims.ExpiresAt.Time, Dashboards: c.Claims.Scope.Dashboards, alive: func(ctx context.Context, s *store.Store) (bool, error) {
		again, err := p.Check(ctx, s, pass, Presented{})
		return err == nil && len(again.Faults) == 0, err
	}}, nil
}

// ByBearer returns the viewer whom a bearer token stands for: of a host app, or a visitor by an open link. An
// API key stands for a person.
func ByBearer(ctx context.Context, s *store.Store, bearer string) (*Caller, error) {
	switch {
	case strings.HasPrefix(bearer, keyMark):
		return ByKey(ctx, s, bearer)
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
