package access

import (
	"bytes"
	"encoding/json"
	"fmt"

	"github.com/go-json-experiment/json/jsontext"
	"go.yaml.in/yaml/v3"
)

// jsonTree reads JSON into the tree that YAML gives, by JSON's own rules for
// escapes, which differ from YAML's. Duplicate names are left for the reader,
// which says where they stand.
func jsonTree(text []byte) (*yaml.Node, error) {
	t := &jsonReader{text: text, line: 1, decoder: jsontext.NewDecoder(bytes.NewBuffer(text), jsontext.AllowDuplicateNames(true))}
	root, err := t.node()
	if err != nil {
		return nil, err
	}
	if rest := bytes.TrimSpace(text[t.decoder.InputOffset():]); len(rest) > 0 {
		return nil, fmt.Errorf("line %d: something follows the document", t.line)
	}
	return root, nil
}

type jsonReader struct {
	text    []byte
	counted int
	line    int
	decoder *jsontext.Decoder
}

func (t *jsonReader) node() (*yaml.Node, error) {
	token, err := t.decoder.ReadToken()
	if err != nil {
		return nil, err
	}
	end := int(t.decoder.InputOffset())
	t.line += bytes.Count(t.text[t.counted:end], []byte("\n"))
	t.counted = end
	n := &yaml.Node{Kind: yaml.ScalarNode, Line: t.line}
	switch token.Kind() {
	case '{', '[':
		n.Kind = yaml.MappingNode
		if token.Kind() == '[' {
			n.Kind = yaml.SequenceNode
		}
		for t.decoder.PeekKind() != '}' && t.decoder.PeekKind() != ']' {
			child, err := t.node()
			if err != nil {
				return nil, err
			}
			n.Content = append(n.Content, child)
		}
		if _, err := t.decoder.ReadToken(); err != nil {
			return nil, err
		}
	case '"':
		n.Value, n.Tag, n.Style = token.String(), "!!str", yaml.DoubleQuotedStyle
	case 'n':
		n.Value = "null"
	default:
		n.Value = token.String()
	}
	return n, nil
}

// jsonOf writes a tree as indented JSON.
func jsonOf(root *yaml.Node) ([]byte, error) {
	var b bytes.Buffer
	encoder := jsontext.NewEncoder(&b, jsontext.WithIndent(" "))
	if err := writeJSON(encoder, root); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

func writeJSON(e *jsontext.Encoder, n *yaml.Node) error {
	open, end := jsontext.BeginObject, jsontext.EndObject
	switch {
	case n.Kind == yaml.ScalarNode && n.Tag == "!!str":
		return e.WriteToken(jsontext.String(n.Value))
	case n.Kind == yaml.ScalarNode:
		if !json.Valid([]byte(n.Value)) {
			return fmt.Errorf("%q is no JSON value", n.Value)
		}
		return e.WriteValue(jsontext.Value(n.Value))
	case n.Kind == yaml.SequenceNode:
		open, end = jsontext.BeginArray, jsontext.EndArray
	}
	if err := e.WriteToken(open); err != nil {
		return err
	}
	for _, child := range n.Content {
		if err := writeJSON(e, child); err != nil {
			return err
		}
	}
	return e.WriteToken(end)
}
