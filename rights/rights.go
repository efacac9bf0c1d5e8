// Package rights is the one place that says who may do what. The table below is all of it:
// pages, frames, the API and the command line ask it through workspace, and each route of
// web names the line that it needs.
package rights

import (
	"cmp"
	"slices"

	"eskadel/core/dashboard"
	"eskadel/core/problem"
	"eskadel/identity"
)

// What somebody may do: a line of the table.
type What string

const (
	Open       What = "open"       // what anybody may ask: signing in, scripts, descriptions
	See        What = "see"        // a dashboard
	Records    What = "records"    // single records of a dashboard
	Tips       What = "tips"       // what a mark says of itself
	Change     What = "change"     // records, where a table of a dashboard lets them
	TakeAway   What = "take away"  // figures of a dashboard, as a file
	Subscribe  What = "subscribe"  // to what is delivered of a dashboard
	OwnFilters What = "filters"    // narrowing a dashboard by what it offers
	Ask        What = "ask"        // questions of one's own on a dashboard
	Make       What = "make"       // charts and dashboards of one's own
	Use        What = "use"        // a source or a dataset, for making something of it
	Edit       What = "edit"       // somebody's dashboard or chart
	Publish    What = "publish"    // it to those who may see it
	Share      What = "share"      // saying who may see or change it
	Build      What = "build"      // sources, datasets, row rules, files, settings
	Administer What = "administer" // people, host apps with their keys and viewers, the audit log
	Deliver    What = "deliver"    // what is sent by itself, in one's own name
	Self       What = "self"       // what is one's own: password, second factor, sessions, API keys
)

// A Kind of caller: a column of the table.
type Kind int

const (
	Nobody    Kind = iota
	Viewer         // in a frame, by the pass of a host app
	Author         // signs in to Eskadel
	Builder        // signs in, and looks after sources and people
	AuthorKey      // a program, by an author's API key
	BuilderKey
	Visitor // by an open link
)

// Kinds lists the columns with their words.
var Kinds = map[Kind]string{Nobody: "nobody", Viewer: "viewer", Author: "author", Builder: "builder", AuthorKey: "author's program", BuilderKey: "builder's program", Visitor: "visitor"}

// An answer of the table.
type answer int

const (
	no      answer = iota
	yes            // always
	inPass         // a dashboard that the pass is for
	allowed        // a dashboard that the pass is for, whose author allows it to viewers
	kept           // what they keep, or have been let edit
	passed         // what they keep, or have been let share
	shared         // what is not another's own, or another team's, or what they have been let see
	listed         // the same, where they are on the list of whom it is for, or there is none
)

var table = map[What][7]answer{
	//           nobody viewer   author  builder author's builder's program visitor
	Open:       {yes, yes, yes, yes, yes, yes, yes},
	See:        {no, inPass, shared, yes, shared, yes, inPass},
	Records:    {no, allowed, yes, yes, yes, yes, allowed},
	Tips:       {no, allowed, yes, yes, yes, yes, allowed},
	Change:     {no, allowed, yes, yes, no, no, no},
	TakeAway:   {no, allowed, yes, yes, yes, yes, allowed},
	Subscribe:  {no, allowed, shared, yes, no, no, no},
	OwnFilters: {no, allowed, yes, yes, yes, yes, allowed},
	Ask:        {no, allowed, yes, yes, yes, yes, allowed},
	Make:       {no, no, yes, yes, yes, yes, no},
	Deliver:    {no, no, yes, yes, no, no, no},
	Use:        {no, no, listed, yes, listed, yes, no},
	Edit:       {no, no, kept, yes, kept, yes, no},
	Publish:    {no, no, kept, yes, kept, yes, no},
	Share:      {no, no, passed, yes, passed, yes, no},
	Build:      {no, no, no, yes, no, yes, no},
	Administer: {no, no, no, yes, no, yes, no},
	Self:       {no, no, yes, yes, no, no, no},
}

// Lines lists what the table speaks of.
func Lines() (out []What) {
	for w := range table {
		out = append(out, w)
	}
	slices.Sort(out)
	return out
}

// Of is which kind of caller somebody is; nil is nobody.
func Of(c *identity.Caller) Kind {
	switch {
	case c == nil:
		return Nobody
	case c.Link != nil:
		return Visitor
	case !c.Author:
		return Viewer
	case c.Builder && c.Program:
		return BuilderKey
	case c.Builder:
		return Builder
	case c.Program:
		return AuthorKey
	}
	return Author
}

// A Thing is what something is to be done with, as far as the table asks of it.
type Thing struct {
	Dashboard  string     // its name, for viewers
	ViewersMay []string   // what its author allows to viewers
	Kind       string     // for words: "dashboard"
	Name       string     // for words
	Keeper     *int64     // who keeps it; nobody when nil
	KeptBy     string     // their name
	Private    bool       // only they see it
	Team       *int64     // whose it is; everybody's when nil
	Grants     []Grant    // who besides them has been let do something with it
	For        [][]string // lists of e-mail addresses, on each of which one must be, if there is anybody on it
}

// A Level is how much somebody has been let do with a thing: each lets them do what stands before it, too.
type Level int

const (
	Sees Level = iota + 1
	Edits
	Shares
)

// A Grant lets a person, or those in a team, do something.
type Grant struct {
	Person, Team int64 // one of the two
	May          Level
}

// Granted is how much somebody has been let do; 0 for nothing.
func (t Thing) Granted(c *identity.Caller) (most Level) {
	for _, g := range t.Grants {
		if g.Person != 0 && g.Person == c.PersonID || g.Team != 0 && slices.Contains(c.Teams, g.Team) {
			most = max(most, g.May)
		}
	}
	return most
}

// Holds is the most that somebody may let others do with a thing.
func (t Thing) Holds(c *identity.Caller) Level {
	if t.keptBy(c) || c.Builder {
		return Shares
	}
	return t.Granted(c)
}

func (t Thing) keptBy(c *identity.Caller) bool { return t.Keeper != nil && *t.Keeper == c.PersonID }

// Shown tells whether somebody sees a thing because it is theirs or everybody's, or was given to them: not
// for looking after everything alone.
func (t Thing) Shown(c *identity.Caller) bool {
	return t.keptBy(c) || !t.Private && (t.Team == nil || slices.Contains(c.Teams, *t.Team)) || t.Granted(c) >= Sees
}

// looked is what may be asked as somebody else: reading, and no more.
var looked = []What{Open, See, Records, Tips, TakeAway, OwnFilters, Ask}

// printed is what the browser that prints may ask.
var printed = []What{Open, See, Records, Tips, OwnFilters}

// sent is what may be asked for putting it into a letter.
var sent = []What{Open, See, Records, Tips, TakeAway, Subscribe, OwnFilters}

// Ever tells in words why somebody may not do a kind of thing at all; nil where they may, or
// where it depends on with what.
func Ever(c *identity.Caller, what What) error {
	if c != nil && c.Looking != nil && !slices.Contains(looked, what) {
		return problem.New(problem.Forbidden, "", "Nothing is done while you look as somebody else.")
	}
	if c != nil && c.Printing && !slices.Contains(printed, what) {
		return problem.New(problem.Forbidden, "", "Nothing is done while a page is printed.")
	}
	if c != nil && c.Sending && !slices.Contains(sent, what) {
		return problem.New(problem.Forbidden, "", "Nothing is done while a letter is written.")
	}
	if of := Of(c); of != Nobody && table[what][of] == no {
		return refused(c, what, Thing{})
	}
	if Of(c) == Nobody && table[what][Nobody] != yes {
		return problem.New(problem.SignedOut, "", "You are no longer signed in. Sign in again in another tab; nothing here is lost.")
	}
	return nil
}

// May tells in words why somebody may not do something with a thing; nil where they may.
func May(c *identity.Caller, what What, with Thing) error {
	if err := Ever(c, what); err != nil {
		return err
	}
	ok := true
	switch table[what][Of(c)] {
	case inPass:
		ok = slices.Contains(c.Dashboards, with.Dashboard)
	case allowed:
		if !slices.Contains(c.Dashboards, with.Dashboard) {
			return refused(c, See, with)
		}
		ok = slices.Contains(with.ViewersMay, map[What]string{Tips: dashboard.MaySeeTips, OwnFilters: dashboard.MayNarrow, Records: dashboard.MaySeeRecords, TakeAway: dashboard.MayDownload, Ask: dashboard.MayAsk, Change: dashboard.MayChange, Subscribe: dashboard.MaySubscribe}[what])
	case kept:
		ok = with.keptBy(c) || with.Granted(c) >= Edits
	case passed:
		ok = with.keptBy(c) || with.Granted(c) >= Shares
	case shared:
		ok = with.Shown(c)
	case listed:
		ok = with.Shown(c) && !slices.ContainsFunc(with.For, func(list []string) bool { return len(list) > 0 && !slices.Contains(list, c.Email) })
	}
	if !ok {
		return refused(c, what, with)
	}
	return nil
}

func refused(c *identity.Caller, what What, with Thing) error {
	no := func(format string, args ...any) error { return problem.New(problem.Forbidden, "", format, args...) }
	switch what {
	case Tips:
		return no("The author of this dashboard does not have its marks say more.")
	case OwnFilters:
		return no("The author of this dashboard does not let its readers set filters.")
	case See:
		if c.Author { // who does not learn that it is there
			kind := cmp.Or(with.Kind, "dashboard")
			return problem.New(problem.NotFound, kind, "There is no %s “%s”.", kind, cmp.Or(with.Name, with.Dashboard))
		}
		if c.Link != nil {
			return no("This link is not for this dashboard.")
		}
		return no("Your viewer pass is not for this dashboard.")
	case Records:
		return no("The author of this dashboard does not show single records.")
	case Change:
		if c.Program {
			return no("Records are changed by people, not by programs.")
		}
		if c.Link != nil {
			return no("Records are changed by people who are known, not by whoever has a link.")
		}
		return no("The author of this dashboard does not let its readers change records.")
	case Ask:
		return no("The author of this dashboard does not let questions be asked of it.")
	case TakeAway:
		return no("The author of this dashboard does not let its figures be taken away.")
	case Subscribe:
		switch {
		case c.Program:
			return no("People sign up for deliveries, not programs.")
		case c.Link != nil:
			return no("Who is known signs up for deliveries, not whoever has a link.")
		case c.Author:
			return refused(c, See, with)
		}
		return no("The author of this dashboard does not let its readers sign up for deliveries.")
	case Use:
		if !c.Author {
			break
		}
		// Whoever may not use it does not learn that it is there.
		return problem.New(problem.NotFound, "dataset", "There is no dataset “%s”.", with.Name)
	case Edit, Publish, Share:
		if !c.Author {
			return no("This is for the authors of dashboards.")
		}
		if with.KeptBy == "" {
			return no("This %s is kept by nobody: only builders change it.", with.Kind)
		}
		if what == Share {
			return no("This %s is kept by %s: only they, those whom they let share it, and builders say who sees it.", with.Kind, with.KeptBy)
		}
		return no("This %s is kept by %s: only they, those whom they let edit it, and builders change it.", with.Kind, with.KeptBy)
	case Build:
		if c.Author {
			return no("This is for builders: they look after sources and datasets.")
		}
	case Administer:
		if c.Author {
			return no("This is for builders: they look after people and host apps.")
		}
	case Deliver:
		if c.Program {
			return no("Deliveries are made by people, in whose name they are sent.")
		}
	case Self:
		if c.Program {
			return no("Programs change nothing of the person they act as: sign in for that.")
		}
	}
	return no("This is for the authors of dashboards.")
}
