package sentence

import (
	"slices"
	"strconv"
	"strings"

	"eskadel/core/aggregate"
	"eskadel/core/chart"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
)

// A saying is how something is said, and other ways that are read as the same. {n} stands
// for a whole number, {nth} for one that counts, such as 90th.
type saying []string

// structure is the words that the language has itself.
var structure = map[string]bool{}

func ways(patterns ...string) saying {
	for _, p := range patterns {
		for _, word := range strings.Fields(p) {
			structure[compared(strings.Trim(word, ",%"))] = true
		}
	}
	return patterns
}

// inside tells whether a word stands within a saying that comes before a field.
func inside(word string) bool {
	for _, s := range []saying{saysBy, saysPer, saysAndBy, saysSplit, saysOrder, saysOf, saysWith, saysOnDate, saysByIts, saysDifferent, saysNumberWith, saysWhere, saysThose} {
		for _, p := range s {
			if slices.Contains(strings.Fields(p)[1:], word) {
				return true
			}
		}
	}
	for _, a := range aggregations {
		for _, p := range a.says {
			if slices.Contains(strings.Fields(p)[1:], word) {
				return true
			}
		}
	}
	return word == compared("the")
}

// say says it, in the first way.
func (s saying) say(slots ...string) string {
	out := s[0]
	for _, slot := range slots {
		from, to := strings.IndexByte(out, '{'), strings.IndexByte(out, '}')
		out = out[:from] + slot + out[to+1:]
	}
	return out
}

// The phrases of the language that have no thing of their own. Whatever prints or reads a
// sentence, and whatever offers a part of it, has its words from here.
var (
	saysAnd      = ways("and", "plus")
	saysOr       = ways("or")
	saysOf       = ways("of", "from", "in", "on", "for")
	saysThe      = ways("The", "A list of", "list", "list of", "which")
	saysAside    = ways("in the tips", "only in the tips")
	saysThose    = ways("of those where")
	saysPer      = ways("per", "by", "each", "every", "for each", "for every", "a", "an")
	saysBy       = ways("by", "per", "for each", "for every", "each", "grouped by", "divided by", "by each")
	saysAndBy    = ways("and by", "then by")
	saysSplit    = ways("split by", "coloured by", "divided further by", "stacked by")
	saysFitting  = ways("per fitting step", "over time", "along time", "by date", "by time")
	saysWhere    = ways("only where", "where", "only those where", "whose")
	saysOnly     = ways("only", "for", "with", "at")
	saysWithout  = ways("without", "not", "except", "except for", "excluding", "leaving out", "other than", "apart from")
	saysInstead  = ways("instead of what the dashboard says of")
	saysCompared = ways("compared with", "compared to", "versus", "vs", "against", "next to")
	saysWhole    = ways("the whole of", "all of")
	saysTime     = ways("the time")
	saysOnDate   = ways("on", "by")
	saysOrder    = ways("in order of", "sorted by", "ordered by", "ranked by", "in the order of")
	saysLast     = ways("last first", "newest first", "latest first", "descending", "backwards")
	saysHand     = ways("your own,", "my own,", "these,")
	saysFigure   = ways("measure {n}")
	saysAs       = ways("as", "drawn as", "shown as")
	saysAsA      = ways("as a", "as")
	saysLine     = ways("with a line at", "and a line at", "a line at")
	saysTrend    = ways("its trend", "a trend", "the trend", "trend line")
	saysForecast = ways("a straight-line forecast of {n} steps", "a forecast of {n} steps", "forecast {n} steps")
	saysWith     = ways("with")
	saysTarget   = ways("against a target of", "with a target of", "target")
	saysTargets  = ways("against targets per")
	saysPlan     = ways("against the plan")
	saysCalled   = ways("called")
	saysFor      = ways("for")
	saysGroups   = ways("only groups whose")
	saysWhose    = ways("whose")
	saysNoZeros  = ways("without zeros", "no zeros", "dropping zeros")
	saysBeside   = ways("beside")
	saysByIts    = ways("by its")
	saysLess     = ways("those below {n} percent together")
	saysEmpty    = ways("also those with none", "also with none", "including those with none")
	saysOthers   = ways("with others together", "and others", "and the rest", "with others", "with the rest together")
	saysWithin   = ways("of each", "within each", "in each")
	saysFirst    = ways("the first {n}", "first {n}", "only {n}")
	saysYour     = ways("your", "my", "the viewer's")
	saysNot      = ways("not")
	saysNever    = ways("no record")
	saysEvery    = ways("every record")
	saysLargest  = ways("the largest {n}", "largest {n}", "top {n}", "the top {n}", "the {n} largest", "biggest {n}", "the biggest {n}", "highest {n}", "the highest {n}", "most {n}", "the {n} biggest", "the {n} highest", "{n} largest", "{n} biggest", "{n} highest")
	saysSmallest = ways("the smallest {n}", "smallest {n}", "bottom {n}", "the bottom {n}", "the {n} smallest", "lowest {n}", "the lowest {n}", "the {n} lowest", "fewest {n}", "{n} smallest", "{n} lowest")
	saysOneMost  = ways("the largest")
	saysOneLeast = ways("the smallest")
	saysTop      = ways("top") // without a number ten
	saysBottom   = ways("bottom")
	saysPart     = ways("{part} of")
	saysHow      = ways("how is", "how are", "how was", "how were", "how did", "how does")
	saysGoing    = ways("going", "doing", "looking", "things", "go", "look")
	saysWhich    = ways("which", "what", "who", "whose")
	saysHas      = ways("has", "have", "had", "with", "is", "are", "did")
	saysMost     = ways("the most", "most", "the highest", "the largest", "the biggest", "the greatest", "largest", "highest")
	saysFewest   = ways("the fewest", "fewest", "the lowest", "the smallest", "the least", "least", "lowest", "smallest")
)

// Sayings of what has values of its own: each value of a table is said by its first words.
type said[T any] struct {
	is   T
	says saying
}

var gaps = []said[string]{
	{query.GapsOpen, ways("with gaps left open")}, {query.GapsZero, ways("with 0 in gaps")}, {query.GapsBridged, ways("with gaps bridged")},
}

var earlier = []said[string]{
	{query.YearBefore, ways("the year before", "last year", "a year ago", "a year before", "the previous year", "year before", "the same time last year")},
	{query.PeriodBefore, ways("the period before", "the previous period", "before", "period before", "the one before")},
}

var lineKinds = []said[string]{
	{"average", ways("the average", "average", "the mean", "its average")}, {"median", ways("the median", "median")}, {"smallest", ways("the smallest", "smallest", "the lowest")}, {"largest", ways("the largest", "largest", "the highest")},
}

var orders = []said[query.Sort]{
	{query.Sort{By: "label", Descending: true}, ways("name, last first", "name backwards")}, {query.Sort{By: "label"}, ways("name", "names", "their name", "alphabet")},
	{query.Sort{By: "list", Descending: true}, ways("the pick list, last first")}, {query.Sort{By: "list"}, ways("the pick list", "pick list", "the list")},
}

var figures = []said[string]{
	{"before", ways("what was before of")}, {"percent", ways("change in percent of")}, {"change", ways("change of")},
}

var directions = []said[bool]{
	{true, ways("largest first", "descending", "highest first", "most first")}, {false, ways("smallest first", "ascending", "lowest first", "fewest first")},
}

// Aggregations besides a number and a percentile, which say more than a field.
var aggregations = []said[aggregate.Name]{
	{aggregate.Sum, ways("sum of", "total of", "total", "sum", "altogether")}, {aggregate.Average, ways("average of", "average", "mean of", "mean", "avg")}, {aggregate.Median, ways("median of", "median")},
	{aggregate.Smallest, ways("smallest of", "smallest", "minimum of", "minimum", "lowest", "earliest", "min", "least")}, {aggregate.Largest, ways("largest of", "largest", "maximum of", "maximum", "highest", "latest", "max")}, {aggregate.Spread, ways("spread of", "spread", "standard deviation of")},
}

var (
	saysNumber     = ways("number of", "how many", "count of", "count", "amount of", "no of")
	saysRecords    = ways("records", "entries", "rows")
	saysNumberWith = ways("number with", "how many with", "number having")
	saysDifferent  = ways("number of different", "how many different", "different", "distinct", "number of distinct", "unique")
	saysPercentile = ways("{nth} percentile of", "{nth} percentile")
)

var thens = []said[query.Then]{
	{query.Then{Share: "everything"}, ways("share", "share of everything", "share of the whole", "percentage")}, {query.Then{Share: "group"}, ways("share of the group")}, {query.Then{Share: "split"}, ways("share of the split")},
	{query.Then{Rank: "smallest"}, ways("rank from the smallest")}, {query.Then{Rank: "largest"}, ways("rank")},
	{query.Then{Difference: "percent"}, ways("change to the previous")}, {query.Then{Difference: "number"}, ways("difference to the previous", "difference")},
}

var (
	saysRunning       = ways("running total", "cumulative total", "running sum")
	saysRestart       = ways("within each")
	saysMoving        = ways("moving average over {n}", "moving average of {n}", "rolling average over {n}")
	saysMovingShorter = ways("moving average over up to {n}")
)

// adverbs are grains in one word.
var adverbs = []said[period.Grain]{
	{period.Hour, ways("hourly")}, {period.Day, ways("daily")}, {period.Week, ways("weekly")}, {period.Month, ways("monthly")}, {period.Quarter, ways("quarterly")}, {period.Year, ways("yearly", "annually", "annual")},
}

// otherOps are further ways to say how a field is compared; the first way is the condition's own.
var otherOps = map[filter.Op]saying{
	filter.Is: {"equals", "=", "are", "was", "being"}, filter.IsNot: {"isn't", "are not", "was not", "not", "does not equal"}, filter.OneOf: {"are one of", "is either"}, filter.NoneOf: {"is neither", "are none of"},
	filter.Empty: {"empty", "are empty", "is missing", "is not set", "blank"}, filter.Filled: {"filled", "are filled", "is set", "is known"},
	filter.Contains: {"containing", "contain", "includes", "including"}, filter.NotContains: {"not containing", "doesn't contain"}, filter.StartsWith: {"starting with", "begins with", "start with"}, filter.EndsWith: {"ending with", "end with"},
	filter.Above: {"above", "over", "more than", "is more than", "greater than", "is over", ">", "after", "is after", "later than"}, filter.AtLeast: {"at least", "no less than", ">=", "or more", "from"},
	filter.Below: {"below", "under", "less than", "is less than", "fewer than", "is under", "<", "before", "is before", "earlier than"}, filter.AtMost: {"at most", "no more than", "<=", "up to", "until"}, filter.Between: {"between"},
}

// otherForms are further names of forms; the first is the form's own.
var otherForms = map[chart.Form]saying{
	chart.Columns: {"column", "column chart", "columns chart"}, chart.StackedColumns: {"stacked column chart"}, chart.Bars: {"bar", "bar chart", "bars chart"}, chart.StackedBars: {"stacked bar chart"}, chart.Line: {"line", "lines", "line chart", "curve"}, chart.Area: {"area", "area chart"}, chart.StackedArea: {"stacked area chart"},
	chart.Pie: {"pie", "pie chart"}, chart.Donut: {"donut", "donut chart", "doughnut"}, chart.Scatter: {"scatter", "scatter chart"}, chart.HeatMap: {"heat map", "heatmap"}, chart.RiskGrid: {"risk grid"}, chart.Gauge: {"gauge"}, chart.KeyFigures: {"key figure", "a key figure", "a figure", "a number", "headline"}, chart.Funnel: {"funnel"}, chart.Radar: {"radar"},
	chart.Table: {"table", "figures"}, chart.Grouped: {"grouped table"}, chart.Pivot: {"pivot", "pivot table", "a cross table"}, chart.Records: {"list of records", "a list", "list", "records"}, chart.Board: {"board"}, chart.Calendar: {"calendar"}, chart.Timeline: {"timeline"}, chart.Latest: {"latest changes"}, chart.Plan: {"map", "a map", "a plan"},
}

// fillers are words that change nothing.
var fillers = strings.Fields("the a an please show me give us i want to see what is are was were there do does did how have has had our all draw chart graph of and it in on that which we can you tell")

// find is the value that some words are said for.
func find[T any](list []said[T], is func(T) bool) saying {
	for _, s := range list {
		if is(s.is) {
			return s.says
		}
	}
	return saying{""}
}

func equal[T comparable](a T) func(T) bool { return func(b T) bool { return a == b } }

// quoted is a text in quotes, in which a closing quote stands twice.
func quoted(s string) string { return "“" + strings.ReplaceAll(s, "”", "””") + "”" }

func count(n int) string { return strconv.Itoa(n) }
