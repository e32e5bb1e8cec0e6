package content

import (
	"regexp"
	"slices"

	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/renderer"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

// Container is a stretch of a Markdown text that is shown in a way of its own. It begins with a
// line of three colons, its name and what it is headed by, and ends with a line of three colons:
//
//	::: fold What to bring
//	A red lamp, and something warm.
//	:::
//
// Programs that do not know it show the text within, between two such lines.
type Container struct {
	ast.BaseBlock
	Name, Title string
	Number      int // of it in the text, from 1
}

// The names of containers.
const (
	Columns = "columns" // beside each other, cut where a line of --- stands
	Cards   = "cards"   // each item of a list
	Gallery = "gallery" // pictures, each large when it is chosen
	Notice  = "notice"
	Button  = "button" // a link that stands out
	Fold    = "fold"   // opened by whoever wants to read it
	Dates   = "dates"  // a list of items that begin with a date, or with a link to a page whose door has dates
	Files   = "files"  // those below the page, or below the path it is headed by
	Contact = "contact"
	Map     = "map"
	Video   = "video"
	Audio   = "audio"
	Below   = "below" // the pages below the page
)

var containers = []string{Columns, Cards, Gallery, Notice, Button, Fold, Dates, Files, Contact, Map, Video, Audio, Below}

// KindContainer is the kind of Container among the nodes of a text.
var KindContainer = ast.NewNodeKind("Container")

// Kind returns KindContainer.
func (c *Container) Kind() ast.NodeKind { return KindContainer }

// Dump prints the container, for debugging.
func (c *Container) Dump(source []byte, level int) {
	ast.DumpHelper(c, source, level, map[string]string{"Name": c.Name, "Title": c.Title}, nil)
}

var (
	containerBegins = regexp.MustCompile(`^ {0,3}:{3,}[ \t]*([a-z]+)(?:[ \t]+([^\r\n]*?))?[ \t]*\r?\n?$`)
	containerEnds   = regexp.MustCompile(`^ {0,3}:{3,}[ \t]*\r?\n?$`)
)

// mostNested is how deep containers stand in each other; what would be deeper is text.
const mostNested = 6

type containerParser struct{}

func (containerParser) Trigger() []byte { return []byte{':'} }

func (containerParser) Open(parent ast.Node, reader text.Reader, pc parser.Context) (ast.Node, parser.State) {
	line, segment := reader.PeekLine()
	m := containerBegins.FindSubmatch(line)
	if m == nil || !slices.Contains(containers, string(m[1])) || deep(parent) >= mostNested {
		return nil, parser.NoChildren
	}
	pass(reader, line, segment)
	return &Container{Name: string(m[1]), Title: string(m[2])}, parser.HasChildren
}

// pass goes to the end of a line, before what ends it.
func pass(reader text.Reader, line []byte, segment text.Segment) {
	end := 0
	if line[len(line)-1] == '\n' {
		end = 1
	}
	reader.Advance(segment.Len() - end)
}

func deep(n ast.Node) (many int) {
	for ; n != nil; n = n.Parent() {
		if n.Kind() == KindContainer {
			many++
		}
	}
	return many
}

func (containerParser) Continue(n ast.Node, reader text.Reader, pc parser.Context) parser.State {
	line, segment := reader.PeekLine()
	if !containerEnds.Match(line) {
		return parser.Continue | parser.HasChildren
	}
	within := false
	for _, open := range pc.OpenedBlocks() {
		switch {
		case open.Node == n:
			within = true
		case within && (open.Node.Kind() == KindContainer || open.Node.Kind() == ast.KindFencedCodeBlock):
			return parser.Continue | parser.HasChildren // the line is for what stands in it
		}
	}
	pass(reader, line, segment)
	return parser.Close
}

func (containerParser) Close(n ast.Node, _ text.Reader, _ parser.Context) {}
func (containerParser) CanInterruptParagraph() bool                       { return true }
func (containerParser) CanAcceptIndentedLine() bool                       { return false }

// containing is the extension of the Markdown parser that reads and renders containers, and
// pictures with captions.
type containing struct{}

func (containing) Extend(m goldmark.Markdown) {
	m.Parser().AddOptions(
		parser.WithBlockParsers(util.Prioritized(containerParser{}, 90)),
		parser.WithASTTransformers(util.Prioritized(arranging{}, 100)),
	)
	m.Renderer().AddOptions(renderer.WithNodeRenderers(util.Prioritized(containerRenderer{}, 100)))
}
