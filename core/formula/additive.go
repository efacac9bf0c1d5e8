package formula

// Halves splits a formula at the division that it is, if it is one.
func Halves(s string) (over, under string, ok bool) {
	root, err := parse(s)
	if err != nil || root.op != "/" {
		return "", "", false
	}
	runes := []rune(s)
	over, under = string(runes[:root.pos]), string(runes[root.pos+1:])
	for _, half := range []string{over, under} {
		if _, err := parse(half); err != nil { // the division stands in brackets
			return "", "", false
		}
	}
	return over, under, true
}

// Additive tells whether what a formula gives for parts adds up to what it gives for the whole: sums and
// counts, added to and taken from each other, multiplied and divided by plain numbers.
func Additive(s string) bool {
	root, err := parse(s)
	return err == nil && root.additive()
}

func (n *node) additive() bool {
	number := func(x *node) bool { return x.op == "literal" && x.value.Decimal() != nil }
	switch n.op {
	case "sum", "count":
		return n.text == "" // not of different values
	case "negative":
		return n.args[0].additive()
	case "+", "-":
		return n.args[0].additive() && n.args[1].additive()
	case "*":
		return n.args[0].additive() && number(n.args[1]) || number(n.args[0]) && n.args[1].additive()
	case "/":
		return n.args[0].additive() && number(n.args[1])
	case "nullif", "coalesce": // of nothing, which adds nothing
		return len(n.args) == 2 && n.args[0].additive() && number(n.args[1]) && n.args[1].value.Exact() == "0"
	}
	return false
}
