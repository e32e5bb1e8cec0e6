package content

import (
	"slices"
	"strings"

	"golang.org/x/net/html"
)

// silent elements hold no text that is read; inline ones end no word.
var (
	silent = []string{"script", "style", "head", "template", "noscript", "button"}
	inline = []string{"a", "abbr", "b", "cite", "code", "del", "em", "i", "ins", "kbd", "mark", "q", "s", "small", "span", "strong", "sub", "sup", "u", "var"}
)

// Plain returns the words of HTML, without its tags and without what is no text: scripts,
// styles, the head. Blanks are single, and a dot stands after a heading.
func Plain(text string) string {
	var b strings.Builder
	z := html.NewTokenizer(strings.NewReader(text))
	skip := "" // the silent element that it is in
	for {
		kind := z.Next()
		switch kind {
		case html.ErrorToken:
			return strings.Join(strings.Fields(b.String()), " ")
		case html.TextToken:
			if skip == "" {
				b.Write(z.Text())
			}
		case html.StartTagToken, html.SelfClosingTagToken, html.EndTagToken:
			raw, _ := z.TagName()
			name := string(raw)
			switch {
			case skip == name && kind == html.EndTagToken:
				skip = ""
			case skip == "" && kind == html.StartTagToken && slices.Contains(silent, name):
				skip = name
			case kind == html.EndTagToken && len(name) == 2 && name[0] == 'h' && name[1] <= '6': // a heading
				b.WriteString(" ·")
			}
			if !slices.Contains(inline, name) {
				b.WriteByte(' ')
			}
		}
	}
}

// HeadOf returns the title of a page of HTML, and its description.
func HeadOf(text string) (title, description string) {
	z := html.NewTokenizer(strings.NewReader(text))
	for {
		switch z.Next() {
		case html.ErrorToken:
			return title, description
		case html.StartTagToken, html.SelfClosingTagToken:
			t := z.Token()
			switch t.Data {
			case "title":
				if z.Next() == html.TextToken {
					title = strings.Join(strings.Fields(string(z.Text())), " ")
				}
			case "meta":
				if strings.EqualFold(attribute(t, "name"), "description") {
					description = strings.Join(strings.Fields(attribute(t, "content")), " ")
				}
			case "body":
				return title, description
			}
		}
	}
}

func attribute(t html.Token, name string) string {
	for _, a := range t.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}
