package web

import (
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/problem"
	"eskadel/core/profile"
	"eskadel/core/query"
	"eskadel/core/reading"
	"eskadel/live"
)

// profiled returns the dataset of a request with what is in its fields for the caller.
func (s *Server) profiled(c *gin.Context) (*dataset.Dataset, *profile.Profile, error) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		return nil, nil, err
	}
	p, err := s.engine.Profile(c.Request.Context(), ds, caller(c).Viewer, "")
	return ds, p, err
}

// datasetProfile is the table of fields with what is in them.
func (s *Server) datasetProfile(c *gin.Context) {
	ds, p, err := s.profiled(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "fields", gin.H{"Dataset": ds, "Doc": &ds.Document, "Profile": newProfileView(ds, p, s.engine.Calendar().Zone), "Caller": caller(c)})
}

// fieldPage edits one field.
func (s *Server) fieldPage(c *gin.Context) { s.fieldForm(c, http.StatusOK, nil, nil) }

func (s *Server) fieldForm(c *gin.Context, status int, p *problem.Problem, form url.Values) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	f, err := ds.Field(c.Param("field"))
	if err != nil {
		s.fail(c, err)
		return
	}
	data := gin.H{"Dataset": ds, "Doc": &ds.Document, "F": f, "Problem": p, "Form": form, "Aggregates": query.Aggregates(), "Names": formulaNames(ds), "ReadAs": readLikes, "At": slices.IndexFunc(ds.Fields, func(d dataset.FieldDocument) bool { return d.Name == f.Name })}
	if profiled, err := s.engine.Profile(c.Request.Context(), ds, caller(c).Viewer, f.Name); err == nil && len(profiled.Fields) == 1 {
		data["Profile"] = newProfileView(ds, profiled, s.engine.Calendar().Zone)
	} else if err != nil {
		data["ProfileProblem"] = problem.Of(err)
	}
	if f.Several && !f.Hidden {
		var err error
		if data["Values"], err = s.engine.ListValues(c.Request.Context(), ds, f.Name, "", caller(c).Viewer); err != nil {
			data["ProfileProblem"] = problem.Of(err)
		}
	}
	if f.IsLink() && len(f.List) == 0 {
		// The names of the linked table, those that no record has among them.
		data["Linked"], _ = s.engine.Names(c.Request.Context(), ds, f, caller(c).Viewer)
	}
	if caller(c).Builder {
		_, roles := s.familiar(c)
		data["Roles"] = roles[1:]
	}
	var list []string
	for _, v := range f.FieldDocument.List {
		line := v
		if colour := f.Colours[v]; colour != "" {
			line += " | " + colour
		}
		list = append(list, line)
	}
	data["List"] = strings.Join(list, "\n")
	s.page(c, status, "field", f.Label, data)
}

// readLikes are the writings that the page of a text field offers.
var readLikes = []struct{ Type, Like string }{
	{"number", "1,234.50"}, {"number", "1.234,50"}, {"number", "1234.50"}, {"number", "£1,234.50"}, {"date", "31/12/2026"}, {"date", "12/31/2026"}, {"date", "31.12.2026"}, {"date", "2026-12-31"}, {"date", "31 Dec 2026"}, {"date", "20261231"},
	{"timestamp", "2026-12-31 23:59"}, {"timestamp", "31/12/2026 23:59"}, {"timestamp", "2026-12-31T23:59:00Z"}, {"boolean", "yes/no"}, {"boolean", "true/false"}, {"boolean", "Y/N"},
}

func (s *Server) saveField(c *gin.Context) {
	d, err := s.keptDataset(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	i := slices.IndexFunc(d.Fields, func(f dataset.FieldDocument) bool { return f.Name == c.Param("field") })
	if i < 0 {
		s.fail(c, problem.New(problem.NotFound, "field", "There is no field “%s”.", c.Param("field")))
		return
	}
	err = changeField(c, &d.Fields[i])
	if err == nil {
		err = s.keepDataset(c, d)
	}
	if p := problem.Of(err); p != nil {
		s.fieldForm(c, 422, p, c.Request.PostForm)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/data/datasets/"+d.Name+"/fields/"+c.Param("field"))
}

func changeField(c *gin.Context, f *dataset.FieldDocument) error {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	f.Label, f.Description, f.Unit, f.Format, f.Usual, f.Time = post("label"), post("description"), post("unit"), post("format"), post("usual"), post("time")
	f.Hidden, f.SeenBy = post("hidden") != "", chosen(c, "seen_by")
	f.Synonyms = between(post("synonyms"), ",")
	f.List, f.Colours = nil, nil
	for _, line := range strings.Split(c.PostForm("list"), "\n") {
		value, colour, _ := strings.Cut(strings.TrimRight(line, "\r"), " | ")
		if value = strings.TrimSpace(value); value == "" {
			continue
		}
		f.List = append(f.List, value)
		if colour = strings.TrimSpace(colour); colour != "" {
			if f.Colours == nil {
				f.Colours = map[string]string{}
			}
			f.Colours[value] = colour
		}
	}
	f.Lost = slices.DeleteFunc(chosen(c, "lost"), func(v string) bool { return len(f.List) > 0 && !slices.Contains(f.List, v) })
	if f.Furthest = post("furthest"); len(f.Lost) == 0 {
		f.Lost, f.Furthest = nil, ""
	}
	if formula, sent := c.GetPostForm("formula"); sent {
		f.Formula = formula
	}
	if show := post("show"); show != "" {
		f.Show = show
	}
	if post("lists") != "" {
		f.Several = post("several") != ""
	}
	like, sent := c.GetPostForm("read_as")
	if !sent {
		return nil
	}
	f.ReadAs = nil
	if like == "" {
		return nil
	}
	kind, example, _ := strings.Cut(like, ": ")
	t, err := field.ParseType(kind)
	if err != nil {
		return problem.New(problem.Invalid, "read_as", "Choose what the text is read as.")
	}
	f.ReadAs, err = reading.Parse(t, example)
	return problem.At("read_as", err)
}

// formulaNames are what the formula editor completes: fields, settings and functions.
func formulaNames(ds *dataset.Dataset) string {
	type name struct {
		Write string `json:"write"`
		Label string `json:"label"`
		Kind  string `json:"kind"`
	}
	var out []name
	for _, f := range ds.Order() {
		out = append(out, name{dataset.Written(f.Name), f.Label, f.Type.String()})
	}
	for _, set := range ds.Settings {
		out = append(out, name{dataset.Written(set.Name), ds.Label(set.Name), "set by the viewer"})
	}
	for _, h := range dataset.Functions() {
		out = append(out, name{h.Name + "(", h.Words, "function"})
	}
	b, _ := json.Marshal(out)
	return string(b)
}

// formulaTrial checks a formula while it is typed, and shows what it gives.
func (s *Server) formulaTrial(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	text := c.PostForm("formula")
	t, err := s.engine.Try(c.Request.Context(), ds, text, caller(c).Viewer)
	if p := problem.Of(err); p != nil {
		at := -1
		if i := strings.LastIndex(p.Place, "@"); i >= 0 {
			at = int(number(p.Place[i+1:]))
		}
		before, after := text, ""
		if r := []rune(text); at >= 0 && at <= len(r) {
			before, after = string(r[:at]), string(r[at:])
		}
		s.part(c, http.StatusOK, "formula-wrong", gin.H{"Problem": p, "At": at, "Before": before, "After": after})
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "formula-trial", t)
}

// oddRecords lists the records that an oddity of the profile speaks of.
func (s *Server) oddRecords(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var where filter.Condition
	if err == nil {
		where, err = conditionFrom(c, "where")
	}
	if err == nil {
		err = query.CheckCondition(where, ds)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	v := caller(c).Viewer
	if where.Op == filter.Unreadable {
		ds = ds.AsKept(where.Field)
	}
	l, err := s.engine.Records(c.Request.Context(), query.NewList(ds, s.engine.Setting(ds, v, where, time.Time{}), query.PageSize), v)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "odd-records", live.NewPage(l))
}

// formulaHelp explains every function with an example from the records at hand.
func (s *Server) formulaHelp(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	help, err := s.engine.Help(c.Request.Context(), ds, caller(c).Viewer)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "formula-help", help)
}
