package people

import (
	"context"
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
	*workspace.Person
	Standing string           // what they may see, in words
	Link     *workspace.Entry // that is open
}

// standing says what somebody may see.
func standing(p *workspace.Person, known []workspace.Attribute) string {
	roles := p.RoleList()
	switch {
	case p.Builder:
		return "builder: every record"
	case len(roles) == 0:
		return "author without a role: what the rules let everyone see"
	}
	words := "author, who sees what the rules let " + andWords(roles) + " see"
	if has := workspace.Spelled(known, p.AttributeMap()); len(has) > 0 {
		words += ", with " + andWords(has)
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

func (s *Server) people(c *gin.Context) { s.peoplePage(c, http.StatusOK, nil, nil, nil) }

// many is from how many people on they are searched.
const many = 12

// peoplePage lists everybody who signs in, with the form to invite somebody: as it was written, where
// something is wrong with it.
func (s *Server) peoplePage(c *gin.Context, status int, written *identity.Change, handed *workspace.Handed, p *problem.Problem) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	people, err := s.Workspace.People(ctx, who)
	var links map[int64]workspace.Entry
	if err == nil {
		links, err = s.Workspace.Invitations(ctx, who)
	}
	var known []workspace.Attribute
	if err == nil {
		known, err = s.Workspace.Attributes(ctx, who)
	}
	find := strings.TrimSpace(c.Query("find"))
	var rows []personRow
	for i := range people {
		row := personRow{Person: &people[i], Standing: standing(&people[i], known)}
		if e, open := links[people[i].ID]; open {
			row.Link = &e
		}
		if within(find, row.Name, row.Email, row.Standing) {
			rows = append(rows, row)
		}
	}
	slices.SortStableFunc(rows, func(a, b personRow) int { // who comes in no more stands last
		switch {
		case a.Ended() == b.Ended():
			return 0
		case a.Ended():
			return 1
		}
		return -1
	})
	data := gin.H{"People": rows, "Searched": find, "Many": len(people) >= many, "Problem": p, "Handed": handed, "Here": s.Gate.Here(c), "Mails": s.Workspace.Mails(), "Open": p != nil || handed == nil && len(people) == 1}
	if written == nil {
		written = &identity.Change{}
	}
	if err == nil {
		err = s.offers(c, data, written)
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, status, "people", "People", data)
}

// within tells whether all words of a search are in some texts.
func within(find string, texts ...string) bool {
	all := strings.ToLower(strings.Join(texts, " "))
	return !slices.ContainsFunc(strings.Fields(strings.ToLower(find)), func(word string) bool { return !strings.Contains(all, word) })
}

// offers adds what may be given to somebody, with what is.
func (s *Server) offers(c *gin.Context, data gin.H, written *identity.Change) (err error) {
	names, known := s.Workspace.Familiar(c.Request.Context(), gate.Caller(c))
	name, builder := written.Name, written.Builder
	data["Email"], data["IsBuilder"], data["Name"] = written.Email, builder != nil && *builder, ""
	if name != nil {
		data["Name"] = *name
	}
	data["Roles"] = page.Offered(known[1:], written.Roles) // everyone is no role of a person
	data["Attributed"], err = s.Attributed(c, names, written.Attributes)
	return err
}

// changeFrom reads what a form gives of a person.
func changeFrom(c *gin.Context) (out identity.Change, err error) {
	name, builder := strings.TrimSpace(c.PostForm("name")), c.PostForm("builder") != ""
	out = identity.Change{Email: strings.TrimSpace(c.PostForm("email")), Name: &name, Builder: &builder}
	out.Roles = slices.DeleteFunc(page.Chosen(c, "roles"), func(r string) bool { return r == dataset.Everyone })
	out.Attributes, err = identity.Attributes(page.Attributes(c))
	if out.Attributes == nil {
		out.Attributes = map[string]any{}
	}
	return out, err
}

// invite adds a person, who comes by a link.
func (s *Server) invite(c *gin.Context) {
	change, err := changeFrom(c)
	var handed *workspace.Handed
	if err == nil {
		handed, err = s.Workspace.Invite(c.Request.Context(), gate.Caller(c), change)
	}
	if p := problem.Of(err); p != nil {
		s.peoplePage(c, page.StatusOf(p), &change, nil, p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.peoplePage(c, http.StatusOK, nil, handed, nil)
}

func personID(c *gin.Context) int64 {
	id, _ := strconv.ParseInt(c.Param("person"), 10, 64)
	return id
}

func (s *Server) person(c *gin.Context) { s.personPage(c, http.StatusOK, nil, nil, nil) }

// personPage shows a person, with what was written of them where something is wrong with it.
func (s *Server) personPage(c *gin.Context, status int, written *identity.Change, handed *workspace.Handed, p *problem.Problem) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	account, err := s.Workspace.AccountOf(ctx, who, personID(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	links, err := s.Workspace.Invitations(ctx, who)
	if err != nil {
		s.Fail(c, err)
		return
	}
	known, err := s.Workspace.Attributes(ctx, who)
	if err != nil {
		s.Fail(c, err)
		return
	}
	data := gin.H{"Account": account, "Standing": standing(account.Person, known), "Problem": p, "Handed": handed, "Here": s.Gate.Here(c), "Mails": s.Workspace.Mails(), "Self": account.ID == who.PersonID}
	if e, open := links[account.ID]; open {
		data["Link"] = e
	}
	if written == nil {
		written = &identity.Change{Name: &account.Name, Builder: &account.Builder, Roles: account.RoleList(), Attributes: account.AttributeMap()}
	}
	if err := s.offers(c, data, written); err != nil {
		s.Fail(c, err)
		return
	}
	s.Page(c, status, "person", account.Name, data)
}

// savePerson changes a person's name, rights, roles and attributes.
func (s *Server) savePerson(c *gin.Context) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	account, err := s.Workspace.AccountOf(ctx, who, personID(c))
	if err != nil {
		s.Fail(c, err)
		return
	}
	change, err := changeFrom(c)
	change.Email = account.Email
	if err == nil {
		_, err = s.Workspace.ChangePerson(ctx, who, change)
	}
	if p := problem.Of(err); p != nil {
		s.personPage(c, page.StatusOf(p), &change, nil, p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people")
}

// letIn makes another link for a person.
func (s *Server) letIn(c *gin.Context) {
	handed, err := s.Workspace.LetIn(c.Request.Context(), gate.Caller(c), personID(c))
	if p := problem.Of(err); p != nil {
		s.personPage(c, page.StatusOf(p), nil, nil, p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.personPage(c, http.StatusOK, nil, handed, nil)
}

// onPerson does something to a person, and shows them again.
func (s *Server) onPerson(do func(*workspace.Workspace, context.Context, *identity.Caller, int64) error) gin.HandlerFunc {
	return func(c *gin.Context) {
		s.personDone(c, do(s.Workspace, c.Request.Context(), gate.Caller(c), personID(c)))
	}
}

func (s *Server) personDone(c *gin.Context, err error) {
	if p := problem.Of(err); p != nil && personID(c) != 0 {
		s.personPage(c, page.StatusOf(p), nil, nil, p)
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people/person/"+c.Param("person"))
}

func (s *Server) endSession(c *gin.Context) {
	s.personDone(c, s.Workspace.EndSittingOf(c.Request.Context(), gate.Caller(c), personID(c), c.PostForm("id")))
}

func (s *Server) endKey(c *gin.Context) {
	s.personDone(c, s.Workspace.EndAPIKey(c.Request.Context(), gate.Caller(c), c.PostForm("id")))
}

// log shows what was done, the newest first.
func (s *Server) log(c *gin.Context) {
	before, _ := strconv.ParseInt(c.Query("before"), 10, 64)
	entries, err := s.Workspace.Audit(c.Request.Context(), gate.Caller(c), before, logged+1)
	if err != nil {
		s.Fail(c, err)
		return
	}
	data := gin.H{}
	if len(entries) > logged {
		entries = entries[:logged]
		data["Before"] = entries[logged-1].ID
	}
	data["Log"], data["Older"] = entries, before > 0
	s.Page(c, http.StatusOK, "log", "What was done", data)
}

// logged is how many entries of the log a page shows.
const logged = 50
