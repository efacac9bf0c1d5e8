package web

import (
	"cmp"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/store"
)

// A personRow is somebody who signs in, as the page of people shows them.
type personRow struct {
	store.Person
	Kept     []pair // their attributes, a line for each value
	Standing string // what they may see, in words
}

// A pair is a name with a value.
type pair struct{ Name, Value string }

// pairs lists attributes by name, a list value by value.
func pairs(attributes map[string]any) (out []pair) {
	for name, value := range attributes {
		for _, v := range identity.Typed(value) {
			out = append(out, pair{name, v})
		}
	}
	slices.SortStableFunc(out, func(a, b pair) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

func standing(p *store.Person) string {
	roles := p.RoleList()
	switch {
	case p.Builder:
		return "builder: every record"
	case len(roles) == 0:
		return "author without a role: what the rules let everyone see"
	}
	words := "author, who sees what the rules let " + andWords(roles) + " see"
	var known []string
	for _, a := range pairs(p.AttributeMap()) {
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

// A hostKeyRow is a key of a host app. Its secret is never shown.
type hostKeyRow struct {
	store.HostKey
	App string // its title
}

func (s *Server) people(c *gin.Context) { s.peoplePage(c, http.StatusOK, gin.H{}) }

// peoplePage shows everybody their own keys, and builders all that signs in or is vouched for.
func (s *Server) peoplePage(c *gin.Context, status int, data gin.H) {
	ctx, who := c.Request.Context(), caller(c)
	keys, err := s.store.APIKeys(ctx)
	if err == nil && who.Builder {
		err = s.everybody(c, data)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	data["Zone"] = s.engine.Calendar().Zone
	data["Keys"] = slices.DeleteFunc(keys, func(k store.APIKey) bool { return !who.Builder && k.Person.Email != who.Email })
	s.page(c, status, "people", "People", data)
}

// everybody is what builders see besides: people, host apps with their keys and viewers, and what was done.
func (s *Server) everybody(c *gin.Context, data gin.H) error {
	ctx := c.Request.Context()
	people, err := s.store.People(ctx)
	if err != nil {
		return err
	}
	apps, err := s.store.HostApps(ctx)
	if err != nil {
		return err
	}
	hostKeys, err := s.store.HostKeys(ctx)
	if err != nil {
		return err
	}
	viewers, err := s.store.Viewers(ctx, 200)
	if err != nil {
		return err
	}
	ended, err := s.store.EndedViewers(ctx)
	if err != nil {
		return err
	}
	if data["Log"], err = s.store.AuditLog(ctx, 30); err != nil {
		return err
	}
	data["Nobody"] = personRow{}
	rows := make([]personRow, len(people))
	for i, p := range people {
		rows[i] = personRow{p, pairs(p.AttributeMap()), standing(&p)}
	}
	titles := map[string]string{}
	for _, a := range apps {
		titles[a.Name] = a.Title
	}
	shown := make([]hostKeyRow, len(hostKeys))
	for i, k := range hostKeys {
		shown[i] = hostKeyRow{k, titles[k.HostApp]}
	}
	attributes, roles := s.familiar(c)
	data["Attributes"], data["Roles"] = attributes, roles[1:] // everyone is no role of a person
	data["People"], data["Apps"], data["HostKeys"], data["Viewers"], data["Ended"], data["Titles"] = rows, apps, shown, viewers, ended, titles
	return nil
}

// savePerson adds a person, or changes what a form gives of one.
func (s *Server) savePerson(c *gin.Context) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	name, builder := post("name"), post("builder") != ""
	change := identity.Change{Email: post("email"), Name: &name, Builder: &builder, Password: c.PostForm("password")}
	change.Roles = slices.DeleteFunc(chosen(c, "roles"), func(r string) bool { return r == dataset.Everyone })
	var err error
	if name == "" {
		err = problem.New(problem.Missing, "name", "Write the person's name.")
	}
	if err == nil {
		change.Attributes, err = identity.Attributes(attributeLines(c))
	}
	if err == nil {
		err = s.changePerson(c, change)
	}
	if p := problem.Of(err); p != nil {
		s.peoplePage(c, statuses[p.Code], gin.H{"Problem": p, "Written": &personRow{Person: store.Person{Email: change.Email, Name: name, Builder: builder}, Kept: pairs(change.Attributes)}, "WrittenRoles": change.Roles})
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people")
}

func (s *Server) changePerson(c *gin.Context, change identity.Change) error {
	done, err := identity.Apply(c.Request.Context(), s.store, change)
	if err != nil {
		return err
	}
	return s.store.Audit(c.Request.Context(), caller(c).Name, done, change.Email)
}

// authorTicks offers the people who build and are no builders, for saying which of them may.
func (s *Server) authorTicks(c *gin.Context, chosen []string) (out []tick, err error) {
	people, err := s.store.People(c.Request.Context())
	left := slices.Clone(chosen)
	for _, p := range people {
		on := slices.Contains(chosen, p.Email)
		left = slices.DeleteFunc(left, func(email string) bool { return email == p.Email })
		if on || !p.Builder {
			out = append(out, tick{p.Email, p.Name, on})
		}
	}
	return append(out, offered(nil, left)...), err
}

// attributeLines reads the pairs of a name and a value that a form holds, as "name=value".
func attributeLines(c *gin.Context) []string {
	out := []string{}
	values := c.PostFormArray("value")
	for i, name := range c.PostFormArray("attribute") {
		if i < len(values) && strings.TrimSpace(name+values[i]) != "" {
			out = append(out, name+"="+values[i])
		}
	}
	return out
}

// endHostKey ends a key of a host app, with all viewers that it vouched for.
func (s *Server) endHostKey(c *gin.Context) {
	s.done(c, "ended the host app's key", c.PostForm("key"), s.store.EndHostKey(c.Request.Context(), c.PostForm("key")))
}

// endViewer lets a viewer in no more.
func (s *Server) endViewer(c *gin.Context) {
	v := store.EndedViewer{HostApp: c.PostForm("app"), Subject: c.PostForm("viewer"), Name: c.PostForm("name"), EndedBy: caller(c).Name}
	_, err := s.store.HostApp(c.Request.Context(), v.HostApp)
	if err == nil && strings.TrimSpace(v.Subject) == "" {
		err = problem.New(problem.Missing, "viewer", "Say which viewer, as the host app names them.")
	}
	if err == nil {
		err = s.store.EndViewer(c.Request.Context(), &v)
	}
	s.done(c, "let in no more the viewer of "+v.HostApp, cmp.Or(v.Name, v.Subject), err)
}

// admitViewer lets a viewer in again.
func (s *Server) admitViewer(c *gin.Context) {
	app, viewer := c.PostForm("app"), c.PostForm("viewer")
	s.done(c, "let in again the viewer of "+app, viewer, s.store.AdmitViewer(c.Request.Context(), app, viewer))
}

// done notes what was done to people, and shows them again.
func (s *Server) done(c *gin.Context, what, about string, err error) {
	if err == nil {
		err = s.store.Audit(c.Request.Context(), caller(c).Name, what, about)
	}
	if p := problem.Of(err); p != nil {
		s.peoplePage(c, statuses[p.Code], gin.H{"Problem": p})
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people")
}

// addKey makes an API key for whoever asks; it is shown once.
func (s *Server) addKey(c *gin.Context) {
	title := strings.TrimSpace(c.PostForm("title"))
	me, err := s.store.PersonByEmail(c.Request.Context(), caller(c).Email)
	if err == nil && title == "" {
		err = problem.New(problem.Missing, "title", "Say what the key is for.")
	}
	key := ""
	if err == nil {
		key, err = identity.NewAPIKey(c.Request.Context(), s.store, me.ID, title)
	}
	if err == nil {
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "made an API key", title)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.peoplePage(c, http.StatusOK, gin.H{"NewKey": key})
}

func (s *Server) removeKey(c *gin.Context) {
	keys, err := s.store.APIKeys(c.Request.Context())
	if err == nil {
		err = problem.New(problem.NotFound, "", "There is no such key.")
		for _, k := range keys {
			if k.ID == c.PostForm("id") && (caller(c).Builder || k.Person.Email == caller(c).Email) {
				if err = s.store.RemoveAPIKey(c.Request.Context(), k.ID); err == nil {
					err = s.store.Audit(c.Request.Context(), caller(c).Name, "ended the API key", k.Title)
				}
			}
		}
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/people")
}
