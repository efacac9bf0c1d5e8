package data

import (
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/aggregate"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/planner"
	"eskadel/core/problem"
	"eskadel/core/profile"
	"eskadel/core/reading"
	"eskadel/view"
	"eskadel/web/gate"
	"eskadel/web/page"
	"eskadel/workspace"
)

// profiled returns the dataset of a request with what is in its fields for the caller.
func (s *Server) profiled(c *gin.Context) (*dataset.Dataset, *profile.Profile, error) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		return nil, nil, err
	}
	p, err := s.Workspace.Profile(c.Request.Context(), gate.Caller(c), ds, "")
	return ds, p, err
}

// datasetProfile is the table of fields with what is in them.
func (s *Server) datasetProfile(c *gin.Context) {
	ds, p, err := s.profiled(c)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "fields", gin.H{"Dataset": ds, "Doc": &ds.Document, "Profile": page.NewProfileView(ds, p, s.Workspace.Calendar().Zone), "Caller": gate.Caller(c), "Kept": s.standingOf(c, ds.Name)})
}

// fieldPage edits one field.
func (s *Server) fieldPage(c *gin.Context) { s.fieldForm(c, http.StatusOK, gin.H{}) }

// standingOf is a dataset's standing; the zero one where it cannot be had.
func (s *Server) standingOf(c *gin.Context, name string) workspace.Standing {
	if d, err := s.Workspace.DatasetPage(c.Request.Context(), gate.Caller(c), name); err == nil {
		return d.Standing
	}
	return workspace.Standing{}
}

func (s *Server) fieldForm(c *gin.Context, status int, data gin.H) {
	ctx, who := c.Request.Context(), gate.Caller(c)
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	f, err := ds.Field(c.Param("field"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	for name, v := range (gin.H{"Dataset": ds, "Doc": &ds.Document, "Kept": s.standingOf(c, ds.Name), "F": f, "Aggregates": aggregate.All(), "Names": page.FormulaNames(ds, ds.Order()), "ReadAs": readLikes, "At": slices.IndexFunc(ds.Fields, func(d dataset.FieldDocument) bool { return d.Name == f.Name })}) {
		data[name] = v
	}
	if profiled, err := s.Workspace.Profile(ctx, who, ds, f.Name); err == nil && len(profiled.Fields) == 1 {
		data["Profile"] = page.NewProfileView(ds, profiled, s.Workspace.Calendar().Zone)
	} else if err != nil {
		data["ProfileProblem"] = problem.Of(err)
	}
	if f.Several && !f.Hidden {
		var err error
		if data["Values"], err = s.Workspace.Values(ctx, who, ds, f.Name, ""); err != nil {
			data["ProfileProblem"] = problem.Of(err)
		}
	}
	if f.IsLink() && len(f.List) == 0 {
		// The names of the linked table, those that no record has among them.
		data["Linked"], _ = s.Workspace.Names(ctx, who, ds, f)
	}
	if who.Builder {
		_, roles := s.Workspace.Familiar(ctx, who)
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
	s.Page(c, status, "field", f.Label, data)
}

// readLikes are the writings that the page of a text field offers.
var readLikes = []struct{ Type, Like string }{
	{"number", "1,234.50"}, {"number", "1.234,50"}, {"number", "1234.50"}, {"number", "£1,234.50"}, {"date", "31/12/2026"}, {"date", "12/31/2026"}, {"date", "31.12.2026"}, {"date", "2026-12-31"}, {"date", "31 Dec 2026"}, {"date", "20261231"},
	{"timestamp", "2026-12-31 23:59"}, {"timestamp", "31/12/2026 23:59"}, {"timestamp", "2026-12-31T23:59:00Z"}, {"boolean", "yes/no"}, {"boolean", "true/false"}, {"boolean", "Y/N"},
}

func (s *Server) saveField(c *gin.Context) {
	ctx, who, from := c.Request.Context(), gate.Caller(c), page.On(c)
	d, err := s.Workspace.DatasetAt(ctx, who, c.Param("dataset"), from.Revision)
	if err != nil {
		s.Fail(c, err)
		return
	}
	i := slices.IndexFunc(d.Fields, func(f dataset.FieldDocument) bool { return f.Name == c.Param("field") })
	if i < 0 {
		s.Fail(c, problem.New(problem.NotFound, "field", "There is no field “%s”.", c.Param("field")))
		return
	}
	err = changeField(c, &d.Fields[i])
	if err == nil {
		_, err = s.Workspace.SaveDataset(ctx, who, d, from, c.PostForm("anyway") != "")
	}
	if p := problem.Of(err); p != nil {
		s.fieldForm(c, page.StatusOf(p), s.Unkept(c, err, c.Request.URL.Path))
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	page.Redirect(c, "/data/datasets/"+d.Name+"/fields/"+c.Param("field"))
}

func changeField(c *gin.Context, f *dataset.FieldDocument) error {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	f.Label, f.Description, f.Unit, f.Format, f.Usual, f.Time = post("label"), post("description"), post("unit"), post("format"), post("usual"), post("time")
	f.Hidden, f.SeenBy = post("hidden") != "", page.Chosen(c, "seen_by")
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
	f.Lost = slices.DeleteFunc(page.Chosen(c, "lost"), func(v string) bool { return len(f.List) > 0 && !slices.Contains(f.List, v) })
	if f.Furthest = post("furthest"); len(f.Lost) == 0 {
		f.Lost, f.Furthest = nil, ""
	}
	if formula, sent := c.GetPostForm("formula"); sent {
		f.Formula = formula
	}
	if show := post("show"); show != "" {
		f.Show, f.Offers = show, page.Chosen(c, "offers")
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

// formulaTrial checks a formula while it is typed, and shows what it gives.
func (s *Server) formulaTrial(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	text := c.PostForm("formula")
	t, err := s.Workspace.Try(c.Request.Context(), gate.Caller(c), ds, text)
	if p := problem.Of(err); p != nil {
		at := -1
		if i := strings.LastIndex(p.Place, "@"); i >= 0 {
			at = int(page.Number(p.Place[i+1:]))
		}
		before, after := text, ""
		if r := []rune(text); at >= 0 && at <= len(r) {
			before, after = string(r[:at]), string(r[at:])
		}
		s.Part(c, http.StatusOK, "formula-wrong", gin.H{"Problem": p, "At": at, "Before": before, "After": after})
		return
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "formula-trial", t)
}

// oddRecords lists the records that an oddity of the profile speaks of.
func (s *Server) oddRecords(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var where filter.Condition
	if err == nil {
		where, err = conditionFrom(c, "where")
	}
	var p *view.Page
	if err == nil {
		p, err = s.Workspace.Records(c.Request.Context(), gate.Caller(c), ds, workspace.Listing{Where: where, Size: planner.PageSize})
	}
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "odd-records", p)
}

// formulaHelp explains every function with an example from the records at hand.
func (s *Server) formulaHelp(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.Fail(c, err)
		return
	}
	help, err := s.Workspace.Help(c.Request.Context(), gate.Caller(c), ds)
	if err != nil {
		s.Fail(c, err)
		return
	}
	s.Part(c, http.StatusOK, "formula-help", help)
}
