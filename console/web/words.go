package web

import (
	"fmt"
	"net/url"
	"strings"

	"velada/core/access"

	"velada/words"
)

// LowerArticle begins a name in the middle of a sentence: “The door” becomes “the door”.
func LowerArticle(name string) string {
	switch {
	case strings.HasPrefix(name, "A "):
		return "a" + name[1:]
	case strings.HasPrefix(name, "At "), strings.HasPrefix(name, "From "):
		return "somebody " + strings.ToLower(name[:1]) + name[1:]
	}
	return name
}

// PersonHit is a person that a search found.
type PersonHit struct{ ID, Name, Address, URL string }

// PassesURL is where a pass or link of a site is shown or changed.
func PassesURL(site, kind, id string, more ...string) string {
	q := url.Values{kind: {id}}
	for i := 0; i+1 < len(more); i += 2 {
		q.Set(more[i], more[i+1])
	}
	return "/sites/" + site + "/passes?" + q.Encode()
}

// MembersURL is where the members of a site are looked after.
func MembersURL(address string) string { return "/sites/" + address + "/members" }

// LocalPath returns a path of the console that a form names to lead back to; "" where it is
// none.
func LocalPath(text string) string {
	if !strings.HasPrefix(text, "/sites/") || strings.ContainsAny(text, "\\\r\n") {
		return ""
	}
	return text
}

// SizeWords says a size in bytes.
func SizeWords(n int) string {
	switch {
	case n < 1<<10:
		return fmt.Sprintf("%d bytes", n)
	case n < 1<<20:
		return fmt.Sprintf("%d KB", (n+512)>>10)
	}
	return fmt.Sprintf("%.1f MB", float64(n)/(1<<20))
}

// Harmless keeps a spreadsheet from taking a title for a formula.
func Harmless(text string) string {
	if text != "" && strings.ContainsRune("=+-@\t\r", rune(text[0])) {
		return "'" + text
	}
	return text
}

// OutcomeWords says what somebody gets on a page.
func OutcomeWords(o access.Outcome) string {
	return map[access.Outcome]string{
		access.Open: "it opens", access.Held: "a holding page", access.Challenge: "a further step", access.Pending: "waiting to be approved",
		access.Refused: "not for you", access.Missing: "no such page", access.Absent: "nothing here", access.Gone: "unpublished",
	}[o]
}

// roleOrder is the built-in roles, the most powerful first.
var RoleOrder = []string{"owner", "admin", "publisher", "editor", "usher", "analyst", "viewer"}

// Count says a number of things: 1 page, 2 pages, no people.
var Count = words.Count

// Thousands is words.Thousands.
var Thousands = words.Thousands

// WindowOf is the window for a decision.
func WindowOf(d access.Decision) Window {
	switch d.Outcome {
	case access.Open:
		return Window{Symbol: "open", Text: "opens"}
	case access.Challenge:
		return Window{Symbol: "step", Text: "opens after a step"}
	case access.Held:
		return Window{Symbol: "held", Text: "a holding page"}
	case access.Missing, access.Absent:
		return Window{Symbol: "hidden", Text: "looks as if it did not exist"}
	case access.Pending:
		return Window{Symbol: "shut", Text: "turned away: their request is waiting"}
	}
	return Window{Symbol: "shut", Text: "turned away"}
}
