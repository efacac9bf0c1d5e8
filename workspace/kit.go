package workspace

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"github.com/golang-jwt/jwt/v5"

	"eskadel/core/dashboard"
	"eskadel/core/sentence"
	"eskadel/identity"
	"eskadel/rights"
)

// A PassLine is one thing that a pass says, with what is wrong with it.
type PassLine struct {
	Part   string // "exp"
	Says   string // what it says, as people write it; "" where it says nothing
	Wrong  string
	Header bool // it stands in the header
	// Claimed tells that passes say it; a signature and a length are not said.
	Claimed bool
}

// A PassTest is a pass that somebody has looked at: what it says, what is wrong with it, and who they would be
// and what they would see.
type PassTest struct {
	Good  bool
	Lines []PassLine
	Sees  []PassSees
}

// PassSees is what the viewer of a pass would see of a dashboard that it is for.
type PassSees struct {
	Name, Title string
	Trouble     string
	*AsSummary
}

// mostTested is how many dashboards of a pass are looked at.
const mostTested = 5

// TestPass looks at a pass of a host app as if its viewer came with it, for a dashboard where one is named.
// Nobody comes in by it, and a pass that counts once still does.
func (w *Workspace) TestPass(ctx context.Context, who *identity.Caller, app, dashboard, pass string) (*PassTest, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	c, err := w.passes.Check(ctx, w.store, strings.TrimSpace(pass), identity.Presented{App: app, Dashboard: dashboard})
	if err != nil {
		return nil, err
	}
	out := &PassTest{Good: len(c.Faults) == 0}
	wrong := map[string][]string{}
	for _, f := range c.Faults {
		wrong[f.Part] = append(wrong[f.Part], f.Words)
	}
	line := func(part, says string, header bool) {
		out.Lines = append(out.Lines, PassLine{part, says, strings.Join(wrong[part], " "), header, part != "signature" && part != "size"})
		delete(wrong, part)
	}
	for _, part := range slices.Sorted(maps.Keys(c.Header)) {
		line(part, headed(c.Header[part]), true)
	}
	says := c.Claims
	moment := func(d *jwt.NumericDate) string {
		if d == nil {
			return ""
		}
		return w.Calendar().Manner.Time(d.In(w.Calendar().Zone))
	}
	line("iss", says.Issuer, false)
	line("aud", strings.Join(says.Audience, ", "), false)
	line("sub", says.Subject, false)
	line("name", says.Name, false)
	line("exp", moment(says.ExpiresAt), false)
	for part, at := range map[string]*jwt.NumericDate{"iat": says.IssuedAt, "nbf": says.NotBefore} {
		if at != nil || len(wrong[part]) > 0 {
			line(part, moment(at), false)
		}
	}
	if says.ID != "" || len(wrong["jti"]) > 0 {
		line("jti", says.ID, false)
	}
	line("roles", strings.Join(says.Roles, ", "), false)
	if len(says.Attributes) > 0 {
		known, err := w.Attributes(ctx, who)
		if err != nil {
			return nil, err
		}
		line("attributes", strings.Join(Spelled(known, says.Attributes), ", "), false)
	}
	line("scope", strings.Join(says.Scope.Dashboards, ", "), false)
	for _, part := range slices.Sorted(maps.Keys(wrong)) { // what has no line of its own: kid that is missing, the signature
		line(part, "", slices.Contains([]string{"alg", "kid", "crit"}, part))
	}
	if c.Key == nil { // whoever made it is not known: it is not said what they would see
		return out, nil
	}
	for i, name := range says.Scope.Dashboards {
		if i == mostTested {
			break
		}
		sees := PassSees{Name: name, Title: name}
		o, err := w.Dashboard(ctx, who, name, false)
		if err == nil {
			sees.Title = o.Doc.Title
			sees.AsSummary, err = w.AsSummary(ctx, who, name, false, As{Roles: says.Roles, Attributes: says.Attributes})
		}
		if err != nil {
			sees.Trouble = unreadable(err).Words
		}
		out.Sees = append(out.Sees, sees)
	}
	return out, nil
}

// headed is a value of a header, as it is written.
func headed(v any) string {
	if s, ok := v.(string); ok {
		return s
	}
	b, err := json.Marshal(v)
	if err != nil {
		return fmt.Sprint(v)
	}
	return string(b)
}

// A KitChoice is a dashboard that may be put into an application, with its pages and widgets.
type KitChoice struct {
	Name, Title string
	Pages       []string
	Widgets     []KitWidget
}

// A KitWidget is a widget that may be put into an application by itself.
type KitWidget struct {
	ID, Title string
	Figures   bool // key figures, which may stand in sentences
}

// Kit is what may be put into an application: every published dashboard, and of the chosen one its pages and
// widgets.
func (w *Workspace) Kit(ctx context.Context, who *identity.Caller, chosen string) ([]KitChoice, error) {
	if err := rights.Ever(who, rights.Administer); err != nil {
		return nil, err
	}
	kept, err := w.store.Documents(ctx, Dashboard)
	if err != nil {
		return nil, err
	}
	out := []KitChoice{}
	for i := range kept {
		d := &kept[i]
		if d.Published == 0 {
			continue
		}
		c := KitChoice{Name: d.Name, Title: d.Title}
		if doc, err := w.published(ctx, d, d.Published); err == nil && d.Name == chosen {
			for _, p := range doc.Pages {
				c.Pages = append(c.Pages, p.Title)
			}
			for _, x := range doc.Widgets() {
				if x.Chart != nil {
					c.Widgets = append(c.Widgets, w.kitWidget(ctx, who, &x))
				}
			}
		}
		out = append(out, c)
	}
	return out, nil
}

// kitWidget is a chart on a dashboard as the kit offers it; called by its id where nothing else can be said.
func (w *Workspace) kitWidget(ctx context.Context, who *identity.Caller, x *dashboard.Widget) KitWidget {
	out := KitWidget{ID: x.ID, Title: x.ID}
	doc, err := x.Chart.Own, error(nil)
	if x.Chart.Library != "" {
		doc, err = w.reader.Chart(ctx, x.Chart.Library, x.Chart.Version)
	}
	if err != nil {
		return out
	}
	ds, err := w.Dataset(ctx, who, doc.Dataset)
	if err != nil {
		return out
	}
	own := *doc
	own.Sets = w.sets(ctx, who)
	out.Title, out.Figures = sentence.Title(&own, own.On(ds)), doc.Form.Headlines()
	return out
}
