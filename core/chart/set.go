package chart

import (
	"encoding/json"
	"strconv"
	"strings"

	"eskadel/core/problem"
)

// Set returns the document with one of its parts set, as a form's control does it: path
// names the part ("finish.value.title", "measures.0.format"), kind how the text is to be
// read: text, number, yes, list (by commas), numbers, pairs (name: value, by commas), numbers by name, or json. An
// empty value takes the part away, and what is empty then goes with it.
func (d *Document) Set(path, kind, value string) (*Document, error) {
	value = strings.TrimSpace(value)
	var v any
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
	case "list":
		var list []any
		for _, part := range strings.Split(value, ",") {
			if part = strings.TrimSpace(part); part != "" {
				list = append(list, part)
			}
		}
		v = list
	case "numbers":
		var list []any
		for _, part := range strings.Split(value, ",") {
			if part = strings.TrimSpace(part); part == "" {
				continue
			}
			if _, err := strconv.ParseFloat(part, 64); err != nil {
				return nil, problem.New(problem.Invalid, path, "“%s” is not a number.", part)
			}
			list = append(list, json.Number(part))
		}
		v = list
	case "pairs", "numbers by name":
		pairs := map[string]any{}
		for _, part := range strings.Split(value, ",") {
			if name, text, ok := strings.Cut(part, ":"); ok {
				text = strings.TrimSpace(text)
				pairs[strings.TrimSpace(name)] = text
				if kind == "pairs" {
					continue
				}
				if _, err := strconv.ParseFloat(text, 64); err != nil {
					return nil, problem.New(problem.Invalid, path, "“%s” is not a number.", text)
				}
				pairs[strings.TrimSpace(name)] = json.Number(text)
			} else if strings.TrimSpace(part) != "" {
				return nil, problem.New(problem.Invalid, path, "“%s” is not a pair such as “name: value”; pairs are parted by commas.", strings.TrimSpace(part))
			}
		}
		v = pairs
	case "json":
		if value != "" {
			if err := json.Unmarshal([]byte(value), &v); err != nil {
				return nil, problem.New(problem.Invalid, path, "This cannot be read: %s", err)
			}
		}
	default:
		v = value
	}
	var top any
	if err := json.Unmarshal(d.JSON(), &top); err != nil {
		return nil, err
	}
	if value == "" {
		v = nil
		if sort, order := strings.CutSuffix(path, ".sort.order"); order {
			path = sort + ".sort" // an order of one's own is all that there is of such a sort
		}
	}
	top, ok := put(top, strings.Split(path, "."), v)
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
