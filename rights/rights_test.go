package rights_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"eskadel/core/problem"
	"eskadel/identity"
	"eskadel/rights"
	"eskadel/store"
)

func kind(k rights.Kind) *identity.Caller {
	c := &identity.Caller{PersonID: 7, Teams: []int64{3}, Email: "edda@example.org", Dashboards: []string{"open"}}
	switch k {
	case rights.Nobody:
		return nil
	case rights.Viewer:
		c.PersonID, c.Email, c.HostApp = 0, "", "desk"
	case rights.Visitor:
		c.PersonID, c.Email, c.Link = 0, "", &store.OpenLink{}
	default:
		c.Author, c.Dashboards = true, nil
		c.Builder = k == rights.Builder || k == rights.BuilderKey
		c.Program = k == rights.AuthorKey || k == rights.BuilderKey
	}
	return c
}

func TestKindsAreTold(t *testing.T) {
	for k := range rights.Kinds {
		assert.Equal(t, k, rights.Of(kind(k)))
	}
}

// What depends on the thing: whose it is, whom it is for, what its author allows.
func TestWhatDependsOnTheThing(t *testing.T) {
	edda, mara, theirs, others := int64(7), int64(8), int64(3), int64(4)
	for name, c := range map[string]struct {
		who  rights.Kind
		what rights.What
		with rights.Thing
		code string // "" for allowed
	}{
		"a dashboard of the pass":         {rights.Viewer, rights.See, rights.Thing{Dashboard: "open"}, ""},
		"another":                         {rights.Viewer, rights.See, rights.Thing{Dashboard: "money"}, problem.Forbidden},
		"records, allowed":                {rights.Viewer, rights.Records, rights.Thing{Dashboard: "open", ViewersMay: []string{"records"}}, ""},
		"records, not allowed":            {rights.Viewer, rights.Records, rights.Thing{Dashboard: "open", ViewersMay: []string{"download"}}, problem.Forbidden},
		"records of another":              {rights.Viewer, rights.Records, rights.Thing{Dashboard: "money", ViewersMay: []string{"records"}}, problem.Forbidden},
		"figures, allowed":                {rights.Viewer, rights.TakeAway, rights.Thing{Dashboard: "open", ViewersMay: []string{"download"}}, ""},
		"figures, not allowed":            {rights.Viewer, rights.TakeAway, rights.Thing{Dashboard: "open", ViewersMay: []string{"records"}}, problem.Forbidden},
		"figures, an author":              {rights.Author, rights.TakeAway, rights.Thing{Dashboard: "open"}, ""},
		"one's own":                       {rights.Author, rights.Edit, rights.Thing{Keeper: &edda}, ""},
		"one's own, by program":           {rights.AuthorKey, rights.Publish, rights.Thing{Keeper: &edda}, ""},
		"somebody else's":                 {rights.Author, rights.Edit, rights.Thing{Keeper: &mara, KeptBy: "Mara"}, problem.Forbidden},
		"nobody's":                        {rights.Author, rights.Edit, rights.Thing{}, problem.Forbidden},
		"somebody else's, a builder":      {rights.Builder, rights.Share, rights.Thing{Keeper: &mara}, ""},
		"a dataset for everybody":         {rights.Author, rights.Use, rights.Thing{For: [][]string{nil, {}}}, ""},
		"a dataset for them":              {rights.Author, rights.Use, rights.Thing{For: [][]string{nil, {"x@example.org", "edda@example.org"}}}, ""},
		"of a source that is not":         {rights.Author, rights.Use, rights.Thing{For: [][]string{{"edda@example.org"}, {"x@example.org"}}}, problem.NotFound},
		"a dataset for others, a builder": {rights.Builder, rights.Use, rights.Thing{For: [][]string{{"x@example.org"}}}, ""},
		"another's own":                   {rights.Author, rights.See, rights.Thing{Keeper: &mara, Private: true}, problem.NotFound},
		"one's own, kept to oneself":      {rights.Author, rights.See, rights.Thing{Keeper: &edda, Private: true}, ""},
		"a team's, in it":                 {rights.AuthorKey, rights.See, rights.Thing{Keeper: &mara, Team: &theirs}, ""},
		"a team's, not in it":             {rights.Author, rights.See, rights.Thing{Keeper: &mara, Team: &others}, problem.NotFound},
		"a team's, a builder":             {rights.Builder, rights.See, rights.Thing{Keeper: &mara, Team: &others}, ""},
		"a team's dataset, not in it":     {rights.Author, rights.Use, rights.Thing{Team: &others}, problem.NotFound},
		"a team's dataset, in it":         {rights.Author, rights.Use, rights.Thing{Team: &theirs, For: [][]string{{"x@example.org"}}}, problem.NotFound},
		"given to see":                    {rights.Author, rights.See, rights.Thing{Keeper: &mara, Private: true, Grants: []rights.Grant{{Person: 7, May: rights.Sees}}}, ""},
		"given to another":                {rights.Author, rights.See, rights.Thing{Keeper: &mara, Private: true, Grants: []rights.Grant{{Person: 8, May: rights.Shares}}}, problem.NotFound},
		"given to see, not to edit":       {rights.Author, rights.Edit, rights.Thing{Keeper: &mara, Grants: []rights.Grant{{Person: 7, May: rights.Sees}}}, problem.Forbidden},
		"given to edit, by a program":     {rights.AuthorKey, rights.Publish, rights.Thing{Keeper: &mara, Grants: []rights.Grant{{Team: 3, May: rights.Edits}}}, ""},
		"given to edit, not to share":     {rights.Author, rights.Share, rights.Thing{Keeper: &mara, Grants: []rights.Grant{{Team: 3, May: rights.Edits}}}, problem.Forbidden},
		"given to share, to a team":       {rights.Author, rights.Share, rights.Thing{Keeper: &mara, Grants: []rights.Grant{{Team: 3, May: rights.Shares}}}, ""},
		"given to a team, not in it":      {rights.Author, rights.See, rights.Thing{Keeper: &mara, Private: true, Grants: []rights.Grant{{Team: 4, May: rights.Shares}}}, problem.NotFound},
		"a visitor, of what it shows":     {rights.Visitor, rights.See, rights.Thing{Dashboard: "open"}, ""},
		"a visitor, of another":           {rights.Visitor, rights.See, rights.Thing{Dashboard: "another"}, problem.Forbidden},
		"a visitor never changes":         {rights.Visitor, rights.Change, rights.Thing{Dashboard: "open", ViewersMay: []string{"change"}}, problem.Forbidden},
		"a visitor, as its author allows": {rights.Visitor, rights.Records, rights.Thing{Dashboard: "open", ViewersMay: []string{"records"}}, ""},
		"nobody":                          {rights.Nobody, rights.See, rights.Thing{Dashboard: "open"}, problem.SignedOut},
		"a key by a key":                  {rights.BuilderKey, rights.Self, rights.Thing{}, problem.Forbidden},
	} {
		err := rights.May(kind(c.who), c.what, c.with)
		code := ""
		if p := problem.Of(err); p != nil {
			code = p.Code
		}
		assert.Equal(t, c.code, code, "%s: %v", name, err)
	}
}
