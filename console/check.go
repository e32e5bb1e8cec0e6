package console

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"velada/core/roster"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
)

// checked says of a list, while it is typed, how it is understood.
type checked struct {
	Good []string
	Bad  []string
}

// check reads a list as the form of a way will, without changing anything.
func (c *Console) check(x *gin.Context) {
	s := c.House.State()
	list := x.PostForm("list")
	var v checked
	switch x.PostForm("kind") {
	case "people":
		v = checkGuests(roster.ReadGuests(list, c.known(x)), words.Wording{Document: c.known(x), Zone: s.Zone})
	case "groups":
		ids, unknown := readGroups(list, c.known(x))
		if len(ids) > 0 {
			v.Good = append(v.Good, count(len(ids), "group", "groups")+".")
		}
		for _, name := range unknown {
			v.Bad = append(v.Bad, fmt.Sprintf("There is no group “%s”.", name))
		}
	case "network":
		for _, n := range eachWord(list) {
			prefix, err := readNetwork(n)
			if err != nil {
				v.Bad = append(v.Bad, fmt.Sprintf("“%s” is %s.", n, networkProblem(err)))
				continue
			}
			v.Good = append(v.Good, networkWords(prefix))
		}
	case "domain":
		for _, n := range eachWord(list) {
			pattern, err := access.ParseDomainPattern(n)
			if err != nil {
				v.Bad = append(v.Bad, fmt.Sprintf("“%s” is %v.", n, err))
				continue
			}
			people := 0
			for _, p := range s.Policy.Document().People {
				if a, err := access.ParseAddress(p.Address); err == nil && pattern.Matches(a.Domain) {
					people++
				}
			}
			v.Good = append(v.Good, fmt.Sprintf("%s: %s of the house now.", n, count(people, "person", "people")))
		}
	}
	c.show(x, http.StatusOK, "checked", v)
}

func checkGuests(g roster.Guests, w words.Wording) (v checked) {
	inside, outside := 0, []string{}
	for _, who := range g.People {
		if strings.Contains(who, "@") {
			outside = append(outside, who)
		} else {
			inside++
		}
	}
	if inside > 0 {
		v.Good = append(v.Good, count(inside, "person", "people")+" of the house.")
	}
	if len(outside) > 0 {
		v.Good = append(v.Good, count(len(outside), "address", "addresses")+" from outside: "+shortList(outside)+".")
	}
	if len(g.Twice) > 0 {
		var names []string
		for _, who := range g.Twice {
			names = append(names, w.Person(who))
		}
		v.Good = append(v.Good, "Listed more than once, and counted once: "+shortList(names)+".")
	}
	v.Bad = g.Problems
	return v
}

func shortList(names []string) string { return shortListOf(names, len(names)) }

// shortListOf names the first of so many.
func shortListOf(names []string, count int) string {
	names = names[:min(len(names), 6)]
	if len(names) == count {
		return strings.Join(names, ", ")
	}
	return strings.Join(names, ", ") + fmt.Sprintf(" and %d more", count-len(names))
}

// readGroups reads groups by name or id, a line each.
func readGroups(list string, doc *access.Document) (ids, unknown []string) {
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

// pick finds people or groups of the house to put on a list.
func (c *Console) pick(x *gin.Context) {
	want := strings.ToLower(strings.TrimSpace(x.Query("find")))
	doc := c.known(x)
	const most = 8
	var hits []personHit
	if want == "" {
		c.show(x, http.StatusOK, "picked", hits)
		return
	}
	if x.Query("kind") == "groups" {
		for _, g := range doc.Groups {
			if len(hits) < most && strings.Contains(strings.ToLower(g.Name+" "+g.ID), want) {
				hits = append(hits, personHit{g.ID, cmp.Or(g.Name, g.ID), count(len(g.People), "person", "people") + " by name", ""})
			}
		}
	} else {
		for _, p := range doc.People {
			if len(hits) < most && strings.Contains(strings.ToLower(p.Name+" "+p.Address), want) {
				hits = append(hits, personHit{p.ID, cmp.Or(p.Name, p.ID), p.Address, ""})
			}
		}
	}
	c.show(x, http.StatusOK, "picked", hits)
}
