// Package account is how people come in, by a password, a code, a link or through their organisation,
// and what each has of their own, notices among it.
package account

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
var Area = page.Area{Name: "account", Files: files}

// A Server answers for this area.
type Server struct{ *page.Server }

// New returns the area of a server.
func New(s *page.Server) *Server { return &Server{s} }

// Routes are the addresses of the area.
func (s *Server) Routes() []gate.Route {
	const get, post = http.MethodGet, http.MethodPost
	return []gate.Route{
		{Method: get, Path: "/sign-in", Right: rights.Open, Handle: s.signInPage},
		{Method: post, Path: "/sign-in", Right: rights.Open, Handle: fromHere(s.signIn)},
		{Method: get, Path: "/sign-in/code", Right: rights.Open, Handle: s.codePage},
		{Method: post, Path: "/sign-in/code", Right: rights.Open, Handle: fromHere(s.code)},
		{Method: get, Path: "/sign-in/organisation", Right: rights.Open, Handle: s.depart},
		{Method: get, Path: back, Right: rights.Open, Handle: s.arrive},
		{Method: get, Path: "/forgotten", Right: rights.Open, Handle: s.forgottenPage},
		{Method: post, Path: "/forgotten", Right: rights.Open, Handle: fromHere(s.forgotten)},
		{Method: get, Path: "/enter/:token", Right: rights.Open, Handle: s.enterPage},
		{Method: post, Path: "/enter/:token", Right: rights.Open, Handle: fromHere(s.enter)},
		{Method: get, Path: "/first", Right: rights.Open, Handle: s.firstPage},
		{Method: post, Path: "/first", Right: rights.Open, Handle: fromHere(s.first)},
		{Method: post, Path: "/sign-out", Right: rights.Make, Handle: s.signOut},
		{Method: get, Path: "/notices", Right: rights.Self, Handle: s.notices},
		{Method: post, Path: "/notices", Right: rights.Self, Handle: s.markNotices},
		{Method: post, Path: "/notices/:notice", Right: rights.Self, Handle: s.openNotice},
		{Method: get, Path: "/you", Right: rights.Self, Handle: s.you},
		{Method: post, Path: "/you/password", Right: rights.Self, Handle: s.password},
		{Method: get, Path: "/you/factor", Right: rights.Self, Handle: s.factorPage},
		{Method: post, Path: "/you/factor", Right: rights.Self, Handle: s.factor},
		{Method: post, Path: "/you/factor/end", Right: rights.Self, Handle: s.endFactor},
		{Method: post, Path: "/you/sessions/end", Right: rights.Self, Handle: s.endSession},
		{Method: post, Path: "/you/keys", Right: rights.Self, Handle: s.addKey},
		{Method: post, Path: "/you/keys/end", Right: rights.Self, Handle: s.endKey},
	}
}
