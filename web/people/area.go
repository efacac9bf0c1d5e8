// Package people is who signs in and with what rights, teams, the organisation's own sign-in, host apps
// with their keys, and what was done.
package people

import (
	"embed"
	"net/http"

	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
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
	const get, post, may = http.MethodGet, http.MethodPost, rights.Administer
	return []gate.Route{
		{Method: get, Path: "/people", Right: may, Handle: s.people},
		{Method: post, Path: "/people", Right: may, Handle: s.invite},
		{Method: get, Path: "/people/person/:person", Right: may, Handle: s.person},
		{Method: post, Path: "/people/person/:person", Right: may, Handle: s.savePerson},
		{Method: post, Path: "/people/person/:person/link", Right: may, Handle: s.letIn},
		{Method: post, Path: "/people/person/:person/end", Right: may, Handle: s.onPerson((*workspace.Workspace).EndPerson)},
		{Method: post, Path: "/people/person/:person/admit", Right: may, Handle: s.onPerson((*workspace.Workspace).AdmitPerson)},
		{Method: post, Path: "/people/person/:person/factor/end", Right: may, Handle: s.onPerson((*workspace.Workspace).EndFactorOf)},
		{Method: post, Path: "/people/person/:person/sessions/end", Right: may, Handle: s.endSession},
		{Method: post, Path: "/people/person/:person/all/end", Right: may, Handle: s.onPerson((*workspace.Workspace).EndAllOf)},
		{Method: post, Path: "/people/person/:person/keys/end", Right: rights.Self, Handle: s.endKey},
		{Method: get, Path: "/people/teams", Right: may, Handle: s.teams},
		{Method: post, Path: "/people/teams", Right: may, Handle: s.saveTeam},
		{Method: post, Path: "/people/teams/remove", Right: may, Handle: s.removeTeam},
		{Method: get, Path: "/people/organisation", Right: may, Handle: s.organisation},
		{Method: post, Path: "/people/organisation", Right: may, Handle: s.saveOrganisation},
		{Method: post, Path: "/people/organisation/remove", Right: may, Handle: s.forgetOrganisation},
		{Method: get, Path: "/people/hosts", Right: may, Handle: s.hosts},
		{Method: post, Path: "/people/hosts", Right: may, Handle: s.newHost},
		{Method: get, Path: "/people/hosts/:host", Right: may, Handle: s.host},
		{Method: post, Path: "/people/hosts/:host", Right: may, Handle: s.saveHost},
		{Method: get, Path: "/people/hosts/:host/kit", Right: may, Handle: s.kit},
		{Method: get, Path: "/people/hosts/:host/kit/try", Right: may, Handle: s.tryPage},
		{Method: get, Path: "/people/hosts/:host/kit/page", Right: may, Handle: s.tried},
		{Method: get, Path: "/people/hosts/:host/kit/pass", Right: may, Handle: s.tryPass},
		{Method: post, Path: "/people/hosts/:host/kit", Right: may, Handle: s.testPass},
		{Method: post, Path: "/people/hosts/:host/remove", Right: may, Handle: s.removeHost},
		{Method: post, Path: "/people/hosts/:host/keys", Right: may, Handle: s.addHostKey},
		{Method: post, Path: "/people/hosts/:host/keys/end", Right: may, Handle: s.endHostKey},
		{Method: post, Path: "/people/hosts/:host/viewers/end", Right: may, Handle: s.endViewer},
		{Method: post, Path: "/people/hosts/:host/viewers/admit", Right: may, Handle: s.admitViewer},
		{Method: get, Path: "/people/log", Right: may, Handle: s.log},
	}
}
