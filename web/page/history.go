package page

import (
	"errors"
	"net/url"
	"slices"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/problem"
	"eskadel/web/gate"
	"eskadel/workspace"
)

// Unkept is what a page shows of a change that was not kept: what is wrong, and, where others
// changed the same thing meanwhile or charts would no longer fit, how it can be kept yet.
// back is where what holds now is seen.
func (s *Server) Unkept(c *gin.Context, err error, back string) gin.H {
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

// A VersionRow is a version in a history, with what it changed.
type VersionRow struct {
	workspace.VersionOf
	When    string
	Changes []string
}

// mostCompared is how many versions of a history are compared with the one before.
const mostCompared = 20

// History lists the versions of a document, with what each changed.
func (s *Server) History(c *gin.Context, kind, name string) ([]VersionRow, error) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	versions, err := s.Workspace.Versions(ctx, who, kind, name)
	if err != nil {
		return nil, err
	}
	cal := s.Workspace.Calendar()
	var out []VersionRow
	for i, v := range versions {
		r := VersionRow{VersionOf: v, When: cal.Manner.Time(v.At.In(cal.Zone))}
		if i < mostCompared && i+1 < len(versions) {
			if r.Changes, err = s.Workspace.Compare(ctx, who, kind, name, versions[i+1].Number, v.Number); err != nil {
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

// GoBack makes a version the draft again, of the document of a kind that a request names; back
// is where that is seen.
func (s *Server) GoBack(kind string, of func(*gin.Context) (name, back string, err error)) gin.HandlerFunc {
	return func(c *gin.Context) {
		name, back, err := of(c)
		if err == nil {
			number, _ := strconv.Atoi(c.PostForm("version"))
			_, err = s.Workspace.GoBack(c.Request.Context(), gate.Caller(c), kind, name, number, On(c))
		}
		if err != nil {
			s.Fail(c, err)
			return
		}
		Redirect(c, back)
	}
}

// Named is a document that a parameter of the address names, which is seen between before and
// after its name.
func Named(param, before, after string) func(*gin.Context) (name, back string, err error) {
	return func(c *gin.Context) (string, string, error) {
		return c.Param(param), before + c.Param(param) + after, nil
	}
}
