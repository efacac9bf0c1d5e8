package web

import (
	"encoding/json"
	"net/http"
	"net/url"
	"slices"
	"strconv"
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
	"eskadel/core/rule"
	"eskadel/live"
	"eskadel/store"
)

// parts of a dataset's page, in order, with their words.
var datasetParts = [][2]string{{"fields", "fields"}, {"linked", "linked records"}, {"calculations", "calculations"}, {"conditions", "conditions"}, {"rules", "row rules"}, {"records", "records"}, {"used", "where it is used"}, {"document", "document"}}

func (s *Server) dataset(c *gin.Context) { s.datasetPage(c, http.StatusOK, gin.H{}) }

func (s *Server) datasetPage(c *gin.Context, status int, data gin.H) {
	ctx := c.Request.Context()
	d, err := s.keptDataset(c)
	if err != nil {
		s.fail(c, err)
		return
	}
	part := c.Query("part")
	if !slices.ContainsFunc(datasetParts, func(p [2]string) bool { return p[0] == part }) {
		part = "fields"
	}
	data["Doc"], data["Part"], data["Parts"] = d, part, datasetParts
	if data["Written"] == nil {
		data["Written"] = string(d.JSON())
	}
	ds, err := s.engine.Dataset(ctx, d.Name, caller(c).Viewer)
	if err != nil {
		if data["Problem"] == nil {
			data["Problem"] = problem.Of(err)
		}
		data["Part"] = "document"
		s.page(c, status, "dataset", d.Title, data)
		return
	}
	data["Dataset"], data["Fields"] = ds, datasetFields(ds)
	if p := problem.Of(rule.Publishable(ds)); p != nil {
		data["RuleProblem"], data["Ruleless"] = p, ds.Ruleless()
	}
	switch part {
	case "records":
		data["Preview"], err = s.preview(c, ds, caller(c).Viewer)
	case "used":
		data["Uses"], err = s.store.Uses(ctx, d.Name)
	case "rules":
		data["Attributes"], data["Roles"] = s.familiar(c)
		data["Tables"] = ruledTables(ds)
		var people []store.Person
		people, err = s.store.People(ctx)
		data["People"] = people
	case "linked":
		data["Pointing"], data["Links"] = pointing(ds), ds.Table.Links
	}
	if err != nil {
		data["PartProblem"] = problem.Of(err)
	}
	s.page(c, status, "dataset", d.Title, data)
}

// keptDataset reads the dataset document that an address names, if the caller may use it.
func (s *Server) keptDataset(c *gin.Context) (*dataset.Document, error) {
	kept, err := s.store.Dataset(c.Request.Context(), c.Param("dataset"))
	if err != nil {
		return nil, err
	}
	d, err := dataset.Read(kept.Document)
	if err != nil {
		return nil, err
	}
	return d, s.mayUse(c, d)
}

// A ruledTable is a table that a dataset reads, with who may see its records.
type ruledTable struct {
	Table *dataset.Table
	Rules *dataset.TableRules
}

func ruledTables(ds *dataset.Dataset) (out []ruledTable) {
	for _, id := range ds.Tables() {
		if t := ds.Linked(id); t != nil {
			out = append(out, ruledTable{t, t.Rules})
		}
	}
	return out
}

// A pointer is a table whose records point to those of a dataset, or to a record that
// these link to.
type pointer struct {
	Table *dataset.Table
	By    string
	Of    string // the link to the record they point to; "" for this one
}

func pointing(ds *dataset.Dataset) (out []pointer) {
	to := map[string][]string{ds.Table.ID(): {""}}
	for _, l := range ds.Table.Links {
		to[l.Table] = append(to[l.Table], l.Column)
	}
	for _, t := range ds.Catalogue() {
		for _, l := range t.Links {
			for _, of := range to[l.Table] {
				if of == "" || t.ID() != ds.Table.ID() {
					out = append(out, pointer{t, l.Column, of})
				}
			}
		}
	}
	return out
}

// saveDataset makes the one change that a form asks for, or takes the whole document.
func (s *Server) saveDataset(c *gin.Context) {
	kept, err := s.store.Dataset(c.Request.Context(), c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	written := c.PostForm("document")
	var d *dataset.Document
	if written != "" {
		d, err = dataset.Read([]byte(written))
		if err == nil && d.Name != kept.Name {
			err = problem.New(problem.Invalid, "name", "The name of a dataset stays “%s”, because charts refer to it.", kept.Name)
		}
	} else if d, err = dataset.Read(kept.Document); err == nil {
		if err = s.roundWidth(c, d.Name); err == nil {
			err = change(c, d)
		}
	}
	if err == nil {
		err = s.keepDataset(c, d)
	}
	if p := problem.Of(err); p != nil {
		data := gin.H{"Problem": p, "Form": c.Request.PostForm}
		if written != "" {
			data["Written"] = written
		}
		s.datasetPage(c, 422, data)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	part := c.Query("part")
	if f := c.PostForm("then"); f != "" {
		redirect(c, "/data/datasets/"+d.Name+"/fields/"+url.PathEscape(f))
		return
	}
	redirect(c, "/data/datasets/"+d.Name+"?part="+url.QueryEscape(part))
}

// roundWidth finds the width of bins of which only a number was given, from where the
// field's values lie.
func (s *Server) roundWidth(c *gin.Context, name string) error {
	n := number(c.PostForm("bins"))
	if c.PostForm("do") != "bins" || c.PostForm("width") != "" || n < 1 || n > 1000 {
		return nil
	}
	ds, err := s.usable(c, name)
	if err != nil {
		return err
	}
	p, err := s.engine.Profile(c.Request.Context(), ds, caller(c).Viewer, c.PostForm("of"))
	if err != nil {
		return err
	}
	if len(p.Fields) == 1 {
		width, start := profile.Bins(p.Fields[0].Smallest, p.Fields[0].Largest, int(n))
		c.Request.PostForm.Set("width", width)
		c.Request.PostForm.Set("start", start)
	}
	return nil
}

// change makes a form's change to a document.
func change(c *gin.Context, d *dataset.Document) (err error) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	at := int(number(post("at")))
	switch c.PostForm("do") {
	case "fields":
		return changeFields(c, d)
	case "about":
		d.Title, d.Description, d.OpenRecord, d.Zone, d.Date = post("title"), post("description"), post("open_record"), post("zone"), post("date")
		d.Record, d.SeenBy = [2]string{post("one"), post("several")}, fieldsOf(post("seen_by"))
	case "link":
		return addLink(c, d)
	case "linked":
		l := &dataset.Linked{Table: post("table"), By: post("by"), Take: post("take"), Column: post("column"), Order: post("order")}
		if of := post("of"); of != "" {
			l.Of = []string{of}
		}
		d.Fields = append(d.Fields, dataset.FieldDocument{Name: freeName(d, post("label")), Label: post("label"), Linked: l})
	case "inside":
		d.Fields = append(d.Fields, dataset.FieldDocument{Name: freeName(d, post("label")), Label: post("label"), Column: post("column"), Inside: strings.Split(post("inside"), ".")})
	case "position":
		d.Fields = append(d.Fields, dataset.FieldDocument{Name: freeName(d, post("label")), Label: post("label"), Position: []string{post("latitude"), post("longitude")}})
	case "formula":
		if post("over") == "groups" {
			d.Measures = append(d.Measures, dataset.MeasureDocument{Name: freeName(d, post("label")), Label: post("label"), Formula: c.PostForm("formula"), Unit: post("unit"), Format: post("format")})
			return nil
		}
		d.Fields = append(d.Fields, dataset.FieldDocument{Name: freeName(d, post("label")), Label: post("label"), Formula: c.PostForm("formula"), Unit: post("unit"), Format: post("format")})
	case "measure":
		if at >= len(d.Measures) {
			return problem.New(problem.NotFound, "measures", "There is no such measure.")
		}
		m := &d.Measures[at]
		m.Label, m.Formula, m.Unit, m.Format, m.Description = post("label"), c.PostForm("formula"), post("unit"), post("format"), post("description")
	case "groups":
		return addGroups(c, d)
	case "bins":
		if c.PostForm("width") == "" {
			return problem.New(problem.Missing, "bins", "Say how wide a bin is, or how many there are to be.")
		}
		d.Fields = append(d.Fields, dataset.FieldDocument{Name: freeName(d, post("label")), Label: post("label"), Bins: &dataset.Bins{Of: post("of"), Width: post("width"), Start: post("start")}})
	case "setting":
		t, err := field.ParseType(post("type"))
		if err != nil {
			return problem.New(problem.Invalid, "type", "Choose what the value is: a number, a text, a date …")
		}
		d.Settings = append(d.Settings, dataset.SettingDocument{Name: freeName(d, post("label")), Label: post("label"), Type: t, Default: post("default")})
	case "condition":
		where, err := conditionFrom(c, "where")
		if err != nil {
			return problem.At("where", err)
		}
		d.Conditions = append(d.Conditions, dataset.NamedCondition{Name: freeName(d, post("title")), Title: post("title"), Where: where})
	case "base":
		where, err := conditionFrom(c, "where")
		if err != nil {
			return problem.At("base_filter", err)
		}
		d.BaseFilter = nil
		if !where.IsZero() {
			d.BaseFilter = &where
		}
	case "rule":
		r, err := ruleFrom(c)
		if err != nil {
			return err
		}
		d.RowRules = append(d.RowRules, r)
	case "remove":
		return remove(d, post("what"), at)
	case "offer":
		// An offer of the profile is a whole document.
		offered, err := dataset.Read([]byte(c.PostForm("offer")))
		if err == nil && offered.Name == d.Name {
			*d = *offered
		}
		return err
	default:
		return problem.New(problem.Invalid, "do", "Nothing was chosen.")
	}
	return nil
}

// remove takes one of a list away.
func remove(d *dataset.Document, what string, at int) error {
	cut := func(n int, f func()) error {
		if at >= n {
			return problem.New(problem.NotFound, what, "This is gone already.")
		}
		f()
		return nil
	}
	switch what {
	case "field":
		return cut(len(d.Fields), func() { d.Fields = slices.Delete(d.Fields, at, at+1) })
	case "measure":
		return cut(len(d.Measures), func() { d.Measures = slices.Delete(d.Measures, at, at+1) })
	case "setting":
		return cut(len(d.Settings), func() { d.Settings = slices.Delete(d.Settings, at, at+1) })
	case "condition":
		return cut(len(d.Conditions), func() { d.Conditions = slices.Delete(d.Conditions, at, at+1) })
	case "rule":
		return cut(len(d.RowRules), func() { d.RowRules = slices.Delete(d.RowRules, at, at+1) })
	}
	return problem.New(problem.Invalid, "what", "Nothing was chosen.")
}

// freeName makes a name of a label that nothing in the document has yet.
func freeName(d *dataset.Document, label string) string {
	base := dataset.NameOf(label)
	taken := func(name string) bool {
		return slices.ContainsFunc(d.Fields, func(f dataset.FieldDocument) bool { return f.Name == name }) ||
			slices.ContainsFunc(d.Measures, func(m dataset.MeasureDocument) bool { return m.Name == name }) ||
			slices.ContainsFunc(d.Settings, func(s dataset.SettingDocument) bool { return s.Name == name }) ||
			slices.ContainsFunc(d.Conditions, func(n dataset.NamedCondition) bool { return n.Name == name })
	}
	name := base
	for n := 2; taken(name); n++ {
		name = base + "_" + strconv.Itoa(n)
	}
	return name
}

// changeFields takes the table of fields: labels, what is hidden, and the order.
func changeFields(c *gin.Context, d *dataset.Document) error {
	type placed struct {
		f  dataset.FieldDocument
		at float64
	}
	var all []placed
	for i, f := range d.Fields {
		if label, sent := c.GetPostForm("label." + f.Name); sent {
			f.Label, f.Hidden = strings.TrimSpace(label), c.PostForm("hidden."+f.Name) != ""
		}
		at, err := strconv.ParseFloat(c.PostForm("order."+f.Name), 64)
		if err != nil {
			at = float64(i + 1)
		}
		all = append(all, placed{f, at})
	}
	slices.SortStableFunc(all, func(a, b placed) int {
		switch {
		case a.at < b.at:
			return -1
		case a.at > b.at:
			return 1
		}
		return 0
	})
	for i := range all {
		d.Fields[i] = all[i].f
	}
	return nil
}

// addLink brings in a field of a linked record, several links deep: link.link.column.
func addLink(c *gin.Context, d *dataset.Document) error {
	parts := strings.Split(strings.TrimSpace(c.PostForm("path")), ".")
	label := strings.TrimSpace(c.PostForm("label"))
	if len(parts) < 2 {
		return problem.New(problem.Missing, "path", "Choose which field of which linked record.")
	}
	if label == "" {
		label = dataset.Tidy(strings.TrimSuffix(parts[len(parts)-2], "_id") + " " + parts[len(parts)-1])
	}
	d.Fields = append(d.Fields, dataset.FieldDocument{Name: freeName(d, label), Label: label, Link: parts[:len(parts)-1], Column: parts[len(parts)-1]})
	return nil
}

// addGroups reads groups as they are typed: a line for each, "Afloat = berthing, lifting".
func addGroups(c *gin.Context, d *dataset.Document) error {
	g := &dataset.Groups{Of: c.PostForm("of"), Rest: strings.TrimSpace(c.PostForm("rest"))}
	for _, line := range strings.Split(c.PostForm("groups"), "\n") {
		if strings.TrimSpace(line) == "" {
			continue
		}
		name, values, ok := strings.Cut(line, "=")
		if !ok {
			return problem.New(problem.Invalid, "groups", "“%s” is not a group: write its name, =, and its values with commas between.", strings.TrimSpace(line))
		}
		group := dataset.Group{Name: strings.TrimSpace(name), Values: between(values, ",")}
		g.Groups = append(g.Groups, group)
	}
	label := strings.TrimSpace(c.PostForm("label"))
	d.Fields = append(d.Fields, dataset.FieldDocument{Name: freeName(d, label), Label: label, Groups: g})
	return nil
}

func (s *Server) removeDataset(c *gin.Context) {
	name := c.Param("dataset")
	uses, err := s.store.Uses(c.Request.Context(), name)
	if err == nil && len(uses) > 0 {
		s.datasetPage(c, 409, gin.H{"Problem": problem.New(problem.Conflict, "", "%s stand on this dataset: change them first.", strings.Join(uses, ", "))})
		return
	}
	if err == nil {
		err = s.store.RemoveDataset(c.Request.Context(), name)
	}
	if err == nil {
		err = s.store.Audit(c.Request.Context(), caller(c).Name, "removed the dataset", name)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/data")
}

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
	if f.IsLink() && len(f.List) == 0 {
		// The names of the linked table, those that no record has among them.
		data["Linked"], _ = s.engine.Names(c.Request.Context(), ds, f, caller(c).Viewer)
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
	f.Hidden, f.SeenBy = post("hidden") != "", fieldsOf(post("seen_by"))
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
	if formula, sent := c.GetPostForm("formula"); sent {
		f.Formula = formula
	}
	if show := post("show"); show != "" {
		f.Show = show
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

// viewAs shows a dataset as another viewer would see it.
func (s *Server) viewAs(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	var as rule.Viewer
	if err == nil {
		as, err = s.viewerFrom(c)
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	v, err := s.engine.ViewAs(c.Request.Context(), ds, as)
	if err != nil {
		s.fail(c, err)
		return
	}
	s.part(c, http.StatusOK, "view-as", gin.H{"View": v, "Dataset": ds})
}

// viewerFrom reads the viewer of a “view as”: a person, or roles and attributes as typed,
// a line for each, "yard = 3" or "yards = 3, 4".
func (s *Server) viewerFrom(c *gin.Context) (v rule.Viewer, err error) {
	if email := c.PostForm("person"); email != "" {
		p, err := s.store.PersonByEmail(c.Request.Context(), email)
		if err != nil {
			return v, err
		}
		return rule.Viewer{ID: p.Email, Name: p.Name, Roles: p.RoleList(), Attributes: p.AttributeMap()}, nil
	}
	v = rule.Viewer{ID: "view as", Roles: fieldsOf(c.PostForm("roles")), Attributes: filter.Attributes{}}
	for _, line := range strings.Split(c.PostForm("attributes"), "\n") {
		if strings.TrimSpace(line) == "" {
			continue
		}
		name, value, ok := strings.Cut(line, "=")
		if !ok {
			return v, problem.New(problem.Invalid, "attributes", "“%s” is not an attribute: write its name, = and its value.", strings.TrimSpace(line))
		}
		var values []any
		for _, one := range strings.Split(value, ",") {
			values = append(values, strings.TrimSpace(one))
		}
		if v.Attributes[strings.TrimSpace(name)] = any(values); len(values) == 1 {
			v.Attributes[strings.TrimSpace(name)] = values[0]
		}
	}
	return v, nil
}

// newDataset offers the ways to make a dataset that is not one table.
func (s *Server) newDataset(c *gin.Context) { s.newDatasetPage(c, http.StatusOK, gin.H{}) }

func (s *Server) newDatasetPage(c *gin.Context, status int, data gin.H) {
	tables, err := s.engine.Catalogue(c.Request.Context(), c.Param("source"))
	if err != nil {
		s.fail(c, err)
		return
	}
	data["Source"], data["Tables"], data["Form"] = c.Param("source"), tables, c.Request.PostForm
	s.page(c, status, "new-dataset", "New dataset", data)
}

// createDataset makes a dataset of a query, of the elements of a list, of columns, or of a file.
func (s *Server) createDataset(c *gin.Context) {
	d, err := s.startDataset(c)
	if err == nil && c.PostForm("how") != "document" {
		// Only a document, whose fields and rules stay as they are, replaces a dataset.
		if _, unknown := s.store.Dataset(c.Request.Context(), d.Name); unknown == nil {
			err = problem.New(problem.Conflict, "title", "There is a dataset called “%s” already.", d.Name)
		}
	}
	if err == nil {
		err = s.keepDataset(c, d)
	}
	if p := problem.Of(err); p != nil {
		data := gin.H{"Problem": p}
		if d != nil && c.PostForm("how") == "document" {
			if all := s.engine.Misfits(c.Request.Context(), d); len(all) > 1 {
				data["Misfits"] = all
			}
		}
		s.newDatasetPage(c, 422, data)
		return
	}
	if err != nil {
		s.fail(c, err)
		return
	}
	redirect(c, "/data/datasets/"+d.Name)
}

func (s *Server) startDataset(c *gin.Context) (*dataset.Document, error) {
	post := func(name string) string { return strings.TrimSpace(c.PostForm(name)) }
	if post("how") == "document" {
		d, err := dataset.Read([]byte(c.PostForm("document")))
		if err == nil {
			d.Source = c.Param("source")
		}
		return d, err
	}
	title := post("title")
	d := &dataset.Document{Version: dataset.Version, Title: title, Name: strings.ReplaceAll(dataset.NameOf(title), "_", "-"), Source: c.Param("source"), Record: [2]string{post("one"), post("several")}}
	if title == "" {
		return d, problem.New(problem.Missing, "title", "Give the dataset a title.")
	}
	if d.Record[0] == "" {
		d.Record = [2]string{"record", "records"}
	}
	switch post("how") {
	case "select":
		d.From.Select, d.Key = c.PostForm("select"), between(post("key"), ",")
	case "unnest":
		table, column, _ := strings.Cut(post("list"), "|")
		d.From.Unnest = &dataset.Unnest{Table: table, Column: column, Inside: between(post("inside"), ".")}
	case "wide":
		d.From.Wide = &dataset.Wide{Table: post("table"), Columns: between(post("columns"), ","), Name: dataset.NameOf(post("name")), Value: dataset.NameOf(post("value"))}
	default:
		return d, problem.New(problem.Missing, "how", "Choose where the records come from.")
	}
	t, err := s.engine.From(c.Request.Context(), d)
	if err != nil {
		return d, err
	}
	tables, err := s.engine.Catalogue(c.Request.Context(), d.Source)
	if err != nil {
		return d, err
	}
	suggested := dataset.Suggest(d.Source, t, tables)
	d.Fields, d.Date = suggested.Fields, suggested.Date
	if len(d.Key) == 0 {
		d.Key = suggested.Key
	}
	return d, nil
}

// exportDataset is the document as a file.
func (s *Server) exportDataset(c *gin.Context) {
	ds, err := s.usable(c, c.Param("dataset"))
	if err != nil {
		s.fail(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+ds.Name+`.json"`)
	c.Data(http.StatusOK, "application/json", append(ds.Document.JSON(), '\n'))
}
