package data

import (
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/problem"
	"eskadel/core/profile"
	"eskadel/web/gate"
	"eskadel/web/page"
)

// roundWidth finds the width of bins of which only a number was given, from where the
// field's values lie.
func (s *Server) roundWidth(c *gin.Context, name string) error {
	n := page.Number(c.PostForm("bins"))
	if c.PostForm("do") != "bins" || c.PostForm("width") != "" || n < 1 || n > 1000 {
		return nil
	}
	ds, err := s.usable(c, name)
	if err != nil {
		return err
	}
	p, err := s.Workspace.Profile(c.Request.Context(), gate.Caller(c), ds, c.PostForm("of"))
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
	at := int(page.Number(post("at")))
	switch c.PostForm("do") {
	case "fields":
		return changeFields(c, d)
	case "about":
		d.Title, d.Description, d.OpenRecord, d.Zone, d.Date = post("title"), post("description"), post("open_record"), post("zone"), post("date")
		d.Record, d.SeenBy = [2]string{post("one"), post("several")}, page.Chosen(c, "seen_by")
	case "link":
		return addLink(c, d)
	case "linked":
		l := &dataset.Linked{Table: post("table"), By: post("by"), Take: post("take"), Column: post("column"), Formula: post("formula"), Order: post("order"), When: post("when")}
		where, err := conditionFrom(c, "where")
		if err != nil {
			return problem.At("linked.where", err)
		}
		if !where.IsZero() {
			l.Where = &where
		}
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
	case "editing":
		d.Editing = nil
		if fields := page.Chosen(c, "fields"); len(fields) > 0 {
			d.Editing = &dataset.Editing{Fields: fields, HostApp: post("host_app")}
			if d.Editing.HostApp != "" {
				d.Editing.Address = post("address")
			}
		}
	case "path":
		var path []string
		for _, step := range c.PostFormArray("step") {
			if step != "" {
				path = append(path, step)
			}
		}
		d.DrillPaths = append(d.DrillPaths, path)
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
	case "path":
		return cut(len(d.DrillPaths), func() { d.DrillPaths = slices.Delete(d.DrillPaths, at, at+1) })
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
