// Package merge compares documents, as JSON, and puts two changes of one together where
// they do not touch the same part. It knows no kind of document: objects are compared key
// by key, and lists whose elements have names of their own element by element.
package merge

import (
	"bytes"
	"encoding/json"
	"maps"
	"reflect"
	"slices"
	"strings"
)

// known are the keys by which the elements of a list are told apart, the first that all of
// them have.
var known = []string{"id", "name", "table", "title", "field"}

// A Clash is a part that both changes touch, by its path in words.
type Clash string

// Three puts two changes of a document together: mine, made from base, after theirs. Where
// both touch the same part it is a clash, and the part is as mine has it.
func Three(base, theirs, mine []byte) (merged []byte, clashes []Clash, err error) {
	var b, t, m any
	for _, of := range []struct {
		text []byte
		into *any
	}{{base, &b}, {theirs, &t}, {mine, &m}} {
		if *of.into, err = read(of.text); err != nil {
			return nil, nil, err
		}
	}
	out := three(b, t, m, nil, &clashes)
	merged, err = json.Marshal(out)
	return merged, clashes, err
}

func read(text []byte) (v any, err error) {
	d := json.NewDecoder(bytes.NewReader(text))
	d.UseNumber()
	err = d.Decode(&v)
	return v, err
}

// absent stands for what is not there.
type absent struct{}

func three(base, theirs, mine any, path []string, clashes *[]Clash) any {
	switch {
	case same(theirs, mine), same(base, theirs):
		return mine
	case same(base, mine):
		return theirs
	}
	b, bo := base.(map[string]any)
	t, to := theirs.(map[string]any)
	m, mo := mine.(map[string]any)
	if bo && to && mo {
		return objects(b, t, m, path, clashes)
	}
	bl, bo := base.([]any)
	tl, to := theirs.([]any)
	ml, mo := mine.([]any)
	if bo && to && mo {
		if key := named(bl, tl, ml); key != "" {
			return lists(key, bl, tl, ml, path, clashes)
		}
	}
	*clashes = append(*clashes, Clash(strings.Join(path, " › ")))
	return mine
}

func objects(base, theirs, mine map[string]any, path []string, clashes *[]Clash) any {
	out := map[string]any{}
	keys := map[string]bool{}
	for _, m := range []map[string]any{base, theirs, mine} {
		for k := range m {
			keys[k] = true
		}
	}
	for _, k := range slices.Sorted(maps.Keys(keys)) {
		v := three(at(base, k), at(theirs, k), at(mine, k), append(slices.Clone(path), tidy(k)), clashes)
		if _, gone := v.(absent); !gone {
			out[k] = v
		}
	}
	return out
}

func at(m map[string]any, key string) any {
	if v, ok := m[key]; ok {
		return v
	}
	return absent{}
}

// named returns the key by which the elements of all lists are told apart; "" for none.
func named(lists ...[]any) string {
	for _, key := range known {
		if !slices.ContainsFunc(lists, func(l []any) bool { return !distinct(l, key) }) {
			return key
		}
	}
	return ""
}

func distinct(list []any, key string) bool {
	seen := map[string]bool{}
	for _, e := range list {
		o, ok := e.(map[string]any)
		if !ok {
			return false
		}
		name, ok := o[key].(string)
		if !ok || seen[name] {
			return false
		}
		seen[name] = true
	}
	return true
}

// lists puts lists together element by element. The order is mine where I changed it, else
// theirs; what only the other has stands after what it stood after there.
func lists(key string, base, theirs, mine []any, path []string, clashes *[]Clash) any {
	b, t, m := byName(key, base), byName(key, theirs), byName(key, mine)
	order, other := names(key, theirs), names(key, mine)
	common := func(list []string, in map[string]any) (out []string) {
		for _, n := range list {
			if _, ok := in[n]; ok {
				out = append(out, n)
			}
		}
		return out
	}
	if !slices.Equal(common(names(key, base), m), common(other, b)) { // I moved something
		order, other = other, order
	}
	for i, n := range other {
		if slices.Contains(order, n) {
			continue
		}
		after := 0
		for j := i - 1; j >= 0 && after == 0; j-- {
			after = slices.Index(order, other[j]) + 1
		}
		if i > 0 && after == 0 {
			after = len(order)
		}
		order = slices.Insert(order, after, n)
	}
	out := []any{}
	for _, n := range order {
		v := three(at(b, n), at(t, n), at(m, n), append(slices.Clone(path), "“"+label(n, t[n], m[n], b[n])+"”"), clashes)
		if _, gone := v.(absent); !gone {
			out = append(out, v)
		}
	}
	return out
}

func byName(key string, list []any) map[string]any {
	out := map[string]any{}
	for _, e := range list {
		out[e.(map[string]any)[key].(string)] = e
	}
	return out
}

func names(key string, list []any) (out []string) {
	for _, e := range list {
		out = append(out, e.(map[string]any)[key].(string))
	}
	return out
}

// label is what an element is called for people: its label or title, else its name.
func label(name string, of ...any) string {
	for _, v := range of {
		o, ok := v.(map[string]any)
		if !ok {
			continue
		}
		for _, key := range []string{"label", "title"} {
			if s, ok := o[key].(string); ok && s != "" {
				return s
			}
		}
	}
	return tidy(name)
}

func tidy(key string) string { return strings.ReplaceAll(key, "_", " ") }

func same(a, b any) bool { return reflect.DeepEqual(a, b) }

// Changes says in words what is different between two states of a document, at most so
// many; more tells how many others there are.
func Changes(before, after []byte, most int) (words []string, more int) {
	b, err := read(before)
	if err != nil {
		return nil, 0
	}
	a, err := read(after)
	if err != nil {
		return nil, 0
	}
	var all []string
	differ(b, a, nil, &all)
	if len(all) > most {
		return all[:most], len(all) - most
	}
	return all, 0
}

func differ(before, after any, path []string, out *[]string) {
	if same(before, after) {
		return
	}
	where := strings.Join(path, " › ")
	switch {
	case before == any(absent{}):
		*out = append(*out, where+" was added"+value(": ", after))
		return
	case after == any(absent{}):
		*out = append(*out, where+" was taken away"+value(", it was ", before))
		return
	}
	b, bo := before.(map[string]any)
	a, ao := after.(map[string]any)
	if bo && ao {
		keys := map[string]bool{}
		for _, m := range []map[string]any{b, a} {
			for k := range m {
				keys[k] = true
			}
		}
		for _, k := range slices.Sorted(maps.Keys(keys)) {
			differ(at(b, k), at(a, k), append(slices.Clone(path), tidy(k)), out)
		}
		return
	}
	bl, bo := before.([]any)
	al, ao := after.([]any)
	if bo && ao {
		if key := named(bl, al); key != "" {
			bn, an := byName(key, bl), byName(key, al)
			order := names(key, al)
			for _, n := range names(key, bl) {
				if !slices.Contains(order, n) {
					order = append(order, n)
				}
			}
			for _, n := range order {
				differ(at(bn, n), at(an, n), append(slices.Clone(path), "“"+label(n, an[n], bn[n])+"”"), out)
			}
			kept := func(list []string, in map[string]any) (out []string) {
				for _, n := range list {
					if _, ok := in[n]; ok {
						out = append(out, n)
					}
				}
				return out
			}
			if !slices.Equal(kept(names(key, bl), an), kept(names(key, al), bn)) {
				*out = append(*out, where+" stand in another order")
			}
			return
		}
	}
	*out = append(*out, where+" was "+value("", before)+", is "+value("", after))
}

// value writes a value in few words, after a lead; nothing for what is too long for that.
func value(lead string, v any) string {
	switch v := v.(type) {
	case string:
		if r := []rune(v); len(r) > 60 {
			v = string(r[:60]) + " …"
		}
		return lead + "“" + v + "”"
	case bool:
		return lead + map[bool]string{true: "yes", false: "no"}[v]
	case json.Number:
		return lead + v.String()
	case nil:
		return lead + "empty"
	case []any:
		var parts []string
		for _, e := range v {
			switch e.(type) {
			case string, bool, json.Number:
				parts = append(parts, value("", e))
			}
		}
		if len(parts) == len(v) && len(v) > 0 && len(v) <= 6 {
			return lead + strings.Join(parts, ", ")
		}
	}
	if lead == "" {
		return "something else"
	}
	return ""
}
