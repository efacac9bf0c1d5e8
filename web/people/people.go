package people

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// A personRow is somebody who signs in, as the page of people shows them.
type personRow struct {
	workspace.Person
	Kept     []page.Pair // their attributes, a line for each value
	Standing string      // what they may see, in words
}

func standing(p *workspace.Person) string {
	roles := p.RoleList()
	switch {
	case p.Builder:
		return "builder: every record"
	case len(roles) == 0:
		return "author without a role: what the rules let everyone see"
	}
	words := "author, who sees what the rules let " + andWords(roles) + " see"
	var known []string
	for _, a := range page.Pairs(p.AttributeMap()) {
		known = append(known, a.Name+" "+a.Value)
	}
	if len(known) > 0 {
		words += ", with " + andWords(known)
	}
	return words
}

// andWords joins words as a sentence does.
func andWords(list []string) string {
	if len(list) < 2 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1]
}

func (s *Server) people(c *gin.Context) { s.peoplePage(c, http.StatusOK, gin.H{}) }

// peoplePage shows everybody their own keys, and builders all that signs in or is vouched for.
func (s *Server) peoplePage(c *gin.Context, status int, data gin.H) {
	keys, err := s.Workspace.APIKeys(c.Request.Context(), gate.Caller(c))
	if err == nil && gate.Caller(c).Builder {
		err = s.everybody(c, data)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	data["Keys"] = keys
	s.Page(c, status, "people", "People", data)
}

// everybody is what builders see besides: people, host apps with their keys and viewers, and what was done.
func (s *Server) everybody(c *gin.Context, data gin.H) error {
	ctx, who := c.Request.Context(), gate.Caller(c)
	people, err := s.Workspace.People(ctx, who)
	if err != nil {
		return err
	}
	if data["Hosts"], err = s.Workspace.Hosts(ctx, who); err != nil {
		return err
	}
	if data["Log"], err = s.Workspace.Audit(ctx, who, 0, 30); err != nil {
		return err
	}
	if data["Teams"], err = s.teamRows(c, people); err != nil {
		return err
	}
	rows := make([]personRow, len(people))
	for i, p := range people {
		rows[i] = personRow{p, page.Pairs(p.AttributeMap()), standing(&p)}
	}
	attributes, roles := s.Workspace.Familiar(ctx, who)
	data["NoHost"] = &workspace.HostApp{}
	data["Nobody"], data["People"], data["Attributes"], data["Roles"] = personRow{}, rows, attributes, roles[1:] // everyone is no role of a person
	return nil
}

// savePerson adds a person, or changes what a form gives of one.
func (s *Server) savePerson(c *gin.Context) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	name, builder := post("name"), post("builder") != ""
	change := identity.Change{Email: post("email"), Name: &name, Builder: &builder, Password: c.PostForm("password")}
	change.Roles = slices.DeleteFunc(page.Chosen(c, "roles"), func(r string) bool { return r == dataset.Everyone })
	var err error
	if name == "" {
		err = problem.New(problem.Missing, "name", "Write the person's name.")
	}
	if err == nil {
		change.Attributes, err = identity.Attributes(page.Attributes(c))
	}
	if err == nil {
		_, err = s.Workspace.ChangePerson(c.Request.Context(), gate.Caller(c), change)
	}
	if p := problem.Of(err); p != nil {
		s.peoplePage(c, page.StatusOf(p), gin.H{"Problem": p, "Written": &personRow{Person: workspace.Person{Email: change.Email, Name: name, Builder: builder}, Kept: page.Pairs(change.Attributes)}, "WrittenRoles": change.Roles})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people")
}

// A teamRow is a team, with everybody who may be in it.
type teamRow struct {
	workspace.Team
	Ticks []page.Tick
}

// teamRows are the teams, and last one that is yet to be made.
func (s *Server) teamRows(c *gin.Context, people []workspace.Person) ([]teamRow, error) {
	teams, err := s.Workspace.Teams(c.Request.Context(), gate.Caller(c))
	var out []teamRow
	for _, t := range append(teams, workspace.Team{}) {
		row := teamRow{Team: t}
		for _, p := range people {
			in := slices.ContainsFunc(t.Members, func(m workspace.Person) bool { return m.ID == p.ID })
			row.Ticks = append(row.Ticks, page.Tick{Value: fmt.Sprint(p.ID), Words: p.Name, On: in})
		}
		out = append(out, row)
	}
	return out, err
}

// saveTeam names a team and says who is in it.
func (s *Server) saveTeam(c *gin.Context) {
	var members []int64
	for _, m := range page.Chosen(c, "members") {
		id, _ := strconv.ParseInt(m, 10, 64)
		members = append(members, id)
	}
	id, _ := strconv.ParseInt(c.PostForm("id"), 10, 64)
	s.done(c, s.Workspace.KeepTeam(c.Request.Context(), gate.Caller(c), id, c.PostForm("name"), members))
}

// removeTeam forgets a team.
func (s *Server) removeTeam(c *gin.Context) {
	id, _ := strconv.ParseInt(c.PostForm("id"), 10, 64)
	s.done(c, s.Workspace.RemoveTeam(c.Request.Context(), gate.Caller(c), id))
}

// saveHost registers a host app, or changes one.
func (s *Server) saveHost(c *gin.Context) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	r := workspace.Registration{Name: post("name"), Title: post("title"), Address: post("address"), Origins: page.Chosen(c, "origin"), On: page.On(c)}
	if post("pass_minutes") != "" {
		r.PassMinutes = int(page.Number(post("pass_minutes")))
	}
	if r.Name == "" {
		r.Name = workspace.Slug(r.Title)
	}
	err := s.Workspace.RegisterHost(c.Request.Context(), gate.Caller(c), r)
	s.done(c, err)
}

// removeHost forgets a host app.
func (s *Server) removeHost(c *gin.Context) {
	s.done(c, s.Workspace.RemoveHost(c.Request.Context(), gate.Caller(c), c.PostForm("app")))
}

// addHostKey makes a key of a host app; its secret is shown once.
func (s *Server) addHostKey(c *gin.Context) {
	secret, err := s.Workspace.MakeHostKey(c.Request.Context(), gate.Caller(c), c.PostForm("app"), strings.TrimSpace(c.PostForm("key")))
	if err != nil {
		s.done(c, err)
		return
	}
	s.peoplePage(c, http.StatusOK, gin.H{"NewSecret": secret, "NewSecretOf": strings.TrimSpace(c.PostForm("key"))})
}

// endHostKey ends a key of a host app, with all viewers that it vouched for.
func (s *Server) endHostKey(c *gin.Context) {
	s.done(c, s.Workspace.EndHostKey(c.Request.Context(), gate.Caller(c), c.PostForm("key")))
}

// endViewer lets a viewer in no more.
func (s *Server) endViewer(c *gin.Context) {
	s.done(c, s.Workspace.EndViewer(c.Request.Context(), gate.Caller(c), c.PostForm("app"), c.PostForm("viewer"), c.PostForm("name")))
}

// admitViewer lets a viewer in again.
func (s *Server) admitViewer(c *gin.Context) {
	s.done(c, s.Workspace.AdmitViewer(c.Request.Context(), gate.Caller(c), c.PostForm("app"), c.PostForm("viewer")))
}

// done shows people again after something was done to them.
func (s *Server) done(c *gin.Context, err error) {
	if p := problem.Of(err); p != nil {
		s.peoplePage(c, page.StatusOf(p), gin.H{"Problem": p, "Form": c.Request.PostForm})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people")
}

// addKey makes an API key for whoever asks; it is shown once.
func (s *Server) addKey(c *gin.Context) {
	key, err := s.Workspace.MakeAPIKey(c.Request.Context(), gate.Caller(c), c.PostForm("title"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.peoplePage(c, http.StatusOK, gin.H{"NewKey": key})
}

func (s *Server) removeKey(c *gin.Context) {
	if err := s.Workspace.EndAPIKey(c.Request.Context(), gate.Caller(c), c.PostForm("id")); err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people")
}
