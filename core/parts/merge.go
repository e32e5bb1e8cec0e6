// Package parts finds, changes and merges parts of a policy document. It decides nothing.
package parts

import (
	"cmp"
	"fmt"
	"slices"

	"velada/core/access"
)

// Unit is a part of a site that is changed as a whole: two people may change
// different units without meeting.
type Unit struct {
	Kind string // door, table, pass, link, holding, sign-up, team, role
	ID   string // a path, an id, or whose entry of the team it is
}

// units returns each unit of a site in its written form.
func units(s *access.Site) map[Unit]string {
	list := map[Unit]string{
		{"door", ""}:    Text(s.Door),
		{"holding", ""}: Text(s.Holding),
		{"sign-up", ""}: Text(s.SignUp),
	}
	for _, d := range s.Doors {
		list[Unit{"door", d.Path}] = Text(d)
	}
	for _, p := range s.Passes {
		list[Unit{"pass", p.ID}] = Text(p)
	}
	for _, l := range s.Links {
		list[Unit{"link", l.ID}] = Text(l)
	}
	for _, p := range s.Pages {
		for _, t := range p.Tables {
			list[Unit{"table", p.Path + "#" + t.ID}] = Text(t)
		}
	}
	for i, e := range s.Team {
		list[Unit{"team", EntryName(s.Team, i)}] = Text(e)
	}
	for _, r := range s.Roles {
		list[Unit{"role", r.ID}] = Text(r)
	}
	return list
}

// EntryName names an entry of a team by who it is, where, and the how-manieth.
func EntryName(team []access.TeamEntry, at int) string {
	who := func(e access.TeamEntry) string { return e.Person + "|" + e.Group + "|" + e.Address + "|" + e.Under }
	n := 0
	for _, e := range team[:at] {
		if who(e) == who(team[at]) {
			n++
		}
	}
	return fmt.Sprintf("%s|%d", who(team[at]), n)
}

// takeEntry is take for an entry of a team.
func takeEntry(list, from []access.TeamEntry, name string) []access.TeamEntry {
	find := func(team []access.TeamEntry) int {
		for i := range team {
			if EntryName(team, i) == name {
				return i
			}
		}
		return -1
	}
	list = slices.Clone(list)
	at, there := find(list), find(from)
	switch {
	case there < 0 && at >= 0:
		return slices.Delete(list, at, at+1)
	case there >= 0 && at >= 0:
		list[at] = from[there]
	case there >= 0:
		list = append(list, from[there])
	}
	return list
}

// Text returns a part of a document in its written form.
func Text(part any) string {
	text, err := access.PartJSON(part)
	if err != nil {
		panic(err) // parts of a document always write
	}
	return string(text)
}

// Changed lists the units that differ between two states of a site, in a
// steady order.
func Changed(before, after *access.Site) []Unit {
	was, is := units(before), units(after)
	var changed []Unit
	for u, text := range was {
		if is[u] != text {
			changed = append(changed, u)
		}
	}
	for u := range is {
		if _, there := was[u]; !there {
			changed = append(changed, u)
		}
	}
	place := places(after)
	slices.SortFunc(changed, func(a, b Unit) int {
		return cmp.Or(
			cmp.Compare(slices.Index(unitOrder, a.Kind), slices.Index(unitOrder, b.Kind)),
			cmp.Compare(place[a], place[b]), cmp.Compare(a.ID, b.ID))
	})
	return changed
}

var unitOrder = []string{"door", "table", "pass", "link", "holding", "sign-up", "team", "role"}

// places returns where in its list each unit of a site stands, from 1.
func places(s *access.Site) map[Unit]int {
	at := map[Unit]int{}
	for i, d := range s.Doors {
		at[Unit{"door", d.Path}] = i + 1
	}
	for i, p := range s.Passes {
		at[Unit{"pass", p.ID}] = i + 1
	}
	for i, l := range s.Links {
		at[Unit{"link", l.ID}] = i + 1
	}
	for i := range s.Team {
		at[Unit{"team", EntryName(s.Team, i)}] = i + 1
	}
	for i, r := range s.Roles {
		at[Unit{"role", r.ID}] = i + 1
	}
	return at
}

// Merge puts what a rehearsal changed (base → draft) onto the site as it is
// now. clashes are the units that somebody else changed differently meanwhile;
// there the rehearsal's state is taken.
func Merge(base, draft, now *access.Site) (merged *access.Site, clashes []Unit) {
	copied := *now
	merged = &copied
	was, is, wants := units(base), units(now), units(draft)
	for _, u := range Changed(base, draft) {
		if is[u] != was[u] && is[u] != wants[u] {
			clashes = append(clashes, u)
		}
		switch u.Kind {
		case "door":
			if u.ID == "" {
				merged.Door = draft.Door
			} else {
				merged.Doors = take(merged.Doors, draft.Doors, func(d access.PageDoor) bool { return d.Path == u.ID })
			}
		case "pass":
			merged.Passes = take(merged.Passes, draft.Passes, func(p access.Pass) bool { return p.ID == u.ID })
		case "link":
			merged.Links = take(merged.Links, draft.Links, func(l access.Link) bool { return l.ID == u.ID })
		case "holding":
			merged.Holding = draft.Holding
		case "sign-up":
			merged.SignUp = draft.SignUp
		case "table":
			door, _ := DoorAt(draft, TablePrefix+u.ID)
			merged.Pages = access.ClonePages(merged.Pages)
			SetTable(merged, TablePrefix+u.ID, door.Ways)
		case "team":
			merged.Team = takeEntry(merged.Team, draft.Team, u.ID)
		case "role":
			merged.Roles = take(merged.Roles, draft.Roles, func(r access.Role) bool { return r.ID == u.ID })
		}
	}
	return merged, clashes
}

// take replaces, adds or removes the one item that is meant, as from has it.
func take[T any](list, from []T, meant func(T) bool) []T {
	list = slices.Clone(list)
	at, there := slices.IndexFunc(list, meant), slices.IndexFunc(from, meant)
	switch {
	case there < 0 && at >= 0:
		return slices.Delete(list, at, at+1)
	case there >= 0 && at >= 0:
		list[at] = from[there]
	case there >= 0:
		list = append(list, from[there])
	}
	return list
}
