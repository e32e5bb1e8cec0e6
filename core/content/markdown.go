// Package content turns what editors write into what visitors read. It decides
// nothing about who may read it.
package content

import (
	"bytes"
	"fmt"
	"regexp"

	"github.com/microcosm-cc/bluemonday"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/text"
)

var (
	markdown = goldmark.New(
		goldmark.WithExtensions(extension.NewTable(extension.WithTableCellAlignMethod(extension.TableCellAlignAttribute)), extension.Strikethrough),
		goldmark.WithParserOptions(parser.WithAutoHeadingID()),
	)
	clean = policy()
)

// policy lets through what Markdown makes and nothing that runs, styles or
// loads from elsewhere by itself.
func policy() *bluemonday.Policy {
	p := bluemonday.UGCPolicy()
	p.AllowAttrs("id").Matching(regexp.MustCompile(`^[\p{L}\p{N}_-]+$`)).OnElements("h1", "h2", "h3", "h4", "h5", "h6")
	p.AllowAttrs("align").Matching(regexp.MustCompile(`^(left|right|center)$`)).OnElements("th", "td")
	p.RequireNoFollowOnLinks(false)
	return p
}

// Render turns Markdown (CommonMark with tables) into sanitised HTML.
func Render(body string) (string, error) { return RenderAt(body, Place{}) }

// RenderAt is Render for a text that stands at a place.
func RenderAt(body string, place Place) (string, error) {
	var b bytes.Buffer
	source := []byte(tame(body))
	document := markdown.Parser().Parse(text.NewReader(source))
	if place.Page != nil {
		place.resolve(document)
	}
	if err := markdown.Renderer().Render(&b, source, document); err != nil {
		return "", fmt.Errorf("rendering Markdown: %w", err)
	}
	return clean.Sanitize(b.String()), nil
}

// Sanitise takes out of HTML what could run, and how it looks.
func Sanitise(html string) string { return clean.Sanitize(html) }
