package access

import (
	"bytes"
	"reflect"
	"regexp"
	"strconv"

	"go.yaml.in/yaml/v3"
)

// YAML writes the document as YAML; reading it back gives the same document.
func (d *Document) YAML() ([]byte, error) {
	var b bytes.Buffer
	encoder := yaml.NewEncoder(&b)
	encoder.SetIndent(2)
	if err := encoder.Encode(treeOf(reflect.ValueOf(d).Elem())); err != nil {
		return nil, err
	}
	return b.Bytes(), encoder.Close()
}

// JSON writes the document as JSON; reading it back gives the same document.
func (d *Document) JSON() ([]byte, error) { return jsonOf(treeOf(reflect.ValueOf(d).Elem())) }

// PartJSON writes one document type (a Site, a Group, …) as JSON.
func PartJSON(part any) ([]byte, error) {
	v := reflect.ValueOf(part)
	if v.Kind() == reflect.Pointer {
		v = v.Elem()
	}
	return jsonOf(treeOf(v))
}

// ReadPart reads what PartJSON wrote into the document type that into points
// to. References are not checked: they are when the whole is compiled.
func ReadPart(text []byte, into any) error {
	root, err := parseTree(text)
	if err != nil {
		return err
	}
	r, v := &reader{refused: map[string]bool{}}, reflect.ValueOf(into).Elem()
	v.SetZero()
	if v.Kind() == reflect.Struct {
		setDefaults(v)
	}
	r.value(root, v, nil, field{})
	if len(r.problems) > 0 {
		return r.problems
	}
	return nil
}

// treeOf returns the tree of a document value, leaving out what is as by default.
func treeOf(v reflect.Value) *yaml.Node {
	switch {
	case v.Type() == instantType:
		return quoted(v.Interface().(Instant).String())
	case v.Kind() == reflect.Pointer:
		return treeOf(v.Elem())
	case v.Kind() == reflect.Slice:
		list := &yaml.Node{Kind: yaml.SequenceNode}
		for i := range v.Len() {
			list.Content = append(list.Content, treeOf(v.Index(i)))
		}
		if v.Len() == 0 || v.Type().Elem().Kind() == reflect.String {
			list.Style = yaml.FlowStyle
		}
		return list
	case v.Kind() == reflect.Bool:
		return &yaml.Node{Kind: yaml.ScalarNode, Value: strconv.FormatBool(v.Bool())}
	case v.Kind() == reflect.Int:
		return &yaml.Node{Kind: yaml.ScalarNode, Value: strconv.FormatInt(v.Int(), 10)}
	case v.Kind() == reflect.String:
		return quoted(v.String())
	}
	m := &yaml.Node{Kind: yaml.MappingNode}
	for _, f := range documentFields(v.Type()) {
		value := v.Field(f.index)
		if f.required || !asByDefault(value, f) {
			m.Content = append(m.Content, quoted(f.name), treeOf(value))
		}
	}
	return m
}

// quoted is a text, quoted where it must be to stay one.
// quoted is a text, in quotation marks where programs that read YAML 1.1 would take it for something else: a
// yes or no, a number to the base of 60, an octal one.
func quoted(s string) *yaml.Node {
	n := &yaml.Node{Kind: yaml.ScalarNode, Value: s, Tag: "!!str"}
	if elseIn11.MatchString(s) {
		n.Style = yaml.DoubleQuotedStyle
	}
	return n
}

var elseIn11 = regexp.MustCompile(`^(?i:y|n|yes|no|on|off|true|false|null|~|[-+]?[0-9][0-9_]*(:[0-5]?[0-9])+(\.[0-9_]*)?|[-+]?0[0-7_]+|[-+]?0b[01_]+|=|<<)$`)

func asByDefault(v reflect.Value, f field) bool {
	switch {
	case f.nullable:
		return v.IsNil()
	case v.Kind() == reflect.Slice:
		return v.Len() == 0
	case v.Kind() == reflect.Struct && v.Type() != instantType:
		for _, g := range documentFields(v.Type()) {
			if g.required || !asByDefault(v.Field(g.index), g) {
				return false
			}
		}
		return true
	case v.Kind() == reflect.Bool:
		return v.Bool() == (f.fallback == "true")
	case v.Kind() == reflect.String:
		return v.String() == f.fallback
	}
	return v.IsZero()
}
