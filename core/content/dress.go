package content

import (
	"fmt"
	"html"
	"regexp"
	"strings"
	"time"
	"unicode/utf8"

	"velada/limits"
)

// Top cuts a rendered page after what it begins with: its heading, and the paragraph right after
// that, if it is text alone.
func Top(page string) (top, rest string) {
	page = strings.TrimLeft(page, "\n")
	if !strings.HasPrefix(page, "<h1") {
		return "", page
	}
	end := strings.Index(page, "</h1>")
	if end < 0 {
		return "", page
	}
	end += len("</h1>")
	after := strings.TrimLeft(page[end:], "\n")
	if strings.HasPrefix(after, "<p>") {
		if close := strings.Index(after, "</p>"); close > 0 {
			if first := after[:close]; !strings.Contains(first, "<img") && !strings.Contains(first, "[[") {
				return page[:end] + first + "</p>", after[close+len("</p>"):]
			}
		}
	}
	return page[:end], after
}

// Heading is a heading of a page, with the headings below it.
type Heading struct {
	ID, Text string
	Below    []Heading
}

var (
	heading = regexp.MustCompile(`<h([23]) id="([^"]+)">(.*?)</h[23]>`)
	anyTag  = regexp.MustCompile(`<[^>]*>`)
)

// What makes a page long enough for a list of what it holds.
const (
	fewestHeadings = 4
	shortestLong   = 3000 // bytes of HTML
)

// Outline returns the headings of a page that is long; nil for one that is not.
func Outline(page string) (list []Heading) {
	if len(page) < shortestLong || strings.Count(page, "<h2 id=") < fewestHeadings {
		return nil
	}
	for _, m := range heading.FindAllStringSubmatch(page, 200) {
		h := Heading{ID: html.UnescapeString(m[2]), Text: html.UnescapeString(anyTag.ReplaceAllString(m[3], ""))}
		switch {
		case m[1] == "2":
			list = append(list, h)
		case len(list) > 0:
			list[len(list)-1].Below = append(list[len(list)-1].Below, h)
		}
	}
	return list
}

// longestTeaser is how much of a page stands where it is led to, in bytes.
const longestTeaser = 170

var picture = regexp.MustCompile(`<img src="(/[^"]*)"`)

// Teaser returns how a rendered page begins, as a sentence or two, and the src of its first
// picture; "" where it has none.
func Teaser(page string) (words, src string) {
	if m := picture.FindStringSubmatch(page); m != nil {
		src = html.UnescapeString(m[1])
	}
	_, rest := "", page
	if top, after := Top(page); top != "" {
		rest = strings.TrimPrefix(top[strings.Index(top, "</h1>"):], "</h1>") + after
	}
	from := strings.Index(rest, "<p>")
	if from < 0 {
		return "", src
	}
	rest = rest[from:]
	end := strings.Index(rest, "</p>")
	if end < 0 || strings.Contains(rest[:end], "[[") {
		return "", src
	}
	words = strings.Join(strings.Fields(html.UnescapeString(anyTag.ReplaceAllString(rest[:end], ""))), " ")
	if len(words) > longestTeaser {
		cut := longestTeaser
		for cut > 0 && !utf8.RuneStart(words[cut]) {
			cut--
		}
		words = words[:cut]
		if i := strings.LastIndex(words, ". "); i > longestTeaser/3 {
			words = words[:i+1]
		} else if i := strings.LastIndexByte(words, ' '); i > 0 {
			words = words[:i] + " …"
		}
	}
	return words, src
}

var (
	placeHTML  = regexp.MustCompile(`(?:<p class="v-title">/[^<]*</p>)?<div class="v-(files|contact|below)">([^<]*)</div>`)
	datesTitle = regexp.MustCompile(`^<p class="v-title">([^<]*)</p>`)
)

// PutPlaces puts something in each place of a rendered page that waits for it: files, contact or
// below, with what the container was headed by.
func PutPlaces(page string, put func(name, title string) string) string {
	if !strings.Contains(page, `<div class="v-`) {
		return page
	}
	n := 0
	return placeHTML.ReplaceAllStringFunc(page, func(found string) string {
		if n++; n > limits.ListsOnPage {
			return ""
		}
		m := placeHTML.FindStringSubmatch(found)
		return put(m[1], html.UnescapeString(m[2]))
	})
}

// PutDates puts something in place of each list of dates of a rendered page: title is what it is
// headed by, items are its items, as HTML, and whatever else stands in it.
func PutDates(page string, put func(title string, items []string) string) string {
	if !strings.Contains(page, `<div class="v-dates">`) {
		return page
	}
	n := 0
	return eachElement(page, "div", "v-dates", func(list string) string {
		if n++; n > limits.ListsOnPage {
			return ""
		}
		list = strings.TrimSuffix(strings.TrimPrefix(list, `<div class="v-dates">`), "</div>")
		title := ""
		if m := datesTitle.FindStringSubmatch(list); m != nil {
			title, list = html.UnescapeString(m[1]), list[len(m[0]):]
		}
		var items []string
		rest := eachElement(list, "ul", "", func(ul string) string {
			eachElement(ul, "li", "", func(item string) string {
				item = strings.TrimSuffix(item[strings.Index(item, ">")+1:], "</li>")
				items = append(items, alone(strings.TrimSpace(item)))
				return ""
			})
			return ""
		})
		if rest = strings.TrimSpace(rest); rest != "" {
			items = append(items, rest)
		}
		return put(title, items)
	})
}

// alone is an item without the paragraph that it is all of, as blank lines between items make it.
func alone(item string) string {
	if within, is := strings.CutPrefix(item, "<p>"); is {
		if within, is = strings.CutSuffix(within, "</p>"); is && !strings.Contains(within, "<p>") {
			return strings.TrimSpace(within)
		}
	}
	return item
}

// Dated is an item of a list of dates: from when, until when, and what it says, as HTML.
type Dated struct {
	From, Until time.Time // Until is zero where it says no end
	Timed       bool      // From has a time of day
	HTML        string
}

var dated = regexp.MustCompile(`^(\d{4}-\d\d-\d\d)(?:[ T](\d\d?:\d\d))?(?:\s*(?:–|-|until)\s*(?:(\d{4}-\d\d-\d\d)\s*)?(\d\d?:\d\d)?)?[\s,:.]*`)

// ReadDated reads an item that begins with a date, as in 2026-12-11 19:30 – 23:00, in a zone; false
// where it does not.
func ReadDated(item string, zone *time.Location) (d Dated, ok bool) {
	m := dated.FindStringSubmatch(item)
	if m == nil {
		return d, false
	}
	read := func(day, clock string) (time.Time, error) {
		if clock == "" {
			return time.ParseInLocation(time.DateOnly, day, zone)
		}
		return time.ParseInLocation(time.DateOnly+" 15:04", fmt.Sprintf("%s %05s", day, clock), zone)
	}
	from, err := read(m[1], m[2])
	if err != nil {
		return d, false
	}
	d = Dated{From: from, Timed: m[2] != "", HTML: item[len(m[0]):]}
	if m[3] != "" || m[4] != "" {
		day := m[3]
		if day == "" {
			day = m[1]
		}
		until, err := read(day, m[4])
		if err != nil || until.Before(from) {
			return d, false
		}
		if m[4] == "" {
			until = until.AddDate(0, 0, 1) // the whole of that day
		}
		d.Until = until
	}
	return d, true
}

// Over reports whether what an item tells of is over at an instant.
func (d Dated) Over(at time.Time) bool {
	switch {
	case !d.Until.IsZero():
		return !at.Before(d.Until)
	case d.Timed:
		return !at.Before(d.From.Add(4 * time.Hour)) // it says no end
	}
	return !at.Before(d.From.AddDate(0, 0, 1))
}

var itemLink = regexp.MustCompile(`^(?:\s|<(?:p|em|strong|del|code)>)*<a href="(/[^"]*)"[^>]*>`)

// LinkOf returns the path that an item begins with a link to; "" where it does not.
func LinkOf(item string) string {
	if m := itemLink.FindStringSubmatch(item); m != nil {
		return html.UnescapeString(m[1])
	}
	return ""
}

var fileLink = regexp.MustCompile(`<a [^>]*class="v-file"[^>]*>(.*?)</a>`)
var hrefOf = regexp.MustCompile(` href="([^"]*)"`)

// Downloads says beside each link to a file what say returns for its address: how large it is.
func Downloads(page string, say func(href string) string) string {
	if !strings.Contains(page, `class="v-file"`) {
		return page
	}
	return fileLink.ReplaceAllStringFunc(page, func(link string) string {
		m := hrefOf.FindStringSubmatch(link)
		if m == nil {
			return link
		}
		if said := say(html.UnescapeString(m[1])); said != "" {
			return link + ` <span class="v-size">` + html.EscapeString(said) + "</span>"
		}
		return link
	})
}
