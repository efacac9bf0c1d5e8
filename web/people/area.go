// Package people is who signs in, host apps with their keys, and signing in itself.
package people

import (
	"embed"
	"net/http"

	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/web/page"
)

//go:embed *.html
var files embed.FS

// Area is what the pages consist of.
var Area = page.Area{Name: "people", Files: files}

// A Server answers for this area.
type Server struct{ *page.Server }

// New returns the area of a server.
func New(s *page.Server) *Server { return &Server{s} }

// Routes are the addresses of the area.
func (s *Server) Routes() []gate.Route {
	const get, post = http.MethodGet, http.MethodPost
	return []gate.Route{
		{Method: get, Path: "/sign-in", Right: rights.Open, Handle: s.signInPage},
		{Method: post, Path: "/sign-in", Right: rights.Open, Handle: s.signIn},
		{Method: post, Path: "/sign-out", Right: rights.Make, Handle: s.signOut},
		{Method: get, Path: "/people", Right: rights.Make, Handle: s.people},
		{Method: post, Path: "/people", Right: rights.Administer, Handle: s.savePerson},
		{Method: post, Path: "/people/teams", Right: rights.Administer, Handle: s.saveTeam},
		{Method: post, Path: "/people/teams/remove", Right: rights.Administer, Handle: s.removeTeam},
		{Method: post, Path: "/people/keys", Right: rights.Keys, Handle: s.addKey},
		{Method: post, Path: "/people/keys/remove", Right: rights.Keys, Handle: s.removeKey},
		{Method: post, Path: "/people/hosts", Right: rights.Administer, Handle: s.saveHost},
		{Method: post, Path: "/people/hosts/remove", Right: rights.Administer, Handle: s.removeHost},
		{Method: post, Path: "/people/hosts/keys", Right: rights.Administer, Handle: s.addHostKey},
		{Method: post, Path: "/people/hosts/end", Right: rights.Administer, Handle: s.endHostKey},
		{Method: post, Path: "/people/viewers/end", Right: rights.Administer, Handle: s.endViewer},
		{Method: post, Path: "/people/viewers/admit", Right: rights.Administer, Handle: s.admitViewer},
	}
}
