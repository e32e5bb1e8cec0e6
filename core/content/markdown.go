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
		goldmark.WithExtensions(extension.NewTable(extension.WithTableCellAlignMethod(extension.TableCellAlignAttribute)), extension.Strikethrough, extension.Footnote, containing{}),
		goldmark.WithParserOptions(parser.WithAutoHeadingID()),
	)
	clean   = policy()
	written = markdownPolicy()
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

// markdownPolicy lets through what the containers and footnotes of Markdown make besides. Whoever
// writes Markdown writes no HTML, so that none of it is anybody's own.
func markdownPolicy() *bluemonday.Policy {
	p := policy()
	p.AllowElements("button", "video", "audio", "source", "track")
	p.AllowAttrs("class").Matching(regexp.MustCompile(`^(v-[a-z]+|footnote-ref|footnote-backref|footnotes)$`)).OnElements("div", "p", "figure", "details", "button", "a")
	p.AllowAttrs("class").Matching(regexp.MustCompile(`^language-[A-Za-z0-9_+#-]+$`)).OnElements("code")
	p.AllowAttrs("id").Matching(regexp.MustCompile(`^(picture-\d+-\d+|fn\w*:\d+)$`)).OnElements("div", "sup", "li")
	p.AllowAttrs("role").Matching(regexp.MustCompile(`^doc-[a-z]+$`)).OnElements("div", "a")
	p.AllowAttrs("type").Matching(regexp.MustCompile(`^button$`)).OnElements("button")
	p.AllowAttrs("popover", "popovertarget", "popovertargetaction").Matching(regexp.MustCompile(`^(auto|show|hide|picture-\d+-\d+)$`)).OnElements("button", "div")
	p.AllowAttrs("controls", "preload").Matching(regexp.MustCompile(`^(|metadata)$`)).OnElements("video", "audio")
	local := regexp.MustCompile(`^/[^/]`) // nothing is loaded from elsewhere by itself
	p.AllowAttrs("poster").Matching(local).OnElements("video")
	p.AllowAttrs("src").Matching(local).OnElements("source", "track")
	p.AllowAttrs("kind").Matching(regexp.MustCompile(`^captions$`)).OnElements("track")
	p.AllowAttrs("label").Matching(bluemonday.Paragraph).OnElements("track")
	return p
}

// Render turns Markdown (CommonMark with tables, footnotes and containers) into sanitised HTML.
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
	return written.Sanitize(b.String()), nil
}

// Sanitise takes out of HTML what could run, and how it looks.
func Sanitise(html string) string { return clean.Sanitize(html) }
