package web

import (
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/roster"
	"velada/words"
)

// Checked says of a list, while it is typed, how it is understood.
type Checked struct {
	Good []string
	Bad  []string
}

// CheckGuests says how a list of guests is understood.
func CheckGuests(g roster.Guests, w words.Wording) (v Checked) {
	inside, outside := 0, []string{}
	for _, who := range g.People {
		if strings.Contains(who, "@") {
			outside = append(outside, who)
		} else {
			inside++
		}
	}
	if inside > 0 {
		v.Good = append(v.Good, Count(inside, "person", "people")+" of the house.")
	}
	if len(outside) > 0 {
		v.Good = append(v.Good, Count(len(outside), "address", "addresses")+" from outside: "+ShortList(outside)+".")
	}
	if len(g.Twice) > 0 {
		var names []string
		for _, who := range g.Twice {
			names = append(names, w.Person(who))
		}
		v.Good = append(v.Good, "Listed more than once, and counted once: "+ShortList(names)+".")
	}
	v.Bad = g.Problems
	return v
}

// ShortList lists a few names, and how many more there are.
func ShortList(names []string) string { return ShortListOf(names, len(names)) }

// ShortListOf names the first of so many.
func ShortListOf(names []string, count int) string {
	names = names[:min(len(names), 6)]
	if len(names) == count {
		return strings.Join(names, ", ")
	}
	return strings.Join(names, ", ") + fmt.Sprintf(" and %d more", count-len(names))
}

// ReadGroups reads groups by name or id, a line each.
func ReadGroups(list string, doc *access.Document) (ids, unknown []string) {
	for _, line := range strings.FieldsFunc(list, func(r rune) bool { return strings.ContainsRune("\n\r;,", r) }) {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		i := slices.IndexFunc(doc.Groups, func(g access.Group) bool { return g.ID == line || strings.EqualFold(g.Name, line) })
		switch {
		case i < 0:
			unknown = append(unknown, line)
		case !slices.Contains(ids, doc.Groups[i].ID):
			ids = append(ids, doc.Groups[i].ID)
		}
	}
	return ids, unknown
}
