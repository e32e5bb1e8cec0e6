package content

import (
	"strconv"
	"strings"

	"golang.org/x/net/html"
)

// Picture is what is known of a picture that stands in a page.
type Picture struct {
	Width, Height int    // in pixels, as it is shown
	URL           string // its address, escaped
	Widths        []int  // in which it can be had, smaller than its own
	Text          string // what it shows, where the page does not say
}

// PictureSizes says how wide pictures are shown in a page's text, as the attribute sizes does.
const PictureSizes = "(max-width: 41rem) 100vw, 38rem"

// Pictures gives the pictures of a page their width and height, so that the text does not
// move when they come, and lets browsers have each in the size that they need. All but the
// first wait until they are near what is seen. page is sanitised HTML, find returns what is
// known of a picture by its src; what says its size itself stays as it is. sizes says how wide they
// are shown, as the attribute does.
func Pictures(page, sizes string, find func(src string) (Picture, bool)) string {
	if !strings.Contains(page, "<img") {
		return page
	}
	var out strings.Builder
	z := html.NewTokenizer(strings.NewReader(page))
	seen := 0
	for {
		kind := z.Next()
		if kind == html.ErrorToken {
			return out.String()
		}
		raw := string(z.Raw())
		if kind != html.StartTagToken && kind != html.SelfClosingTagToken {
			out.WriteString(raw)
			continue
		}
		t := z.Token()
		if t.Data != "img" {
			out.WriteString(raw)
			continue
		}
		if seen++; seen > 1 && attributeOf(t, "fetchpriority") == "" {
			set(&t, "loading", "lazy")
		}
		set(&t, "decoding", "async")
		p, found := find(attributeOf(t, "src"))
		if found && sizes == PictureSizes && attributeOf(t, "alt") == "" {
			describe(&t, p.Text)
		}
		within := false
		if found && attributeOf(t, "width") == "" && attributeOf(t, "height") == "" {
			set(&t, "width", strconv.Itoa(p.Width))
			set(&t, "height", strconv.Itoa(p.Height))
			if len(p.Widths) > 0 && attributeOf(t, "srcset") == "" {
				set(&t, "srcset", p.sources("")+", "+p.URL+" "+strconv.Itoa(p.Width)+"w")
				set(&t, "sizes", sizes)
				within = true
				source := html.Token{Type: html.SelfClosingTagToken, Data: "source"}
				set(&source, "type", "image/webp")
				set(&source, "srcset", p.sources("&as=webp"))
				set(&source, "sizes", sizes)
				out.WriteString("<picture>" + source.String())
			}
		}
		out.WriteString(t.String())
		if within {
			out.WriteString("</picture>")
		}
	}
}

// sources lists the widths of a picture for srcset; as is what its address says besides.
func (p Picture) sources(as string) string {
	var list []string
	for _, w := range p.Widths {
		list = append(list, p.URL+"?w="+strconv.Itoa(w)+as+" "+strconv.Itoa(w)+"w")
	}
	return strings.Join(list, ", ")
}

// describe says what a picture shows.
func describe(t *html.Token, text string) {
	for i := range t.Attr {
		if t.Attr[i].Key == "alt" {
			t.Attr[i].Val = text
			return
		}
	}
	t.Attr = append(t.Attr, html.Attribute{Key: "alt", Val: text})
}

func attributeOf(t html.Token, name string) string {
	for _, a := range t.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// set sets an attribute that a tag does not have yet.
func set(t *html.Token, name, value string) {
	if attributeOf(*t, name) == "" {
		t.Attr = append(t.Attr, html.Attribute{Key: name, Val: value})
	}
}
