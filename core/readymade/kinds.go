package readymade

import (
	"eskadel/core/field"
	"eskadel/core/formula"
)

// Parts that several kinds have.
func when(says string, hints ...string) part {
	return part{name: "when", says: says, needed: true, fits: isDate, hints: hints, usual: true, only: true}
}

func state(needed bool, hints ...string) part {
	return part{name: "state", says: "How far a RECORD has come stands in", needed: needed, fits: isList, hints: hints}
}

var open = part{name: "open", says: "A RECORD still goes on while that is", values: true}

func end(says string, hints ...string) part {
	return part{name: "ended", says: says, fits: isDate, hints: hints}
}

func due(says string, hints ...string) part {
	return part{name: "due", says: says, fits: isDate, hints: hints}
}

func group(name, says string, hints ...string) part {
	return part{name: name, says: says, fits: groups, hints: hints}
}

func number(name, says string, needed bool, hints ...string) part {
	return part{name: name, says: says, needed: needed, fits: isNumber, hints: hints}
}

var places = []string{"yard", "site", "branch", "location", "office", "region", "warehouse", "store", "shop", "depot", "country", "area", "department"}

var pipeline = &Kind{
	Name: "pipeline", Title: "Pipeline", Answers: "What is under way, how far it comes, what it is worth",
	parts: []part{
		when("A RECORD began on its", "opened", "created", "received", "began", "started", "asked", "date"),
		state(true, "stage", "phase", "status", "state", "step"), open,
		number("value", "What a RECORD is worth is its", false, "value", "amount", "worth", "quoted", "price", "budget", "revenue", "pledge", "pledged", "total"),
		due("It is expected on its", "expected", "planned", "target", "close", "start", "due", "forecast"),
		group("who", "Who looks after it is its", "owner", "estimator", "salesperson", "seller", "agent", "handler", "manager", "responsible", "assignee", "officer"),
		group("source", "How it came is its", "came", "channel", "source", "origin", "campaign", "referral", "lead"),
		group("place", "Where it belongs is its", places...),
	},
	widgets: []widget{
		{id: "head", title: "How it stands", open: true, make: func(c *cook) object {
			m := []object{where(count("under way"), c.open()), count("in all")}
			if c.has("value") {
				m = append(m, where(object{"sum": c.f("value"), "label": "worth, under way"}, c.open()))
			}
			return object{"form": "key figures", "measures": m}
		}},
		{id: "stages", title: "How far RECORDS come", needs: []string{"state"}, make: func(c *cook) object {
			form := "bars"
			if x := c.ds.Find(c.f("state")); len(x.List) > 1 {
				form = "funnel"
			}
			return object{"form": form, "by": []object{{"field": c.f("state")}}}
		}},
		{id: "worth", title: "{value} under way, by {state}", needs: []string{"value", "state"}, open: true, make: func(c *cook) object {
			return where(object{"form": "columns", "measures": []object{{"sum": c.f("value")}}, "by": []object{{"field": c.f("state")}}}, c.open())
		}},
		{id: "who", title: "RECORDS under way, by {who}", needs: []string{"who"}, open: true, make: func(c *cook) object {
			return where(object{"form": object{"bars": "stacked"}, "by": []object{c.by("who")}, "split": c.split("state")}, c.open())
		}},
		{id: "source", title: "How RECORDS came", needs: []string{"source"}, make: func(c *cook) object {
			return object{"form": "bars", "by": []object{c.by("source")}}
		}},
		{id: "new", title: "New RECORDS per month", needs: []string{"when"}, make: func(c *cook) object {
			return object{"form": "columns", "by": []object{c.along("when", "month")}}
		}},
		{id: "expected", title: "Expected, per month", needs: []string{"due"}, open: true, make: func(c *cook) object {
			c.anytime()
			return where(object{"form": "columns", "by": []object{c.along("due", "month")}}, c.open())
		}},
		{id: "list", title: "RECORDS under way", open: true, make: func(c *cook) object {
			o := where(object{"form": "records", "show": c.show("state", "value", "who", "place", "when", "due"), "most": 200}, c.open())
			if c.has("value") {
				o["order"] = object{"field": c.f("value"), "descending": true}
			}
			return o
		}},
	},
}

var money = &Kind{
	Name: "money", Title: "Money", Answers: "What came in, from what and from whom, and what is still owed",
	parts: []part{
		when("A RECORD counts on its", "issued", "invoiced", "billed", "booked", "given", "received", "posted", "date", "created"),
		number("amount", "How much it is stands in", true, "net", "amount", "total", "gift", "donation", "revenue", "value", "price", "sum", "gross"),
		number("cost", "What it cost stands in", false, "cost", "expense", "fee", "expenditure"),
		due("It is to be paid by its", "due", "payable", "deadline"),
		end("It was paid on its", "paid", "settled", "cleared", "collected"),
		group("line", "What it is for is its", "line", "product", "service", "fund", "campaign", "category", "appeal", "kind", "type", "account", "purpose"),
		group("who", "Who it is from is its", "customer", "client", "donor", "payer", "supporter", "member", "company", "account", "buyer", "supplier"),
		group("place", "Where it belongs is its", places...),
	},
	widgets: []widget{
		{id: "head", title: "What came in", make: func(c *cook) object {
			m := []object{{"sum": c.f("amount"), "label": "in all", "format": "compact"}, count(c.ds.Record[1])}
			if c.has("cost") {
				m = append(m, object{"formula": "sum(" + formula.PrintName(c.f("amount")) + ") - sum(" + formula.PrintName(c.f("cost")) + ")", "label": "after cost", "format": "compact"})
			}
			return object{"form": "key figures", "measures": m, "compare": "year before"}
		}},
		{id: "months", title: "{amount} per month, and the year before", make: func(c *cook) object {
			return object{"form": "columns", "measures": []object{{"sum": c.f("amount")}}, "by": []object{c.along("when", "month")}, "compare": "year before"}
		}},
		{id: "lines", title: "{amount} by {line}", needs: []string{"line"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"sum": c.f("amount")}}, "by": []object{c.by("line")}}
		}},
		{id: "places", title: "{amount} by {place}", needs: []string{"place"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"sum": c.f("amount")}}, "by": []object{c.by("place")}}
		}},
		{id: "who", title: "Most, by {who}", needs: []string{"who"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"sum": c.f("amount")}}, "by": []object{{"field": c.f("who"), "largest": 10}}}
		}},
		{id: "overdue", title: "Overdue, by {who}", needs: []string{"due", "ended", "who"}, make: func(c *cook) object {
			late, _ := c.late()
			c.anytime()
			return where(object{"form": "bars", "measures": []object{{"sum": c.f("amount")}}, "by": []object{{"field": c.f("who"), "largest": 10}}}, late)
		}},
		{id: "owed", title: "RECORDS not paid yet", needs: []string{"ended"}, make: func(c *cook) object {
			o := where(object{"form": "records", "show": c.show("who", "line", "amount", "when", "due"), "most": 200}, c.open())
			if c.has("due") {
				o["order"] = object{"field": c.f("due")}
			}
			return o
		}},
		{id: "list", title: "The largest RECORDS", make: func(c *cook) object {
			return object{"form": "records", "show": c.show("who", "line", "place", "amount", "when"), "order": object{"field": c.f("amount"), "descending": true}, "most": 200}
		}},
	},
}

var work = &Kind{
	Name: "work", Title: "Work", Answers: "What is to be done, what is late, who does it",
	parts: []part{
		when("A RECORD came in on its", "opened", "created", "received", "ordered", "reported", "requested", "date"),
		due("It is to be done by its", "promised", "due", "deadline", "target", "planned"),
		end("It was done on its", "handed", "finished", "completed", "done", "closed", "ended", "solved", "resolved", "delivered"),
		state(false, "status", "state", "stage", "progress"), open,
		group("kind", "What it is about is its", "kind", "type", "category", "topic", "service", "product"),
		group("who", "Who does it is its", "crew", "team", "assignee", "assigned", "technician", "worker", "owner", "agent", "responsible"),
		group("place", "Where it is done is its", places...),
		number("effort", "What it takes stands in", false, "hours", "effort", "cost", "minutes", "days", "labour"),
	},
	widgets: []widget{
		{id: "head", title: "RECORDS now", open: true, make: func(c *cook) object {
			m := []object{where(count("to be done"), c.open())}
			if late, ok := c.late(); ok {
				m = append(m, where(count("late"), late))
			}
			return object{"form": "key figures", "measures": append(m, count("came in"))}
		}},
		{id: "came", title: "RECORDS that came in, by {kind}", needs: []string{"kind"}, make: func(c *cook) object {
			return object{"form": object{"columns": "stacked"}, "by": []object{c.along("when", "week")}, "split": c.split("kind")}
		}},
		{id: "states", title: "To be done, by {state}", needs: []string{"state"}, open: true, make: func(c *cook) object {
			return where(object{"form": "bars", "by": []object{c.by("state")}}, c.open())
		}},
		{id: "who", title: "To be done, by {who}", needs: []string{"who"}, open: true, make: func(c *cook) object {
			return where(object{"form": "bars", "by": []object{c.by("who")}}, c.open())
		}},
		{id: "places", title: "To be done, by {place}", needs: []string{"place"}, open: true, make: func(c *cook) object {
			return where(object{"form": "bars", "by": []object{c.by("place")}}, c.open())
		}},
		{id: "effort", title: "{effort} by {kind}", needs: []string{"effort", "kind"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"sum": c.f("effort")}}, "by": []object{c.by("kind")}}
		}},
		{id: "late", title: "Late, by {who}", needs: []string{"due", "who"}, open: true, make: func(c *cook) object {
			late, _ := c.late()
			c.anytime()
			return where(object{"form": "bars", "by": []object{c.by("who")}}, late)
		}},
		{id: "list", title: "RECORDS to be done", open: true, make: func(c *cook) object {
			o := where(object{"form": "records", "show": c.show("kind", "state", "who", "place", "when", "due"), "most": 200}, c.open())
			o["order"] = object{"field": first(c, "due", "when")}
			return o
		}},
	},
}

// first is the field of the first part that has one.
func first(c *cook, parts ...string) string {
	for _, p := range parts {
		if c.has(p) {
			return c.f(p)
		}
	}
	return ""
}

var risk = &Kind{
	Name: "risk", Title: "Risk", Answers: "What may go wrong, how grave it is, who looks after it",
	parts: []part{
		{name: "likelihood", says: "How likely a RECORD is stands in", needed: true, fits: isScale, hints: []string{"likelihood", "probability", "chance", "frequency"}},
		{name: "severity", says: "How grave it would be stands in", needed: true, fits: isScale, hints: []string{"severity", "impact", "consequence", "damage", "gravity"}},
		state(false, "status", "state", "stage"), open,
		{name: "when", says: "It was noted on its", fits: isDate, hints: []string{"noted", "raised", "identified", "reported", "opened", "created", "found", "date"}, usual: true},
		due("It is to be looked at again by its", "review", "due", "deadline", "next", "target"),
		end("It was closed on its", "closed", "ended", "mitigated", "resolved"),
		group("who", "Who looks after it is its", "owner", "responsible", "manager", "assignee", "handler", "agent", "person"),
		group("area", "What it is about is its", "area", "category", "kind", "type", "topic", "process"),
		group("place", "Where it is is its", places...),
	},
	widgets: []widget{
		{id: "head", title: "RECORDS now", make: func(c *cook) object {
			m := []object{where(count("open"), c.open())}
			if late, ok := c.late(); ok {
				m = append(m, where(count("reviews overdue"), late))
			}
			return object{"form": "key figures", "measures": append(m, count("noted in all"))}
		}},
		{id: "grid", title: "How likely, how grave", needs: []string{"likelihood", "severity"}, make: func(c *cook) object {
			return where(object{"form": "risk grid", "by": []object{{"field": c.f("likelihood")}}, "split": object{"field": c.f("severity")}}, c.open())
		}},
		{id: "areas", title: "RECORDS by {area}", needs: []string{"area"}, make: func(c *cook) object {
			return where(object{"form": "bars", "by": []object{c.by("area")}}, c.open())
		}},
		{id: "who", title: "RECORDS by {who}", needs: []string{"who"}, make: func(c *cook) object {
			return where(object{"form": "bars", "by": []object{c.by("who")}}, c.open())
		}},
		{id: "places", title: "RECORDS by {place}", needs: []string{"place"}, make: func(c *cook) object {
			return where(object{"form": "bars", "by": []object{c.by("place")}}, c.open())
		}},
		{id: "reviews", title: "When they are to be looked at again", needs: []string{"due"}, make: func(c *cook) object {
			c.anytime()
			shown := c.show("area", "who")
			return where(object{"form": "calendar", "show": shown, "finish": object{"from": c.f("due"), "heading": shown[0]}}, c.open())
		}},
		{id: "list", title: "RECORDS, gravest first", make: func(c *cook) object {
			return where(object{"form": "records", "show": c.show("severity", "likelihood", "area", "place", "who", "state", "due"), "order": object{"field": c.f("severity"), "descending": true}, "most": 200}, c.open())
		}},
	},
}

var service = &Kind{
	Name: "service", Title: "Service", Answers: "What people ask for, how soon it is answered, how content they are",
	parts: []part{
		when("A RECORD came in on its", "opened", "created", "received", "reported", "raised", "submitted", "date"),
		{name: "answered", says: "It was first answered on its", fits: isDate, hints: []string{"answered", "responded", "response", "reply", "replied", "started"}},
		end("It was solved on its", "solved", "resolved", "closed", "completed", "finished", "handed", "done"),
		due("It is to be solved by its", "due", "promised", "deadline", "target"),
		state(false, "status", "state", "stage", "phase"), open,
		group("urgency", "How urgent it is is its", "priority", "urgency", "severity"),
		group("kind", "What it is about is its", "topic", "category", "kind", "type", "subject", "product", "service"),
		group("channel", "How it came is its", "channel", "source", "came", "origin", "medium"),
		group("who", "Who answers it is its", "agent", "assignee", "team", "crew", "owner", "handler", "technician"),
		number("content", "How content people were stands in", false, "satisfaction", "rating", "score", "stars", "csat"),
	},
	widgets: []widget{
		{id: "head", title: "RECORDS now", open: true, make: func(c *cook) object {
			m := []object{where(count("not solved yet"), c.open()), count("came in")}
			if late, ok := c.late(); ok {
				m = append(m, where(count("late"), late))
			}
			if c.has("answered") {
				m = append(m, object{"average": c.field("Wait for an answer", wait(c, "when", "answered")), "label": "wait for an answer, " + unit(c, "answered"), "format": "0.0"})
			}
			if c.has("content") {
				m = append(m, object{"average": c.f("content"), "label": "content", "format": "0.0"})
			}
			return object{"form": "key figures", "measures": m}
		}},
		{id: "came", title: "RECORDS that came in, by {urgency}", needs: []string{"urgency"}, make: func(c *cook) object {
			return object{"form": object{"columns": "stacked"}, "by": []object{c.along("when", "week")}, "split": c.split("urgency")}
		}},
		{id: "hours", title: "When RECORDS come in", make: func(c *cook) object {
			if c.ds.Find(c.f("when")).Type == field.Timestamp {
				return object{"form": "heat map", "by": []object{{"field": c.f("when"), "part": "hour of day"}}, "split": object{"field": c.f("when"), "part": "weekday"}}
			}
			return object{"form": "columns", "by": []object{{"field": c.f("when"), "part": "weekday"}}}
		}},
		{id: "kinds", title: "RECORDS by {kind}", needs: []string{"kind"}, make: func(c *cook) object {
			return object{"form": "bars", "by": []object{c.by("kind")}}
		}},
		{id: "channels", title: "How RECORDS came", needs: []string{"channel"}, make: func(c *cook) object {
			return object{"form": "bars", "by": []object{c.by("channel")}}
		}},
		{id: "waits", title: "Wait for an answer, by {who}", needs: []string{"answered", "who"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"average": c.field("Wait for an answer", wait(c, "when", "answered")), "label": unit(c, "answered"), "format": "0.0"}}, "by": []object{c.by("who")}}
		}},
		{id: "solved", title: "Time until solved, by {kind}", needs: []string{"ended", "kind"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"median": c.field("Time until solved", wait(c, "when", "ended")), "label": "median, " + unit(c, "ended"), "format": "0.0"}}, "by": []object{c.by("kind")}}
		}},
		{id: "who", title: "Not solved yet, by {who}", needs: []string{"who"}, open: true, make: func(c *cook) object {
			return where(object{"form": "bars", "by": []object{c.by("who")}}, c.open())
		}},
		{id: "content", title: "How content people were, per month", needs: []string{"content"}, make: func(c *cook) object {
			return object{"form": "line", "measures": []object{{"average": c.f("content"), "format": "0.0"}}, "by": []object{c.along("when", "month")}}
		}},
		{id: "list", title: "RECORDS not solved yet", open: true, make: func(c *cook) object {
			return where(object{"form": "records", "show": c.show("kind", "urgency", "state", "who", "when", "due"), "order": object{"field": first(c, "due", "when")}, "most": 200}, c.open())
		}},
	},
}

// wait is the formula of the time between two dates, in unit.
func wait(c *cook, from, to string) string {
	if both(c, from, to, field.Timestamp) {
		return "extract(epoch from " + formula.PrintName(c.f(to)) + " - " + formula.PrintName(c.f(from)) + ") / 3600"
	}
	return days(c, to) + " - " + days(c, from)
}

// unit is that of a wait from when it came in.
func unit(c *cook, to string) string {
	if both(c, "when", to, field.Timestamp) {
		return "in hours"
	}
	return "in days"
}

func both(c *cook, a, b string, t field.Type) bool {
	return c.ds.Find(c.f(a)).Type == t && c.ds.Find(c.f(b)).Type == t
}

// days is a date in a formula without its time.
func days(c *cook, part string) string {
	if c.ds.Find(c.f(part)).Type == field.Timestamp {
		return "cast(" + formula.PrintName(c.f(part)) + " as date)"
	}
	return formula.PrintName(c.f(part))
}

var stock = &Kind{
	Name: "stock", Title: "Stock", Answers: "What is there, what it is worth, what runs short and who delivers it",
	parts: []part{
		number("quantity", "How much there is of a RECORD stands in", true, "stock", "quantity", "hand", "available", "level", "count", "units", "qty"),
		number("minimum", "There should be at least its", false, "minimum", "reorder", "min", "threshold", "safety", "least"),
		number("cost", "What one of it costs stands in", false, "cost", "price", "unit", "value"),
		group("supplier", "Who delivers it is its", "supplier", "vendor", "manufacturer", "maker", "brand"),
		group("kind", "What it is is its", "category", "kind", "type", "group", "family", "class"),
		group("place", "Where it lies is its", append([]string{"shelf", "bin", "store"}, places...)...),
		{name: "when", says: "It last moved on its", fits: isDate, hints: []string{"moved", "counted", "received", "updated", "delivered", "changed", "checked"}, usual: true},
	},
	widgets: []widget{
		{id: "head", title: "What is there", make: func(c *cook) object {
			m := []object{count(c.ds.Record[1]), {"sum": c.f("quantity"), "label": "there in all"}}
			if c.has("cost") {
				m = append(m, object{"sum": c.field("Worth", worth(c)), "label": "worth", "format": "compact"})
			}
			if c.has("minimum") {
				m = append(m, where(count("run short"), c.short()))
			}
			return object{"form": "key figures", "measures": m}
		}},
		{id: "worth", title: "Worth by {kind}", needs: []string{"cost", "kind"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"sum": c.field("Worth", worth(c)), "label": "worth"}}, "by": []object{c.by("kind")}}
		}},
		{id: "kinds", title: "{quantity} by {kind}", needs: []string{"kind"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"sum": c.f("quantity")}}, "by": []object{c.by("kind")}}
		}},
		{id: "places", title: "{quantity} by {place}", needs: []string{"place"}, make: func(c *cook) object {
			return object{"form": "bars", "measures": []object{{"sum": c.f("quantity")}}, "by": []object{c.by("place")}}
		}},
		{id: "suppliers", title: "RECORDS that run short, by {supplier}", needs: []string{"supplier", "minimum"}, make: func(c *cook) object {
			return where(object{"form": "bars", "by": []object{c.by("supplier")}}, c.short())
		}},
		{id: "idle", title: "When RECORDS last moved", needs: []string{"when"}, make: func(c *cook) object {
			return object{"form": "columns", "by": []object{c.along("when", "month")}}
		}},
		{id: "short", title: "RECORDS that run short", needs: []string{"minimum"}, make: func(c *cook) object {
			return where(object{"form": "records", "show": c.show("quantity", "minimum", "supplier", "kind", "place"), "order": object{"field": c.f("quantity")}, "most": 200}, c.short())
		}},
		{id: "list", title: "All RECORDS", make: func(c *cook) object {
			return object{"form": "records", "show": c.show("kind", "quantity", "minimum", "cost", "supplier", "place", "when"), "order": object{"field": c.f("quantity"), "descending": true}, "most": 200}
		}},
	},
}

func worth(c *cook) string {
	return formula.PrintName(c.f("quantity")) + " * " + formula.PrintName(c.f("cost"))
}
