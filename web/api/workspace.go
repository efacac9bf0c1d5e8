package api

import (
	"io"
	"net/http"
	"strconv"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/problem"
	"eskadel/files"
	"eskadel/identity"
	"eskadel/web/gate"
	"eskadel/workspace"
)

func (a *API) sources(c *gin.Context) {
	rows, err := a.ws.Sources(c.Request.Context(), who(c))
	out := []Source{}
	for _, r := range rows {
		out = append(out, Source(r))
	}
	a.respond(c, out, err)
}

// putSource connects a database, or changes its address, once it answers.
func (a *API) putSource(c *gin.Context) {
	var in PutSource
	name := c.Param("source")
	err := gate.Body(c, &in)
	from, e := on(c, func() int { return 0 })
	if err == nil {
		err = e
	}
	var found []string
	if err == nil {
		found, err = a.ws.Connect(c.Request.Context(), who(c), workspace.Connection{Name: name, Title: in.Title, Address: in.URL, Change: true, On: from})
	}
	a.respond(c, SourceFound{name, in.Title, found}, err)
}

func (a *API) removeSource(c *gin.Context) {
	from, err := on(c, func() int { return 0 })
	if err == nil {
		err = a.ws.RemoveSource(c.Request.Context(), who(c), c.Param("source"), from)
	}
	a.none(c, err)
}

func (a *API) putAuthors(c *gin.Context) {
	var in Authors
	err := gate.Body(c, &in)
	if err == nil {
		err = a.ws.ShareSource(c.Request.Context(), who(c), c.Param("source"), in.Authors)
	}
	a.none(c, err)
}

func (a *API) tables(c *gin.Context) {
	tables, err := a.ws.Tables(c.Request.Context(), who(c), c.Param("source"))
	a.respond(c, tables, err)
}

func (a *API) readTables(c *gin.Context) {
	a.none(c, a.ws.ReadTables(c.Request.Context(), who(c), c.Param("source")))
}

func (a *API) rules(c *gin.Context) {
	r, tag, err := a.ws.SourceRules(c.Request.Context(), who(c), c.Param("source"))
	if err == nil && tag != "" {
		c.Header("ETag", `"`+tag+`"`)
	}
	a.respond(c, r, err)
}

func (a *API) putRules(c *gin.Context) {
	b, err := io.ReadAll(c.Request.Body)
	var r *dataset.SourceRules
	if err == nil {
		r, err = dataset.ReadRules(b)
	}
	if err == nil && r.Source != c.Param("source") {
		err = problem.New(problem.Invalid, "source", "The document's source, “%s”, is not the one in the address.", r.Source)
	}
	tag := c.GetHeader("If-Match")
	if len(tag) > 1 && tag[0] == '"' {
		tag = tag[1 : len(tag)-1]
	}
	if err == nil && tag == "*" {
		if _, tag, err = a.ws.SourceRules(c.Request.Context(), who(c), r.Source); problem.Is(err, problem.Invalid) {
			err = nil // rules that cannot be read are replaced
		}
	}
	if err == nil {
		err = a.ws.SaveSourceRules(c.Request.Context(), who(c), r, tag)
	}
	if err == nil {
		if _, tag, e := a.ws.SourceRules(c.Request.Context(), who(c), r.Source); e == nil {
			c.Header("ETag", `"`+tag+`"`)
		}
	}
	a.respond(c, r, err)
}

func (a *API) settings(c *gin.Context) {
	s, st, err := a.ws.Settings(c.Request.Context(), who(c))
	if err == nil {
		tagged(c, st.Revision)
	}
	a.respond(c, s, err)
}

func (a *API) putSettings(c *gin.Context) {
	b, from, err := a.given(c, workspace.Settings, workspace.TheSettings)
	var st workspace.Standing
	if err == nil {
		st, err = a.ws.SaveSettings(c.Request.Context(), who(c), b, from)
	}
	a.kept(c, st, err)
}

func (a *API) files(c *gin.Context) {
	list, err := a.ws.Files(c.Request.Context(), who(c))
	a.respond(c, filesOf(list), err)
}

func filesOf(list []workspace.File) []File {
	out := []File{}
	for i := range list {
		f := &list[i]
		out = append(out, File{f.Name, f.Title, f.Original, f.Format, f.Rows, []byte(f.Columns), f.NoteList(), f.LoadedAt, f.LoadedBy})
	}
	return out
}

// originalName is the name that a body has as a file: as told, or by what kind it is.
func originalName(c *gin.Context) string {
	if original := c.Query("original"); original != "" {
		return original
	}
	return c.Param("file") + map[string]string{"application/json": ".json", "application/x-ndjson": ".jsonl", "text/csv": ".csv"}[c.ContentType()]
}

// putFile makes a file's table, or replaces all of it.
func (a *API) putFile(c *gin.Context) {
	how, err := gate.HowRead(c)
	var loaded []workspace.File
	if err == nil {
		loaded, err = a.ws.LoadFile(c.Request.Context(), who(c), c.Request.Body, originalName(c), c.Param("file"), how, files.Progress(func(string, int64) {}))
	}
	a.respond(c, filesOf(loaded), err)
}

func (a *API) appendFile(c *gin.Context) {
	n, err := a.ws.AppendFile(c.Request.Context(), who(c), c.Request.Body, originalName(c), c.Param("file"))
	a.respond(c, Rows{n}, err)
}

func (a *API) removeFile(c *gin.Context) {
	a.none(c, a.ws.RemoveFile(c.Request.Context(), who(c), c.Param("file")))
}

func (a *API) people(c *gin.Context) {
	people, err := a.ws.People(c.Request.Context(), who(c))
	out := []Person{}
	for i := range people {
		p := &people[i]
		out = append(out, Person{p.Name, p.Email, p.Builder, p.RoleList(), p.AttributeMap()})
	}
	a.respond(c, out, err)
}

func (a *API) putPerson(c *gin.Context) {
	var in PutPerson
	err := gate.Body(c, &in)
	done := ""
	if err == nil {
		done, err = a.ws.ChangePerson(c.Request.Context(), who(c), identity.Change{Email: c.Param("email"), Name: in.Name, Builder: in.Builder, Password: in.Password, Roles: in.Roles, Attributes: in.Attributes})
	}
	a.respond(c, Done{done}, err)
}

func (a *API) keys(c *gin.Context) {
	keys, err := a.ws.APIKeys(c.Request.Context(), who(c))
	out := []Key{}
	for _, k := range keys {
		out = append(out, Key{ID: k.ID, Title: k.Title, Person: k.Person.Name, MadeAt: k.CreatedAt, UsedAt: k.UsedAt})
	}
	a.respond(c, out, err)
}

func (a *API) makeKey(c *gin.Context) {
	var in MakeKey
	err := gate.Body(c, &in)
	key := ""
	if err == nil {
		key, err = a.ws.MakeAPIKey(c.Request.Context(), who(c), in.Title)
	}
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	c.JSON(http.StatusCreated, NewKey{key})
}

func (a *API) endKey(c *gin.Context) {
	a.none(c, a.ws.EndAPIKey(c.Request.Context(), who(c), c.Param("key")))
}

func (a *API) hosts(c *gin.Context) {
	apps, err := a.ws.Hosts(c.Request.Context(), who(c))
	var keys []workspace.HostKey
	if err == nil {
		keys, err = a.ws.HostKeys(c.Request.Context(), who(c))
	}
	out := []Host{}
	for i := range apps {
		app := &apps[i]
		of := Host{app.Name, app.Title, app.Address, app.OriginList(), app.PassMinutes, app.Once, app.Revision, []HostKey{}}
		for _, k := range keys {
			if k.HostApp == app.Name {
				of.Keys = append(of.Keys, HostKey{k.ID, k.Algorithm, k.Address, k.CreatedAt, k.UsedAt, k.RevokedAt})
			}
		}
		out = append(out, of)
	}
	a.respond(c, out, err)
}

func (a *API) putHost(c *gin.Context) {
	var in PutHost
	err := gate.Body(c, &in)
	from, e := on(c, func() int { return 0 })
	if err == nil {
		err = e
	}
	if err == nil {
		err = a.ws.RegisterHost(c.Request.Context(), who(c), workspace.Registration{Name: c.Param("host"), Title: in.Title, Address: in.Address, Origins: in.Origins, PassMinutes: in.PassMinutes, Once: in.Once, On: from})
	}
	a.none(c, err)
}

func (a *API) removeHost(c *gin.Context) {
	a.none(c, a.ws.RemoveHost(c.Request.Context(), who(c), c.Param("host")))
}

func (a *API) makeHostKey(c *gin.Context) {
	var in MakeHostKey
	ctx, app, out := c.Request.Context(), c.Param("host"), NewSecret{Kid: c.Param("key"), Algorithm: identity.HS256}
	err := gate.Body(c, &in)
	switch {
	case err != nil:
	case in.PublicKey != "":
		out.Algorithm, err = a.ws.AddPublicKey(ctx, who(c), app, out.Kid, in.PublicKey)
	case in.Address != "":
		out.Algorithm = identity.KeySet
		out.Keys, err = a.ws.AddKeySet(ctx, who(c), app, out.Kid, in.Address)
	default:
		out.Secret, err = a.ws.MakeHostKey(ctx, who(c), app, out.Kid)
	}
	if err != nil {
		a.gate.Fail(c, err)
		return
	}
	c.JSON(http.StatusCreated, out)
}

func (a *API) endHostKey(c *gin.Context) {
	a.none(c, a.ws.EndHostKey(c.Request.Context(), who(c), c.Param("key")))
}

func (a *API) endViewer(c *gin.Context) {
	var in EndViewer
	err := gate.Body(c, &in)
	if err == nil {
		err = a.ws.EndViewer(c.Request.Context(), who(c), c.Param("host"), c.Param("viewer"), in.Name)
	}
	a.none(c, err)
}

func (a *API) admitViewer(c *gin.Context) {
	a.none(c, a.ws.AdmitViewer(c.Request.Context(), who(c), c.Param("host"), c.Param("viewer")))
}

// mostAudited is how many entries of the audit log one answer has.
const mostAudited = 100

func (a *API) audit(c *gin.Context) {
	before, err := strconv.ParseInt("0"+c.Query("before"), 10, 64)
	if err != nil {
		a.gate.Fail(c, problem.New(problem.Invalid, "before", "“%s” is not the id of an entry.", c.Query("before")))
		return
	}
	entries, err := a.ws.Audit(c.Request.Context(), who(c), before, mostAudited)
	out := []Audit{}
	for _, e := range entries {
		out = append(out, Audit(e))
	}
	a.respond(c, out, err)
}
