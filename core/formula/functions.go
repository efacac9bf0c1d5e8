package formula

import (
	"slices"
	"sort"
	"strings"
)

// A function is what the language knows of one. takes has a letter for each argument,
// the last standing for all that follow: n number, t text, d date or timestamp, b
// condition, s the same type as the others, a anything.
type function struct {
	aggregate   bool
	takes       string
	least, most int
	gives       byte   // n, i (whole number), t, d (timestamp), s (as what it takes)
	help        string // one sentence
	example     string // with FIELD letters replaced by fields at hand: {n}, {t}, {d}
}

var functions = map[string]function{
	"coalesce": {takes: "s", least: 1, most: 50, gives: 's', help: "The first of several values that is filled.", example: "coalesce({n}, 0)"},
	"nullif":   {takes: "s", least: 2, most: 2, gives: 's', help: "Empty where both values are equal, else the first.", example: "nullif({n}, 0)"},
	"greatest": {takes: "s", least: 1, most: 50, gives: 's', help: "The largest of several values; empty ones are skipped.", example: "greatest({n}, 100)"},
	"least":    {takes: "s", least: 1, most: 50, gives: 's', help: "The smallest of several values; empty ones are skipped.", example: "least({n}, 100)"},
	"abs":      {takes: "n", least: 1, most: 1, gives: 's', help: "The number without its sign.", example: "abs({n})"},
	"round":    {takes: "n", least: 1, most: 2, gives: 'n', help: "Rounded half away from zero, to so many decimals or, below zero, to tens, hundreds …", example: "round({n}, -2)"},
	"ceil":     {takes: "n", least: 1, most: 1, gives: 'n', help: "The next whole number up.", example: "ceil({n} / 3)"},
	"floor":    {takes: "n", least: 1, most: 1, gives: 'n', help: "The next whole number down.", example: "floor({n} / 3)"},
	"power":    {takes: "n", least: 2, most: 2, gives: 'n', help: "The first number raised to the second.", example: "power({n}, 2)"},
	"sqrt":     {takes: "n", least: 1, most: 1, gives: 'n', help: "The square root; empty below zero.", example: "sqrt({n})"},
	"ln":       {takes: "n", least: 1, most: 1, gives: 'n', help: "The natural logarithm; empty at and below zero.", example: "ln({n})"},
	"exp":      {takes: "n", least: 1, most: 1, gives: 'n', help: "e raised to the number.", example: "exp({n} / 1000)"},
	"mod":      {takes: "n", least: 2, most: 2, gives: 'n', help: "What is left after dividing; its sign is the first number's.", example: "mod({n}, 7)"},
	"sign":     {takes: "n", least: 1, most: 1, gives: 'n', help: "-1, 0 or 1.", example: "sign({n})"},

	"lower":      {takes: "t", least: 1, most: 1, gives: 't', help: "In small letters.", example: "lower({t})"},
	"upper":      {takes: "t", least: 1, most: 1, gives: 't', help: "In capitals.", example: "upper({t})"},
	"trim":       {takes: "t", least: 1, most: 1, gives: 't', help: "Without spaces at either end.", example: "trim({t})"},
	"length":     {takes: "t", least: 1, most: 1, gives: 'i', help: "The number of characters.", example: "length({t})"},
	"substring":  {takes: "tnn", least: 2, most: 3, gives: 't', help: "A part of a text: from which character, counted from 1, and how many.", example: "substring({t} from 1 for 3)"},
	"position":   {takes: "tt", least: 2, most: 2, gives: 'i', help: "Where a text begins in another, counted from 1; 0 where it does not occur.", example: "position('a' in {t})"},
	"replace":    {takes: "ttt", least: 3, most: 3, gives: 't', help: "The text with every occurrence of the second replaced by the third.", example: "replace({t}, ' ', '-')"},
	"split_part": {takes: "ttn", least: 3, most: 3, gives: 't', help: "The n-th part of a text divided by another; from the end below zero.", example: "split_part({t}, ' ', 1)"},
	"concat":     {takes: "a", least: 1, most: 50, gives: 't', help: "All values as one text; empty ones are skipped.", example: "concat({t}, ', ', {n})"},

	"now":        {gives: 'd', help: "The time of the request, on the workspace's clock.", example: "extract(epoch from now - {d}) / 86400"},
	"extract":    {takes: "d", least: 1, most: 1, gives: 'n', help: "A part of a date: year, quarter, month, week, isoyear, day, doy, dow, isodow, hour, minute, second, epoch.", example: "extract(year from {d})"},
	"date_trunc": {takes: "d", least: 1, most: 1, gives: 'd', help: "The start of the year, quarter, month, week, day, hour, minute or second that a date lies in.", example: "date_trunc('month', {d})"},

	"count":      {aggregate: true, takes: "a", least: 0, most: 1, gives: 'i', help: "The number of records, count(*); of filled values; or, with distinct, of different ones.", example: "count(*) filter (where {n} > 100)"},
	"sum":        {aggregate: true, takes: "n", least: 1, most: 1, gives: 'n', help: "The sum.", example: "sum({n})"},
	"avg":        {aggregate: true, takes: "n", least: 1, most: 1, gives: 'n', help: "The average of the filled values.", example: "avg({n})"},
	"min":        {aggregate: true, takes: "s", least: 1, most: 1, gives: 's', help: "The smallest number or the earliest date.", example: "min({n})"},
	"max":        {aggregate: true, takes: "s", least: 1, most: 1, gives: 's', help: "The largest number or the latest date.", example: "max({n})"},
	"median":     {aggregate: true, takes: "n", least: 1, most: 1, gives: 'n', help: "The value in the middle.", example: "median({n})"},
	"percentile": {aggregate: true, takes: "nn", least: 2, most: 2, gives: 'n', help: "The value below which the given share of the records lies, 0 to 1.", example: "percentile({n}, 0.9)"},
	"stddev":     {aggregate: true, takes: "n", least: 1, most: 1, gives: 'n', help: "The spread: the sample standard deviation (n - 1).", example: "stddev({n})"},
}

func functionNames() []string {
	var out []string
	for name := range functions {
		out = append(out, name)
	}
	sort.Strings(out)
	return out
}

// Help explains a function: how it is written, what it gives.
type Help struct {
	Name, Words, Example string
	Aggregate            bool
}

// Functions explains every function, with an example made of the fields given: one that
// holds a number, a text and a date. An example that needs a field which is not there
// is left out.
func Functions(number, text, date string) []Help {
	var out []Help
	for _, name := range functionNames() {
		f := functions[name]
		h := Help{Name: name, Words: f.help, Aggregate: f.aggregate, Example: f.example}
		for letter, field := range map[string]string{"{n}": number, "{t}": text, "{d}": date} {
			if field != "" {
				h.Example = strings.ReplaceAll(h.Example, letter, PrintName(field))
			}
		}
		if slices.Contains([]rune(h.Example), '{') {
			h.Example = ""
		}
		out = append(out, h)
	}
	return out
}
