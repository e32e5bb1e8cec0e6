package access

import (
	"encoding/json"
	"reflect"
)

// Schema is the JSON Schema of a policy document, made from its types. It says
// less than [Read] checks: references, for example, no schema can follow.
func Schema() []byte {
	s := schemaOf(reflect.TypeFor[Document](), field{})
	s["$schema"] = "https://json-schema.org/draft/2020-12/schema"
	s["title"] = "Velada policy document"
	text, err := json.MarshalIndent(s, "", "  ")
	if err != nil {
		panic(err) // maps of strings always marshal
	}
	return append(text, '\n')
}

func schemaOf(t reflect.Type, f field) map[string]any {
	switch {
	case t == instantType:
		return map[string]any{"type": "string", "format": "date-time"}
	case t.Kind() == reflect.Pointer:
		return schemaOf(t.Elem(), f)
	case t.Kind() == reflect.Slice:
		return map[string]any{"type": "array", "items": schemaOf(t.Elem(), field{enum: f.enum})}
	case t.Kind() == reflect.Struct:
		properties, required := map[string]any{}, []string{}
		for _, f := range documentFields(t) {
			properties[f.name] = schemaOf(t.Field(f.index).Type, f)
			if f.required {
				required = append(required, f.name)
			}
		}
		s := map[string]any{"type": "object", "properties": properties, "additionalProperties": false}
		if len(required) > 0 {
			s["required"] = required
		}
		return s
	}
	s := map[string]any{"type": map[reflect.Kind]string{reflect.String: "string", reflect.Bool: "boolean", reflect.Int: "integer"}[t.Kind()]}
	if f.enum != nil {
		s["enum"] = f.enum
	}
	switch {
	case f.fallback != "" && t.Kind() == reflect.Bool:
		s["default"] = f.fallback == "true"
	case f.fallback != "":
		s["default"] = f.fallback
	}
	return s
}
