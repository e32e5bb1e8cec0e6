package content

import (
	"bytes"
	"fmt"
	"html"
	"path"
	"regexp"
	"strconv"
	"strings"

	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/renderer"
	"github.com/yuin/goldmark/text"
	"github.com/yuin/goldmark/util"
)

// arranging numbers containers, puts pictures with captions into figures, and marks who a quote
// is by and which links lead to files.
type arranging struct{}

func (arranging) Transform(document *ast.Document, reader text.Reader, _ parser.Context) {
	number := 0
	var alone []*ast.Paragraph
	_ = ast.Walk(document, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if !entering {
			return ast.WalkContinue, nil
		}
		switch n := n.(type) {
		case *Container:
			number++
			n.Number = number
		case *ast.Blockquote:
			if last, ok := n.LastChild().(*ast.Paragraph); ok && byline(last, reader.Source()) {
				last.SetAttributeString("class", []byte("v-by"))
			}
		case *ast.Link:
			if isFile(string(n.Destination)) {
				n.SetAttributeString("class", []byte("v-file"))
			}
		case *ast.Paragraph:
			if picture, ok := n.FirstChild().(*ast.Image); ok && n.ChildCount() == 1 && len(picture.Title) > 0 {
				alone = append(alone, n)
			}
		}
		return ast.WalkContinue, nil
	})
	for _, p := range alone {
		f := &figure{Caption: string(p.FirstChild().(*ast.Image).Title)}
		p.FirstChild().(*ast.Image).Title = nil
		p.Parent().ReplaceChild(p.Parent(), p, f)
		f.AppendChild(f, p.FirstChild())
	}
}

func byline(p *ast.Paragraph, source []byte) bool {
	lines := p.Lines()
	if lines.Len() == 0 {
		return false
	}
	at := lines.At(0)
	return bytes.HasPrefix(bytes.TrimSpace(at.Value(source)), []byte("— "))
}

// fileNames are the endings of files that are saved rather than read as pages.
var fileNames = regexp.MustCompile(`(?i)\.(pdf|zip|csv|tsv|ics|txt|docx?|xlsx?|pptx?|odt|ods|odp|epub|gpx|kml|json|mp3|ogg|wav|flac|m4a|mp4|webm|vtt)$`)

func isFile(to string) bool {
	at, _, _ := strings.Cut(to, "#")
	at, _, _ = strings.Cut(at, "?")
	return strings.HasPrefix(at, "/") && !strings.HasPrefix(at, "//") && fileNames.MatchString(at)
}

// figure is a picture with a caption.
type figure struct {
	ast.BaseBlock
	Caption string
}

var kindFigure = ast.NewNodeKind("Figure")

func (f *figure) Kind() ast.NodeKind { return kindFigure }

func (f *figure) Dump(source []byte, level int) { ast.DumpHelper(f, source, level, nil, nil) }

// containerRenderer renders containers and figures.
type containerRenderer struct{}

func (r containerRenderer) RegisterFuncs(to renderer.NodeRendererFuncRegisterer) {
	to.Register(KindContainer, r.container)
	to.Register(ast.KindThematicBreak, parted)
	to.Register(kindFigure, func(w util.BufWriter, _ []byte, n ast.Node, entering bool) (ast.WalkStatus, error) {
		if entering {
			_, _ = w.WriteString(`<figure class="v-picture">`)
		} else {
			_, _ = w.WriteString("<figcaption>" + html.EscapeString(n.(*figure).Caption) + "</figcaption></figure>\n")
		}
		return ast.WalkContinue, nil
	})
}

func (containerRenderer) container(w util.BufWriter, source []byte, n ast.Node, entering bool) (ast.WalkStatus, error) {
	c := n.(*Container)
	title := html.EscapeString(c.Title)
	write := func(parts ...string) (ast.WalkStatus, error) {
		for _, part := range parts {
			_, _ = w.WriteString(part)
		}
		return ast.WalkContinue, nil
	}
	heading := ""
	if title != "" {
		heading = `<p class="v-title">` + title + "</p>"
	}
	switch {
	case c.Name == Gallery || c.Name == Video || c.Name == Audio:
		if entering {
			if c.Name == Gallery {
				_, _ = w.WriteString(gallery(c, source))
			} else {
				_, _ = w.WriteString(media(c, source))
			}
		}
		return ast.WalkSkipChildren, nil
	case c.Name == Files || c.Name == Contact || c.Name == Below: // put in when somebody asks for the page
		if entering {
			if c.Name == Files && strings.HasPrefix(c.Title, "/") { // where they are, which is no heading
				return write(`<div class="v-files">`, title, "</div>\n")
			}
			return write(heading, `<div class="v-`, c.Name, `">`, "</div>\n")
		}
		return ast.WalkSkipChildren, nil
	case c.Name == Fold && entering:
		if title == "" {
			title = "More"
		}
		return write(`<details class="v-fold"><summary>`, title, "</summary>\n")
	case c.Name == Fold:
		return write("</details>\n")
	case c.Name == Columns && entering:
		return write(heading, `<div class="v-columns"><div class="v-column">`)
	case c.Name == Columns:
		return write("</div></div>\n")
	case entering:
		return write(`<div class="v-`, c.Name, `">`, heading)
	}
	return write("</div>\n")
}

// parted writes what stands between two columns in place of the rule that parts them.
func parted(w util.BufWriter, _ []byte, n ast.Node, entering bool) (ast.WalkStatus, error) {
	if !entering {
		return ast.WalkContinue, nil
	}
	if c, in := n.Parent().(*Container); in && c.Name == Columns {
		_, _ = w.WriteString(`</div><div class="v-column">`)
		return ast.WalkContinue, nil
	}
	_, _ = w.WriteString("<hr>\n")
	return ast.WalkContinue, nil
}

// gallery is a container's pictures, see writeGallery.
func gallery(c *Container, source []byte) string {
	var pictures []galleryPicture
	_ = ast.Walk(c, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if picture, ok := n.(*ast.Image); ok && entering {
			p := galleryPicture{Src: string(util.URLEscape(picture.Destination, true)), Alt: textOf(picture, source), Caption: string(picture.Title)}
			if f, in := picture.Parent().(*figure); in {
				p.Caption = f.Caption
			}
			pictures = append(pictures, p)
		}
		return ast.WalkContinue, nil
	})
	title := ""
	if c.Title != "" {
		title = `<p class="v-title">` + html.EscapeString(c.Title) + "</p>"
	}
	return title + writeGallery(strconv.Itoa(c.Number), pictures)
}

// media is what plays a film or a recording: the files that a container's links lead to, with
// their captions, a picture for before it begins, and the links themselves for whoever cannot
// play it.
func media(c *Container, source []byte) string {
	var sources, tracks, links strings.Builder
	poster := ""
	_ = ast.Walk(c, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if picture, ok := n.(*ast.Image); ok && entering {
			poster = fmt.Sprintf(` poster="%s"`, html.EscapeString(string(util.URLEscape(picture.Destination, true))))
		}
		link, ok := n.(*ast.Link)
		if !ok || !entering {
			return ast.WalkContinue, nil
		}
		to, name := html.EscapeString(string(util.URLEscape(link.Destination, true))), html.EscapeString(textOf(link, source))
		switch strings.ToLower(path.Ext(string(link.Destination))) {
		case ".mp4", ".webm", ".ogv", ".mp3", ".ogg", ".oga", ".m4a", ".wav", ".flac":
			fmt.Fprintf(&sources, `<source src="%s">`, to)
		case ".vtt":
			fmt.Fprintf(&tracks, `<track kind="captions" src="%s" label="%s">`, to, name)
		}
		fmt.Fprintf(&links, ` <a class="v-file" href="%s">%s</a>`, to, name)
		return ast.WalkSkipChildren, nil
	})
	if sources.Len() == 0 {
		return `<p class="v-title">` + html.EscapeString(c.Title) + "</p><p>" + links.String() + "</p>\n"
	}
	caption := links.String()
	if c.Title != "" {
		caption = html.EscapeString(c.Title) + "." + caption
	}
	if c.Name == Audio {
		poster = ""
	}
	return fmt.Sprintf(`<figure class="v-%s"><%s controls preload="metadata"%s>%s%s</%s><figcaption>%s</figcaption></figure>`+"\n",
		c.Name, c.Name, poster, sources.String(), tracks.String(), c.Name, caption)
}

// textOf is the words of a node.
func textOf(n ast.Node, source []byte) string {
	var b strings.Builder
	_ = ast.Walk(n, func(n ast.Node, entering bool) (ast.WalkStatus, error) {
		if entering {
			switch n := n.(type) {
			case *ast.Text:
				b.Write(n.Segment.Value(source))
			case *ast.String:
				b.Write(n.Value)
			}
		}
		return ast.WalkContinue, nil
	})
	return b.String()
}
