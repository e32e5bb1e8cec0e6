package access

import (
	"reflect"
	"strings"
	"sync"
)

// field is what a doc tag says about a field of a document type.
type field struct {
	index    int
	name     string
	required bool
	nullable bool // a list that may be absent: then nil, and otherwise not empty
	fallback string
	enum     []string
}

var fieldsOf sync.Map // reflect.Type → []field

func documentFields(t reflect.Type) []field {
	if known, ok := fieldsOf.Load(t); ok {
		return known.([]field)
	}
	var fields []field
	for i := range t.NumField() {
		tag, is := t.Field(i).Tag.Lookup("doc")
		if !is { // what the program notes for itself
			continue
		}
		parts := strings.Split(tag, ",")
		f := field{index: i, name: parts[0]}
		for _, p := range parts[1:] {
			key, value, _ := strings.Cut(p, "=")
			switch key {
			case "required":
				f.required = true
			case "nullable":
				f.nullable = true
			case "default":
				f.fallback = value
			case "enum":
				f.enum = strings.Split(value, "|")
			}
		}
		fields = append(fields, f)
	}
	fieldsOf.Store(t, fields)
	return fields
}

// setDefaults fills a zeroed struct with the defaults of its doc tags.
func setDefaults(v reflect.Value) {
	for _, f := range documentFields(v.Type()) {
		target := v.Field(f.index)
		switch {
		case target.Kind() == reflect.Struct && target.Type() != instantType:
			setDefaults(target)
		case f.fallback == "":
		case target.Kind() == reflect.Bool:
			target.SetBool(f.fallback == "true")
		default:
			target.SetString(f.fallback)
		}
	}
}

var instantType = reflect.TypeFor[Instant]()

// NewSite is a site as a document gives it that says nothing but its address.
func NewSite(address, title string) *Site {
	s := &Site{}
	setDefaults(reflect.ValueOf(s).Elem())
	s.Address, s.Title = address, title
	return s
}
