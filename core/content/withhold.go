package content

import (
	"fmt"
	"html"
	"strings"

	xhtml "golang.org/x/net/html"
)

// What cards, galleries, films and recordings of a rendered page bring in is shown to those alone to
// whom it opens: an item stands or falls with every page, file and picture of the site that it leads to.

// Withhold takes out of a rendered page each card, picture of a gallery, film and recording that leads
// to something of the site that does not open; opens is asked with the paths of links and pictures, as
// they stand in the page.
func Withhold(page string, opens func(path string) bool) string {
	if !strings.Contains(page, `class="v-cards"`) && !strings.Contains(page, `class="v-gallery"`) && !strings.Contains(page, `class="v-video"`) && !strings.Contains(page, `class="v-audio"`) {
		return page
	}
	all := func(of string) bool {
		for _, path := range LinksIn(of) {
			if !opens(path) {
				return false
			}
		}
		return true
	}
	page = eachElement(page, "div", "v-cards", func(cards string) string {
		return eachElement(cards, "li", "", func(item string) string {
			if all(item) {
				return item
			}
			return ""
		})
	})
	for _, class := range []string{"v-video", "v-audio"} {
		page = eachElement(page, "figure", class, func(media string) string {
			if all(media) {
				return media
			}
			return ""
		})
	}
	return eachElement(page, "div", "v-gallery", func(gallery string) string { return galleryOf(gallery, opens) })
}

// Unconditional is what of a rendered page everybody reads to whom it opens: without what stands or
// falls with something else, and without what is put in when somebody asks for the page.
func Unconditional(page string) string {
	page = PutTables(page, func(TablePlace) string { return "" })
	page = PutPlaces(page, func(string, string) string { return "" })
	page = PutDates(page, func(title string, items []string) string {
		var b strings.Builder
		if !strings.HasPrefix(title, "/") && title != "" {
			b.WriteString("<p>" + html.EscapeString(title) + "</p>")
		}
		for _, item := range items {
			if len(LinksIn(item)) == 0 {
				b.WriteString("<p>" + item + "</p>")
			}
		}
		return b.String()
	})
	return Withhold(page, func(string) bool { return false })
}

// LinksIn lists the paths of the site that links, pictures and the like in some HTML lead to.
func LinksIn(text string) (paths []string) {
	z := xhtml.NewTokenizer(strings.NewReader(text))
	for {
		switch z.Next() {
		case xhtml.ErrorToken:
			return paths
		case xhtml.StartTagToken, xhtml.SelfClosingTagToken:
			for _, a := range z.Token().Attr {
				if a.Key != "href" && a.Key != "src" && a.Key != "poster" || !strings.HasPrefix(a.Val, "/") || strings.HasPrefix(a.Val, "//") {
					continue
				}
				path, _, _ := strings.Cut(a.Val, "#")
				path, _, _ = strings.Cut(path, "?")
				paths = append(paths, path)
			}
		}
	}
}

// eachElement puts what change makes of them in the place of the outermost elements of a name and a
// class; "" is any class.
func eachElement(page, name, class string, change func(element string) string) string {
	var out strings.Builder
	z := xhtml.NewTokenizer(strings.NewReader(page))
	at, from, depth, kept := 0, 0, 0, 0
	for {
		kind := z.Next()
		if kind == xhtml.ErrorToken {
			break
		}
		begins := at
		at += len(z.Raw())
		raw, hasAttributes := z.TagName()
		if string(raw) != name {
			continue
		}
		switch kind {
		case xhtml.StartTagToken:
			switch {
			case depth > 0:
				depth++
			case class == "" || hasAttributes && hasClass(z, class):
				depth, from = 1, begins
			}
		case xhtml.EndTagToken:
			if depth == 0 {
				continue
			}
			if depth--; depth == 0 {
				out.WriteString(page[kept:from])
				out.WriteString(change(page[from:at]))
				kept = at
			}
		}
	}
	out.WriteString(page[kept:])
	return out.String()
}

func hasClass(z *xhtml.Tokenizer, class string) bool {
	for {
		key, value, more := z.TagAttr()
		if string(key) == "class" {
			return string(value) == class
		}
		if !more {
			return false
		}
	}
}

// galleryPicture is a picture of a gallery, as HTML has it.
type galleryPicture struct{ Src, Alt, Caption string }

// galleryOf is a rendered gallery with just those pictures that open; "" without any.
func galleryOf(gallery string, opens func(path string) bool) string {
	var list []galleryPicture
	number, withheld := "", false
	eachElement(gallery, "div", "v-large", func(large string) string {
		p := galleryPicture{}
		caption := false
		z := xhtml.NewTokenizer(strings.NewReader(large))
		for kind := z.Next(); kind != xhtml.ErrorToken; kind = z.Next() {
			switch t := z.Token(); {
			case kind == xhtml.StartTagToken && t.Data == "div" && number == "":
				number, _, _ = strings.Cut(strings.TrimPrefix(attribute(t, "id"), "picture-"), "-")
			case (kind == xhtml.StartTagToken || kind == xhtml.SelfClosingTagToken) && t.Data == "img":
				p.Src, p.Alt = attribute(t, "src"), attribute(t, "alt")
			case kind == xhtml.StartTagToken && t.Data == "p":
				caption = attribute(t, "class") == "v-caption"
			case kind == xhtml.TextToken && caption:
				p.Caption += t.Data
			case kind == xhtml.EndTagToken && t.Data == "p":
				caption = false
			}
		}
		if path, _, _ := strings.Cut(p.Src, "?"); strings.HasPrefix(path, "/") && !strings.HasPrefix(path, "//") && !opens(path) {
			withheld = true
			return ""
		}
		list = append(list, p)
		return ""
	})
	if !withheld {
		return gallery
	}
	return writeGallery(number, list)
}

// writeGallery is a gallery's pictures small, each a button that opens it large: with what is
// before and after it, and without a script.
func writeGallery(number string, pictures []galleryPicture) string {
	if len(pictures) == 0 {
		return ""
	}
	var b strings.Builder
	b.WriteString(`<div class="v-gallery">`)
	id := func(i int) string { return fmt.Sprintf("picture-%s-%d", number, i+1) }
	for i, p := range pictures {
		fmt.Fprintf(&b, `<button type="button" class="v-thumb" popovertarget="%s"><img src="%s" alt="%s"></button>`, id(i), html.EscapeString(p.Src), html.EscapeString(p.Alt))
	}
	for i, p := range pictures {
		fmt.Fprintf(&b, `<div class="v-large" id="%s" popover="auto"><img src="%s" alt="%s">`, id(i), html.EscapeString(p.Src), html.EscapeString(p.Alt))
		if p.Caption != "" {
			b.WriteString(`<p class="v-caption">` + html.EscapeString(p.Caption) + "</p>")
		}
		b.WriteString(`<p class="v-turn">`)
		if i > 0 {
			fmt.Fprintf(&b, `<button type="button" popovertarget="%s" popovertargetaction="show">Picture before</button>`, id(i-1))
		}
		fmt.Fprintf(&b, `<span>%d of %d</span>`, i+1, len(pictures))
		if i < len(pictures)-1 {
			fmt.Fprintf(&b, `<button type="button" popovertarget="%s" popovertargetaction="show">Next picture</button>`, id(i+1))
		}
		fmt.Fprintf(&b, `<button type="button" popovertarget="%s" popovertargetaction="hide">Close</button></p></div>`, id(i))
	}
	b.WriteString("</div>\n")
	return b.String()
}
