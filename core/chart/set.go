package chart

import (
	"encoding/json"
	"strconv"
	"strings"

	"eskadel/core/format"
	"eskadel/core/problem"
)

// Part is a name as one step of a path: the dots within it part nothing.
func Part(name string) string {
	return strings.NewReplacer("~", "~0", ".", "~1").Replace(name)
}

// steps are the names that a path goes along.
func steps(path string) []string {
	out := strings.Split(path, ".")
	for i := range out {
		out[i] = strings.NewReplacer("~1", ".", "~0", "~").Replace(out[i])
	}
	return out
}

// Set returns the document with one of its parts set, as a form's control does it: path
// names the part ("finish.value.title", "measures.0.format"), kind how the text is to be
// read: text, number, yes, unit (of a format, the rest of which stays) or json. An empty
// value takes the part away, and what is empty then goes with it.
func (d *Document) Set(path, kind, value string) (*Document, error) {
	value = strings.TrimSpace(value)
	var top, v any
	if err := json.Unmarshal(d.JSON(), &top); err != nil {
		return nil, err
	}
	switch kind {
	case "number":
		if _, err := strconv.ParseFloat(value, 64); value != "" && err != nil {
			return nil, problem.New(problem.Invalid, path, "“%s” is not a number.", value)
		}
		v = json.Number(value)
	case "yes":
		v = true
		if value != "yes" {
			value = ""
		}
	case "unit":
		number, _ := format.Unit(get(top, steps(path)))
		value = strings.TrimSpace(number + " " + value)
		v = value
	case "json":
		if value != "" {
			if err := json.Unmarshal([]byte(value), &v); err != nil {
				return nil, problem.New(problem.Invalid, path, "This cannot be read: %s", err)
			}
		}
	default:
		v = value
	}
	if value == "" {
		v = nil
	}
	top, ok := put(top, steps(path), v)
	if !ok {
		return nil, problem.New(problem.Invalid, path, "The chart has no part “%s”.", path)
	}
	b, err := json.Marshal(top)
	if err != nil {
		return nil, err
	}
	out, err := Read(b)
	if err != nil {
		return nil, err
	}
	out.Shared, out.Sets = d.Shared, d.Sets
	return out, nil
}

// get is the text of a part; "" where there is none.
func get(in any, path []string) string {
	for _, step := range path {
		switch of := in.(type) {
		case map[string]any:
			in = of[step]
		case []any:
			i, err := strconv.Atoi(step)
			if err != nil || i < 0 || i >= len(of) {
				return ""
			}
			in = of[i]
		default:
			return ""
		}
	}
	text, _ := in.(string)
	return text
}

// put sets a part; nil takes it away, together with what is left empty by that.
func put(in any, path []string, v any) (any, bool) {
	if len(path) == 0 {
		return v, true
	}
	if list, ok := in.([]any); ok {
		i, err := strconv.Atoi(path[0])
		if err != nil || i < 0 || i > len(list) {
			return nil, false
		}
		if i == len(list) {
			list = append(list, nil)
		}
		part, ok := put(list[i], path[1:], v)
		if part == nil {
			list = append(list[:i], list[i+1:]...)
		} else {
			list[i] = part
		}
		if len(list) == 0 {
			return nil, ok
		}
		return list, ok
	}
	object, ok := in.(map[string]any)
	if !ok {
		if in != nil {
			return nil, false
		}
		if _, err := strconv.Atoi(path[0]); err == nil {
			return put([]any{}, path, v)
		}
		object = map[string]any{}
	}
	part, ok := put(object[path[0]], path[1:], v)
	if part == nil {
		delete(object, path[0])
	} else {
		object[path[0]] = part
	}
	if len(object) == 0 {
		return nil, ok
	}
	return object, ok
}
