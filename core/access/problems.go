package access

import (
	"fmt"
	"strconv"
	"strings"
)

// Problem is one thing wrong with a document.
type Problem struct {
	Line  int    // from 1; 0 where the document was not read from text
	Field string // as in sites[0].door.ways[1].domains
	Text  string

	in *Document // where Field leads to; nil where the document was read from text
}

// In returns the document that is wrong, to name what Field leads to; nil where it was read from text.
func (p Problem) In() *Document { return p.in }

func (p Problem) String() string {
	var b strings.Builder
	if p.Line > 0 {
		fmt.Fprintf(&b, "line %d: ", p.Line)
	}
	if p.Field != "" {
		b.WriteString(p.Field + ": ")
	}
	return b.String() + p.Text
}

// Problems is everything wrong with a document, in its order.
type Problems []Problem

func (ps Problems) Error() string {
	lines := make([]string, len(ps))
	for i, p := range ps {
		lines[i] = p.String()
	}
	return strings.Join(lines, "\n")
}

// place is where in a document something stands, linked upward so that nothing
// is written out unless there is a problem.
type place struct {
	up   *place
	name string
	item int // ≥ 0 for an item of a list
}

func (p *place) field(name string) *place { return &place{p, name, -1} }
func (p *place) at(item int) *place       { return &place{p, "", item} }

func (p *place) String() string {
	if p == nil {
		return ""
	}
	head := p.up.String()
	switch {
	case p.item >= 0:
		return head + "[" + strconv.Itoa(p.item) + "]"
	case head == "":
		return p.name
	}
	return head + "." + p.name
}
