// Package deliveries is what is sent by itself: to whom, when and in which form, what came of it, and the ways by which
// it goes.
package deliveries

import (
	"embed"
	"html/template"
	"net/http"
	"strings"

	"eskadel/core/schedule"
	"eskadel/rights"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

//go:embed *.html
var files embed.FS

// Area is what the pages consist of.
var Area = page.Area{Name: "deliveries", Files: files, Functions: template.FuncMap{
	"counted": schedule.Counted,
	"town":    func(zone string) string { return strings.ReplaceAll(zone, "_", " ") },
}}

// A Server answers for this area.
type Server struct{ *page.Server }

// New returns the area of a server.
func New(s *page.Server) *Server { return &Server{s} }

// Routes are the addresses of the area.
func (s *Server) Routes() []gate.Route {
	const get, post, may, builds = http.MethodGet, http.MethodPost, rights.Deliver, rights.Administer
	return []gate.Route{
		{Method: get, Path: "/deliveries", Right: may, Handle: s.list},
		{Method: post, Path: "/deliveries", Right: may, Handle: s.keep},
		{Method: get, Path: "/deliveries/new", Right: may, Handle: s.begin},
		{Method: post, Path: "/deliveries/form", Right: may, Handle: s.form},
		{Method: get, Path: "/deliveries/delivery/:delivery", Right: may, Handle: s.one},
		{Method: post, Path: "/deliveries/delivery/:delivery", Right: may, Handle: s.keep},
		{Method: post, Path: "/deliveries/delivery/:delivery/pause", Right: may, Handle: s.tend((*workspace.Workspace).PauseErrand)},
		{Method: post, Path: "/deliveries/delivery/:delivery/resume", Right: may, Handle: s.tend((*workspace.Workspace).ResumeErrand)},
		{Method: post, Path: "/deliveries/delivery/:delivery/remove", Right: may, Handle: s.remove},
		{Method: post, Path: "/deliveries/delivery/:delivery/send", Right: may, Handle: s.send(false)},
		{Method: post, Path: "/deliveries/delivery/:delivery/try", Right: may, Handle: s.send(true)},
		{Method: post, Path: "/deliveries/delivery/:delivery/to", Right: may, Handle: s.addReceiver},
		{Method: post, Path: "/deliveries/delivery/:delivery/to/end", Right: may, Handle: s.endReceiver},
		{Method: get, Path: "/deliveries/delivery/:delivery/history", Right: may, Handle: s.history},
		{Method: post, Path: "/deliveries/delivery/:delivery/sign-up", Right: may, Handle: s.onList((*workspace.Workspace).SignUp)},
		{Method: post, Path: "/deliveries/delivery/:delivery/leave", Right: may, Handle: s.onList((*workspace.Workspace).Leave)},
		{Method: get, Path: "/deliveries/alerts", Right: may, Handle: s.alerts},
		{Method: post, Path: "/deliveries/alerts", Right: may, Handle: s.keepAlert},
		{Method: get, Path: "/deliveries/alerts/new", Right: may, Handle: s.beginAlert},
		{Method: post, Path: "/deliveries/alerts/form", Right: may, Handle: s.alertForm},
		{Method: post, Path: "/deliveries/delivery/:delivery/watch", Right: may, Handle: s.keepAlert},
		{Method: post, Path: "/deliveries/delivery/:delivery/snooze", Right: may, Handle: s.snooze},
		{Method: post, Path: "/deliveries/delivery/:delivery/to/later", Right: may, Handle: s.later},
		{Method: get, Path: "/deliveries/ways", Right: builds, Handle: s.ways},
		{Method: post, Path: "/deliveries/ways/addresses", Right: builds, Handle: s.allow},
		{Method: post, Path: "/deliveries/ways/addresses/end", Right: builds, Handle: s.forbid},
		{Method: post, Path: "/deliveries/ways/channels", Right: builds, Handle: s.addChannel},
		{Method: post, Path: "/deliveries/ways/channels/end", Right: builds, Handle: s.endChannel},
		{Method: post, Path: "/deliveries/ways/calendars", Right: builds, Handle: s.addCalendar},
		{Method: post, Path: "/deliveries/ways/calendars/end", Right: builds, Handle: s.endCalendar},
		{Method: get, Path: "/deliveries/work", Right: builds, Handle: s.work},
		{Method: get, Path: "/letters/leave/:token", Right: rights.Open, Handle: s.leaving},
		{Method: post, Path: "/letters/leave/:token", Right: rights.Open, Handle: s.leave},
		// Viewers in frames, and whoever reads a dashboard, sign up where it is.
		{Method: post, Path: "/view/:dashboard/deliveries", Right: rights.Subscribe, Handle: s.open},
		{Method: post, Path: "/view/:dashboard/deliveries/sign-up", Right: rights.Subscribe, Handle: s.here((*workspace.Workspace).SignUp)},
		{Method: post, Path: "/view/:dashboard/deliveries/leave", Right: rights.Subscribe, Handle: s.here((*workspace.Workspace).Leave)},
	}
}
