package planner

import (
	"fmt"
	"strings"

	"eskadel/core/dataset"
	"eskadel/core/sql"
)

// Explain says in words how a plan's question is put to the database, and why so. What was
// chosen by how many records there are is told only to those who may see them all.
func (p *Plan) Explain() (out []string) {
	say := func(words string, args ...any) { out = append(out, fmt.Sprintf(words, args...)) }
	var links []string
	for _, d := range p.Dims {
		switch {
		case d.Axis != nil && len(d.Axis.Borders) > 0:
			say("Each %s of %s is found by its borders, %d of them, which were worked out beforehand in the zone %s: the database decides no times.", d.Axis.Grain, d.F.Label, len(d.Axis.Borders), d.Axis.Calendar.Zone)
		case d.F.IsLink():
			links = append(links, d.F.Label)
		}
	}
	if p.Dataset.Restricted() {
		if len(links) > 0 {
			say("The names of %s are looked up for each group.", strings.Join(links, " and of "))
		}
		say("Only the records that you may see are read. Which of several ways they are asked in depends on how many there are altogether, and is not told here.")
		return out
	}
	for _, d := range p.Dims {
		if h, _ := p.Dataset.Head(d.F); d.Early && !p.Rolled {
			say("Records are grouped by their %s first; %s is looked up for each of those, and groups with the same are put together.", strings.ToLower(h.Name()), d.F.Label)
		}
	}
	if len(links) > 0 {
		say("Records are grouped by the key of %s; its name is looked up for each group, not for each record.", strings.Join(links, " and of "))
	}
	for _, a := range p.Atoms {
		if !a.Tallied {
			continue
		}
		f := p.Dataset.Find(a.Field)
		if p.Sifted != nil {
			say("The %s%s is found in two questions: how many values lie in each of %d spans, then the values of those spans alone that the answers lie in. Nothing is sorted.", strings.ToLower(a.Aggregate.Is().Words), of(p.Dataset, a), len(p.Sifted.Borders)+1)
			continue
		}
		say("The %s of %s comes from how often each value occurs, since there are only about %.0f of them: nothing is sorted.", strings.ToLower(a.Aggregate.Is().Words), f.Label, f.Distinct)
	}
	for _, r := range p.Reached {
		say("The records of %s whose %s were found first, %d of them: records are compared with their keys, and not each joined with its own.", strings.ToLower(r.Link.Records()), p.Dataset.Words(r.Where), len(r.Keys))
	}
	cut := ""
	for _, d := range p.Dims {
		if d.Cut() > 0 {
			cut = d.F.Label
		}
	}
	switch {
	case len(p.Dims) == 0:
		say("There is one group, of all records.")
	case p.Rolled && p.Mergeable():
		say("The database ranks and makes each total itself, since there may be more than %d groups.", fineLimit)
	case p.Rolled:
		say("The database makes each total from the records in the same question: a total of %s cannot be had from its parts.", p.whole())
	case cut != "":
		say("One pass gives the finest groups; what is kept of %s, Others and every total are put together from them.", cut)
	default:
		say("One pass gives the finest groups; every total is put together from them.")
	}
	if p.Shared != nil {
		say("All measures have the same condition, so only records that meet it are read.")
	}
	return out
}

// whole names the measures whose totals cannot be had from their parts.
func (p *Plan) whole() string {
	var names []string
	for _, a := range p.Atoms {
		if !a.Aggregate.Is().Mergeable {
			names = append(names, strings.ToLower(a.Aggregate.Is().Words)+of(p.Dataset, a))
		}
	}
	return strings.Join(names, " and ")
}

func of(ds *dataset.Dataset, a sql.Atom) string {
	if f := ds.Find(a.Field); f != nil && a.Expr == nil {
		return " of " + f.Label
	}
	return ""
}
