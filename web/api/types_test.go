package api

import (
	"encoding/json"
	"fmt"
	"os"
	"reflect"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"eskadel/core/chart"
	"eskadel/core/dashboard"
	"eskadel/core/dataset"
	"eskadel/core/field"
	"eskadel/core/filter"
	"eskadel/core/period"
	"eskadel/core/query"
	"eskadel/golden"
	"eskadel/view"
	"eskadel/workspace"
)

// roots are the types that requests and answers are made of.
var roots = []any{
	Kept{}, Document{}, RunWidget{}, WidgetRecords{}, Widget{}, Run{}, Figures{}, PublishChart{}, ChartPublished{}, Profile{}, DatasetRecords{}, Formula{}, ViewAs{}, Source{}, PutSource{}, SourceFound{},
	Authors{}, File{}, Rows{}, Person{}, PutPerson{}, Done{}, Key{}, MakeKey{}, NewKey{}, Host{}, PutHost{}, MakeHostKey{}, NewSecret{}, EndViewer{}, Audit{}, Use{}, Version{}, Changes{}, Back{}, Name{},
	view.Page{}, view.Listed{}, view.Trial{}, view.ViewAs{}, workspace.Reach{}, dataset.Table{}, period.Workspace{},
}

// own are the types that write themselves, by how they do.
var own = map[reflect.Type]map[string]any{
	reflect.TypeFor[time.Time]():         {"type": "string", "format": "date-time"},
	reflect.TypeFor[json.RawMessage]():   {"description": "Any JSON."},
	reflect.TypeFor[json.Number]():       {"type": []any{"string", "number"}},
	reflect.TypeFor[field.Value]():       {"type": []any{"string", "boolean", "null"}, "description": "A value, exactly; numbers and dates are texts, so that no reader rounds them."},
	reflect.TypeFor[field.Type]():        {"type": "string"},
	reflect.TypeFor[filter.Condition]():  {"$ref": "common.json#/$defs/condition"},
	reflect.TypeFor[filter.Attributes](): {"type": "object", "additionalProperties": true},
	reflect.TypeFor[dashboard.Setting](): {"description": "A range of dates, a list of values, {\"at_least\", \"at_most\"}, {\"viewer\"}; null for any."},
	reflect.TypeFor[period.Relative]():   {"$ref": "common.json#/$defs/range"},
	reflect.TypeFor[period.Grain]():      {"type": "string"},
	reflect.TypeFor[chart.Form]():        {"$ref": "common.json#/$defs/form"},
}

// written is the schema of a type; structs are named among the definitions.
func written(t reflect.Type, defs map[string]any) map[string]any {
	if s, ok := own[t]; ok {
		return s
	}
	switch t.Kind() {
	case reflect.Pointer:
		return written(t.Elem(), defs)
	case reflect.Bool:
		return map[string]any{"type": "boolean"}
	case reflect.String:
		return map[string]any{"type": "string"}
	case reflect.Float64:
		return map[string]any{"type": "number"}
	case reflect.Int, reflect.Int64, reflect.Int32:
		return map[string]any{"type": "integer"}
	case reflect.Slice:
		return map[string]any{"type": "array", "items": written(t.Elem(), defs)}
	case reflect.Array:
		return map[string]any{"type": "array", "items": written(t.Elem(), defs), "minItems": t.Len(), "maxItems": t.Len()}
	case reflect.Map:
		return map[string]any{"type": "object", "additionalProperties": written(t.Elem(), defs)}
	case reflect.Interface:
		return map[string]any{"description": "Any JSON."}
	case reflect.Struct:
		name := called(t)
		if _, known := defs[name]; !known {
			defs[name] = nil // for what holds itself
			defs[name] = object(t, defs)
		}
		return map[string]any{"$ref": "#/$defs/" + name}
	}
	panic(fmt.Sprintf("%s is not described", t))
}

// called is the name of a type among the definitions: those of package api are bare.
func called(t reflect.Type) string {
	pkg := t.PkgPath()[strings.LastIndex(t.PkgPath(), "/")+1:]
	if pkg == "api" {
		return t.Name()
	}
	return strings.ToUpper(pkg[:1]) + pkg[1:] + t.Name()
}

func object(t reflect.Type, defs map[string]any) map[string]any {
	properties, required := map[string]any{}, []any{}
	var fields func(t reflect.Type)
	fields = func(t reflect.Type) {
		for i := range t.NumField() {
			f := t.Field(i)
			tag, options, _ := strings.Cut(f.Tag.Get("json"), ",")
			switch {
			case tag == "-" || !f.IsExported() && !f.Anonymous:
				continue
			case f.Anonymous && tag == "":
				of := f.Type
				if of.Kind() == reflect.Pointer {
					of = of.Elem()
				}
				fields(of)
				continue
			case tag == "":
				panic(fmt.Sprintf("%s.%s has no name in JSON", t, f.Name))
			}
			s := written(f.Type, defs)
			if nullable := f.Type.Kind() == reflect.Pointer || f.Type.Kind() == reflect.Slice && f.Type != reflect.TypeFor[json.RawMessage]() || f.Type.Kind() == reflect.Map; nullable && !strings.Contains(options, "omit") {
				s = orNull(s)
			}
			properties[tag] = s
			if !strings.Contains(options, "omit") {
				required = append(required, tag)
			}
		}
	}
	fields(t)
	out := map[string]any{"type": "object", "properties": properties}
	if len(required) > 0 {
		out["required"] = required
	}
	return out
}

func orNull(s map[string]any) map[string]any {
	if kind, ok := s["type"].(string); ok {
		out := map[string]any{}
		for k, v := range s {
			out[k] = v
		}
		out["type"] = []any{kind, "null"}
		return out
	}
	return map[string]any{"oneOf": []any{s, map[string]any{"type": "null"}}}
}

// What is described is what Go writes and reads, field by field.
func TestTypesAreTheGoTypes(t *testing.T) {
	defs := map[string]any{}
	for _, r := range roots {
		written(reflect.TypeOf(r), defs)
	}
	b, err := json.MarshalIndent(map[string]any{"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "What requests and answers are made of, written from the Go types", "$defs": defs}, "", "  ")
	require.NoError(t, err)
	b = append(b, '\n')
	golden.Compare(t, "schemas/types.json", string(b))
}

// Whatever Go writes of a document, its schema knows, and the other way round.
func TestSchemasAreTheGoTypes(t *testing.T) {
	for schema, of := range map[string]reflect.Type{
		"dashboard": reflect.TypeFor[dashboard.Document](), "dataset": reflect.TypeFor[dataset.Document](), "chart": reflect.TypeFor[chart.Document](), "rules": reflect.TypeFor[dataset.SourceRules](),
	} {
		b, err := os.ReadFile("schemas/" + schema + ".json")
		require.NoError(t, err)
		var doc map[string]any
		require.NoError(t, json.Unmarshal(b, &doc))
		compare(t, schema, common(t), doc, of)
	}
}

// common are the definitions that schemas share.
func common(t *testing.T) map[string]any {
	b, err := os.ReadFile("schemas/common.json")
	require.NoError(t, err)
	var doc struct {
		Defs map[string]any `json:"$defs"`
	}
	require.NoError(t, json.Unmarshal(b, &doc))
	return doc.Defs
}

// shorthands are the types that are written shorter than their fields.
var shorthands = map[reflect.Type]bool{
	reflect.TypeFor[query.Measure](): true, reflect.TypeFor[query.Comparison](): true, reflect.TypeFor[dashboard.Chart](): true, reflect.TypeFor[query.Then](): false,
}

// compare holds the properties of a schema to the fields of a Go type, and goes on into both.
func compare(t *testing.T, at string, defs, schema map[string]any, of reflect.Type) {
	for of.Kind() == reflect.Pointer || of.Kind() == reflect.Slice {
		if of.Kind() == reflect.Slice {
			items, ok := schema["items"].(map[string]any)
			if !ok {
				return
			}
			schema = items
		}
		of = of.Elem()
	}
	if ref, ok := schema["$ref"].(string); ok {
		_, name, of := strings.Cut(ref, "#/$defs/")
		if !of {
			return // another file, which is compared by itself
		}
		schema, ok = defs[name].(map[string]any)
		require.True(t, ok, at)
	}
	if _, writesItself := own[of]; writesItself || of.Kind() != reflect.Struct || shorthands[of] {
		return
	}
	properties, ok := schema["properties"].(map[string]any)
	if !ok {
		// One of several writings: that with properties is the whole one.
		for _, one := range append(list(schema["oneOf"]), list(schema["anyOf"])...) {
			if p, ok := one.(map[string]any)["properties"].(map[string]any); ok && len(p) > len(properties) {
				properties = p
			}
		}
	}
	require.NotEmpty(t, properties, at)
	fields := map[string]reflect.Type{}
	var collect func(of reflect.Type)
	collect = func(of reflect.Type) {
		for i := range of.NumField() {
			f := of.Field(i)
			tag, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			if f.Anonymous && tag == "" {
				collect(f.Type)
			} else if tag != "-" && tag != "" {
				fields[tag] = f.Type
			}
		}
	}
	collect(of)
	for name, kind := range fields {
		p, ok := properties[name].(map[string]any)
		if assert.True(t, ok, "the schema does not know %s.%s", at, name) {
			compare(t, at+"."+name, defs, p, kind)
		}
	}
	for name := range properties {
		assert.Contains(t, fields, name, "Go does not know %s.%s", at, name)
	}
}

func list(v any) []any { l, _ := v.([]any); return l }
