package listing

import "strings"

// Pattern is how the title of a result is made of the names of page and site.
type Pattern string

// The patterns; the zero value is PageSite.
const (
	PageSite Pattern = "page-site"
	SitePage Pattern = "site-page"
	PageOnly Pattern = "page"
)

// Patterns lists them.
var Patterns = []Pattern{PageSite, SitePage, PageOnly}

// Title is the title of a page as a result shows it.
func (p Pattern) Title(page, site string) string {
	if page == site || site == "" {
		return page
	}
	switch p {
	case SitePage:
		return site + " · " + page
	case PageOnly:
		return page
	}
	return page + " · " + site
}

// How much of a title and of a description engines show, in letters, about.
const (
	TitleShown       = 60
	DescriptionShown = 160
)

// Excerpt is the beginning of a text, at most so many letters, cut between words.
func Excerpt(text string, most int) string {
	letters := []rune(text)
	if len(letters) <= most {
		return text
	}
	cut := string(letters[:most])
	if i := strings.LastIndexByte(cut, ' '); i > most/2 && letters[most] != ' ' {
		cut = cut[:i]
	}
	return strings.TrimRight(cut, " ·,;:") + "…"
}
