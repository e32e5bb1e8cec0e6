package access

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Read reads a policy document from YAML 1.2 or JSON and validates it. A
// refusal is of type [Problems] and names everything that is wrong at once.
func Read(text []byte) (*Document, error) {
	root, err := parseTree(text)
	if err != nil {
		return nil, err
	}
	r := &reader{refused: map[string]bool{}}
	doc := &Document{}
	setDefaults(reflect.ValueOf(doc).Elem())
	r.value(root, reflect.ValueOf(doc).Elem(), nil, field{})
	for _, p := range validate(doc, nil) {
		if !r.refused[p.where.String()] {
			r.problems = append(r.problems, Problem{Line: find(root, p.where).Line, Field: p.where.String(), Text: p.text})
		}
	}
	if len(r.problems) > 0 {
		slices.SortStableFunc(r.problems, func(a, b Problem) int { return a.Line - b.Line })
		return nil, r.problems
	}
	return doc, nil
}

// parseTree returns the one root node of a YAML or JSON text.
func parseTree(text []byte) (*yaml.Node, error) {
	if trimmed := bytes.TrimLeft(text, " \t\r\n"); len(trimmed) > 0 && trimmed[0] == '{' {
		if root, err := jsonTree(text); err == nil {
			return root, nil
		}
	}
	decoder := yaml.NewDecoder(bytes.NewReader(text))
	var document, second yaml.Node
	switch err := decoder.Decode(&document); {
	case errors.Is(err, io.EOF):
		return nil, Problems{{Line: 1, Text: "the document is empty"}}
	case err != nil:
		return nil, Problems{syntaxProblem(err)}
	}
	if err := decoder.Decode(&second); err == nil {
		return nil, Problems{{Line: second.Line, Text: "a second document: a policy is one document"}}
	} else if !errors.Is(err, io.EOF) {
		return nil, Problems{syntaxProblem(err)}
	}
	return document.Content[0], nil
}

var yamlLine = regexp.MustCompile(`^yaml: (?:line (\d+): )?`)

func syntaxProblem(err error) Problem {
	text, line := err.Error(), 1
	if m := yamlLine.FindStringSubmatch(text); m != nil {
		text = text[len(m[0]):]
		if n, err := strconv.Atoi(m[1]); err == nil {
			line = n
		}
	}
	return Problem{Line: line, Text: text}
}

// reader fills document types from a tree, noting every problem on the way.
type reader struct {
	problems Problems
	refused  map[string]bool // the places that have a problem: what they mean cannot be judged
}

func (r *reader) refuse(n *yaml.Node, where *place, format string, args ...any) {
	r.problems = append(r.problems, Problem{Line: n.Line, Field: where.String(), Text: fmt.Sprintf(format, args...)})
	r.refused[where.String()] = true
}

func (r *reader) value(n *yaml.Node, into reflect.Value, where *place, f field) {
	if into.Kind() == reflect.Pointer { // never nil, whatever stands there
		into.Set(reflect.New(into.Type().Elem()))
		setDefaults(into.Elem())
	}
	switch {
	case n.Kind == yaml.AliasNode:
		r.refuse(n, where, "an alias (*%s): write it out", n.Value)
	case scalarKind(n) == "null":
		r.refuse(n, where, "null: leave the field out instead")
	case into.Type() == instantType:
		if text, ok := r.text(n, where); ok {
			at, err := ParseInstant(text)
			if err != nil {
				r.refuse(n, where, "%v", err)
			}
			into.Set(reflect.ValueOf(at))
		}
	case into.Kind() == reflect.Pointer:
		r.mapping(n, into.Elem(), where)
	case into.Kind() == reflect.Struct:
		r.mapping(n, into, where)
	case into.Kind() == reflect.Slice:
		r.list(n, into, where, f)
	case into.Kind() == reflect.Bool:
		if scalarKind(n) != "bool" {
			r.refuse(n, where, "%s where true or false is wanted", kindName(n))
			return
		}
		into.SetBool(n.Value[0]|0x20 == 't')
	case into.Kind() == reflect.Int:
		number, err := strconv.Atoi(n.Value)
		if scalarKind(n) != "int" || err != nil {
			r.refuse(n, where, "%s where a whole number is wanted", kindName(n))
			return
		}
		into.SetInt(int64(number))
	default:
		text, ok := r.text(n, where)
		if ok && f.enum != nil && !slices.Contains(f.enum, text) {
			r.refuse(n, where, "%q is not one of %s", text, strings.Join(f.enum, ", "))
			return
		}
		into.SetString(text)
	}
}

func (r *reader) text(n *yaml.Node, where *place) (string, bool) {
	if scalarKind(n) != "string" {
		r.refuse(n, where, "%s where text is wanted", kindName(n))
		return "", false
	}
	return n.Value, true
}

func (r *reader) list(n *yaml.Node, into reflect.Value, where *place, f field) {
	if n.Kind != yaml.SequenceNode {
		r.refuse(n, where, "%s where a list is wanted", kindName(n))
		return
	}
	items := reflect.MakeSlice(into.Type(), len(n.Content), len(n.Content))
	for i, c := range n.Content {
		item := items.Index(i)
		if item.Kind() == reflect.Struct {
			setDefaults(item)
		}
		r.value(c, item, where.at(i), f)
	}
	into.Set(items)
}

func (r *reader) mapping(n *yaml.Node, into reflect.Value, where *place) {
	if n.Kind != yaml.MappingNode {
		r.refuse(n, where, "%s where fields are wanted", kindName(n))
		return
	}
	fields := documentFields(into.Type())
	seen := make(map[string]bool, len(n.Content)/2)
	for i := 0; i < len(n.Content); i += 2 {
		key := n.Content[i]
		if key.Kind != yaml.ScalarNode || scalarKind(key) != "string" {
			r.refuse(key, where, "%s where the name of a field is wanted", kindName(key))
			continue
		}
		at := where.field(key.Value)
		if seen[key.Value] {
			r.refuse(key, at, "the field stands twice")
			continue
		}
		seen[key.Value] = true
		known := slices.IndexFunc(fields, func(f field) bool { return f.name == key.Value })
		if known < 0 {
			r.refuse(key, at, "an unknown field")
			continue
		}
		r.value(n.Content[i+1], into.Field(fields[known].index), at, fields[known])
	}
	for _, f := range fields {
		if f.required && !seen[f.name] {
			r.refuse(n, where.field(f.name), "missing")
		}
	}
}

var (
	yamlInt   = regexp.MustCompile(`^([-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+)$`)
	yamlFloat = regexp.MustCompile(`^([-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?|[-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN))$`)
)

// scalarKind resolves a scalar by the core schema of YAML 1.2: null, bool, int,
// float or string, or "" for what is no scalar or bears a tag of its own.
func scalarKind(n *yaml.Node) string {
	if n.Kind != yaml.ScalarNode {
		return ""
	}
	if n.Style&yaml.TaggedStyle != 0 {
		return map[string]string{"!!null": "null", "!!bool": "bool", "!!int": "int", "!!float": "float", "!!str": "string"}[n.ShortTag()]
	}
	if n.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle|yaml.LiteralStyle|yaml.FoldedStyle) != 0 {
		return "string"
	}
	switch n.Value {
	case "", "~", "null", "Null", "NULL":
		return "null"
	case "true", "True", "TRUE", "false", "False", "FALSE":
		return "bool"
	}
	if c := n.Value[0]; c == '-' || c == '+' || c == '.' || c >= '0' && c <= '9' {
		if yamlInt.MatchString(n.Value) {
			return "int"
		}
		if yamlFloat.MatchString(n.Value) {
			return "float"
		}
	}
	return "string"
}

func kindName(n *yaml.Node) string {
	switch n.Kind {
	case yaml.MappingNode:
		return "fields"
	case yaml.SequenceNode:
		return "a list"
	}
	switch kind := scalarKind(n); kind {
	case "string":
		return "text"
	case "bool":
		return "true or false"
	case "int", "float":
		return "a number"
	case "null":
		return "null"
	}
	return "a value with a tag of its own"
}

// find returns the node at a place, or the nearest above it.
func find(root *yaml.Node, where *place) *yaml.Node {
	if where == nil {
		return root
	}
	n := find(root, where.up)
	if where.item >= 0 {
		if n.Kind == yaml.SequenceNode && where.item < len(n.Content) {
			return n.Content[where.item]
		}
		return n
	}
	if n.Kind == yaml.MappingNode {
		for i := 0; i < len(n.Content); i += 2 {
			if n.Content[i].Value == where.name {
				return n.Content[i+1]
			}
		}
	}
	return n
}
