package words

import (
	"cmp"
	"regexp"
	"strconv"
	"strings"
	"time"

	"velada/core/access"
)

// Problems says what is wrong with a document that somebody has changed: each thing by its name, and not by
// where it stands in the document.
func Problems(problems access.Problems, zone *time.Location) string {
	said := make([]string, len(problems))
	for i, p := range problems {
		text := ProblemText(p, zone)
		if at := place(p, zone); at != "" {
			text = at + ": " + text
		}
		said[i] = text + "."
	}
	return strings.Join(said, " ")
}

var noWindow = regexp.MustCompile(`^from (\S+) is not before until (\S+)$`)

// ProblemText says what is wrong without naming of what, with times in the house's zone.
func ProblemText(p access.Problem, zone *time.Location) string {
	m := noWindow.FindStringSubmatch(p.Text)
	if m == nil {
		return p.Text
	}
	from, err1 := access.ParseInstant(m[1])
	until, err2 := access.ParseInstant(m[2])
	if err1 != nil || err2 != nil {
		return p.Text
	}
	w := Wording{Zone: zone}
	return "it would end on " + w.When(until) + " and begin on " + w.When(from)
}

var step = regexp.MustCompile(`([a-z_]+)(?:\[([0-9]+)\])?`)

// place names what a problem is of, as in “Founders Fund Dossier, the password “Fundación Ribera””; "" where
// that has no name.
func place(p access.Problem, zone *time.Location) string {
	doc := p.In()
	if doc == nil {
		return ""
	}
	w := Wording{Document: doc, Zone: zone}
	var names []string
	var ways []access.Way
	for _, m := range step.FindAllStringSubmatch(p.Field, -1) {
		i, err := strconv.Atoi(m[2])
		if err != nil {
			i = -1
		}
		name := ""
		switch field := m[1]; {
		case field == "door":
			name = "the door"
			if w.Site != nil {
				ways = w.Site.Door.Ways
			}
		case field == "holding":
			name = "the holding page"
		case field == "sign_up":
			name = "signing up"
		case i < 0:
		case w.Site == nil && field == "sites" && i < len(doc.Sites):
			w.Site = doc.Sites[i]
			name = cmp.Or(w.Site.Title, w.Site.Address)
		case w.Site == nil && field == "people" && i < len(doc.People):
			name = cmp.Or(doc.People[i].Name, doc.People[i].ID)
		case w.Site == nil && field == "groups" && i < len(doc.Groups):
			name = "the group " + w.Group(doc.Groups[i].ID)
		case field == "rules" && i < len(doc.Rules):
			name = "a house rule"
		case field == "promises" && i < len(doc.Promises):
			name = "a promise"
		case w.Site != nil:
			name, ways = w.part(field, i, ways)
		}
		if name != "" {
			names = append(names, name)
		}
	}
	return strings.Join(names, ", ")
}

// part names an item of a list of a site, with the ways that stand within it.
func (w Wording) part(list string, i int, ways []access.Way) (string, []access.Way) {
	s := w.Site
	switch {
	case list == "passes" && i < len(s.Passes):
		return "the password “" + w.Pass(s.Passes[i].ID) + "”", ways
	case list == "links" && i < len(s.Links):
		return "the link " + w.Link(s.Links[i].ID), ways
	case list == "pages" && i < len(s.Pages):
		return "the page " + s.Pages[i].Path, nil
	case list == "doors" && i < len(s.Doors):
		return "the door of " + s.Doors[i].Path, s.Doors[i].Ways
	case list == "tables":
		return "a table", nil
	case list == "let_in" && i < len(s.Holding.LetIn):
		return "who gets by it, “" + w.WayName(s.Holding.LetIn[i]) + "”", nil
	case list == "team" && i < len(s.Team):
		return w.Entry(s.Team[i]) + " on the team", ways
	case list == "members" && i < len(s.Members):
		return w.Person(s.Members[i].Who), ways
	case list == "ways" && i < len(ways):
		return "the way in “" + w.WayName(ways[i]) + "”", ways
	}
	return "", ways
}
