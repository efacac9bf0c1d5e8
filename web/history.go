package web

import (
	"errors"
	"net/http"
	"net/url"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/workspace"
)

// unkept is what a page shows of a change that was not kept: what is wrong, and, where others
// changed the same thing meanwhile or charts would no longer fit, how it can be kept yet.
// back is where what holds now is seen.
func (s *Server) unkept(c *gin.Context, err error, back string) gin.H {
	data := gin.H{"Problem": problem.Of(err), "Form": c.Request.PostForm}
	var conflict *workspace.Conflict
	var breaking *workspace.Breaking
	switch {
	case errors.As(err, &conflict):
		data["Conflict"] = conflict
		data["Problem"] = nil
	case errors.As(err, &breaking):
		data["Breaking"] = breaking
		data["Problem"] = nil
	default:
		return data
	}
	data["Again"], data["Back"], data["Held"] = c.Request.URL.String(), back, held(c.Request.PostForm)
	return data
}

// held are the fields of a form that was sent, for sending it again.
func held(form url.Values) (out [][2]string) {
	var names []string
	for name := range form {
		if name != "csrf" && name != "resolve" && name != "anyway" {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	for _, name := range names {
		for _, v := range form[name] {
			out = append(out, [2]string{name, v})
		}
	}
	return out
}

// A versionRow is a version in a history, with what it changed.
type versionRow struct {
	workspace.VersionOf
	When    string
	Changes []string
}

// mostCompared is how many versions of a history are compared with the one before.
const mostCompared = 20

// history lists the versions of a document, with what each changed.
func (s *Server) history(c *gin.Context, kind, name string) ([]versionRow, error) {
	ctx, who := c.Request.Context(), caller(c)
	versions, err := s.ws.Versions(ctx, who, kind, name)
	if err != nil {
		return nil, err
	}
	zone := s.ws.Calendar().Zone
	var out []versionRow
	for i, v := range versions {
		r := versionRow{VersionOf: v, When: v.At.In(zone).Format("2 Jan 2006, 15:04")}
		if i < mostCompared && i+1 < len(versions) {
			if r.Changes, err = s.ws.Compare(ctx, who, kind, name, versions[i+1].Number, v.Number); err != nil {
				return nil, err
			}
			if len(r.Changes) > 6 {
				r.Changes = append(r.Changes[:6:6], "and "+strconv.Itoa(len(r.Changes)-6)+" other changes")
			}
		}
		out = append(out, r)
	}
	return out, nil
}

// goBack makes a version the draft again, of whatever kind of document the route names.
func (s *Server) goBack(kind, param, back string) gin.HandlerFunc {
	return func(c *gin.Context) {
		name := c.Param(param)
		number, _ := strconv.Atoi(c.PostForm("version"))
		if _, err := s.ws.GoBack(c.Request.Context(), caller(c), kind, name, number, on(c)); err != nil {
			s.fail(c, err)
			return
		}
		redirect(c, back+name+map[string]string{workspace.Dashboard: "/edit", workspace.Dataset: "?part=history"}[kind])
	}
}

// dashboardHistory shows the versions of a dashboard.
func (s *Server) dashboardHistory(c *gin.Context) {
	o, err := s.ws.Changing(c.Request.Context(), caller(c), c.Param("dashboard"))
	if err != nil {
		s.fail(c, err)
		return
	}
	versions, err := s.history(c, workspace.Dashboard, o.Name)
	var draft []string
	if err == nil && o.Published > 0 {
		draft, err = s.ws.Compare(c.Request.Context(), caller(c), workspace.Dashboard, o.Name, o.Published, 0)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.page(c, http.StatusOK, "history", o.Title, gin.H{"Kept": o.Standing, "Versions": versions, "Draft": draft})
}
