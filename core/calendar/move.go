package calendar

import (
	"slices"

	"velada/core/access"
	"velada/core/parts"
)

// Move moves an end of a lane in a site to write in: its beginning, or its end. It returns
// false where there is no such lane any more, or none whose ends are its own. The zero
// instant takes the end away.
func Move(site *access.Site, key string, begins bool, to access.Instant) bool {
	set := func(from, until *access.Instant) bool {
		if begins {
			*from = to
		} else {
			*until = to
		}
		return true
	}
	moved := false
	site.MapWays(func(list []access.Way) []access.Way {
		for i := range list {
			if "way:"+keyOf(list[i]) == key {
				moved = set(&list[i].From, &list[i].Until)
			}
		}
		return list
	})
	if moved {
		return true
	}
	if site.Holding.On && key == "holding" && site.Holding.Repeat == nil {
		return set(&site.Holding.From, &site.Holding.Until)
	}
	if i := slices.IndexFunc(site.Passes, func(p access.Pass) bool { return "password:"+p.ID == key }); i >= 0 {
		return set(&site.Passes[i].From, &site.Passes[i].Until)
	}
	if i := slices.IndexFunc(site.Links, func(l access.Link) bool { return "link:"+l.ID == key }); i >= 0 {
		return set(&site.Links[i].From, &site.Links[i].Until)
	}
	for i := range site.Team {
		if site.Team[i].Accepted && "role:"+parts.EntryName(site.Team, i) == key {
			return set(&site.Team[i].From, &site.Team[i].Until)
		}
	}
	return false
}

// MoveInHouse is Move for the lanes of groups and house rules.
func MoveInHouse(doc *access.Document, key string, begins bool, to access.Instant) bool {
	set := func(from, until *access.Instant) bool {
		if begins {
			*from = to
		} else {
			*until = to
		}
		return true
	}
	for i := range doc.Groups {
		if "group:"+doc.Groups[i].ID == key {
			return set(&doc.Groups[i].From, &doc.Groups[i].Until)
		}
	}
	for i := range doc.Rules {
		if "rule:"+doc.Rules[i].ID == key {
			return set(&doc.Rules[i].From, &doc.Rules[i].Until)
		}
	}
	return false
}
