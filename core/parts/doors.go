package parts

import (
	"strings"

	"velada/core/access"
)

// Within reports whether an instant lies in a window; a zero end is open.
func Within(from, until, at access.Instant) bool {
	return (from.IsZero() || !at.Before(from)) && (until.IsZero() || at.Before(until))
}

// TablePrefix stands before the path of a page in the name of the door of a
// table on it: table:/notes#magnitudes.
const TablePrefix = "table:"

// TableDoor is the name of a table's door.
func TableDoor(path, id string) string { return TablePrefix + path + "#" + id }

// CutTable returns the page and id of a table's door.
func CutTable(door string) (path, id string, is bool) {
	rest, is := strings.CutPrefix(door, TablePrefix)
	if !is {
		return "", "", false
	}
	i := strings.LastIndexByte(rest, '#')
	if i < 0 {
		return "", "", false
	}
	return rest[:i], rest[i+1:], true
}

// tableAt finds a table of a site.
func tableAt(s *access.Site, path, id string) *access.Table {
	for i := range s.Pages {
		for j := range s.Pages[i].Tables {
			if s.Pages[i].Path == path && s.Pages[i].Tables[j].ID == id {
				return &s.Pages[i].Tables[j]
			}
		}
	}
	return nil
}

// SetTable sets the ways of a table in a draft whose pages are its own; nil shows
// it to whoever the page opens to.
func SetTable(draft *access.Site, door string, ways []access.Way) {
	path, id, _ := CutTable(door)
	if t := tableAt(draft, path, id); t != nil {
		t.Ways = ways
	}
}

// LetIn stands where a door's path does for the ways past the holding page.
const LetIn = "let-in"

// DoorAt returns the ways, mode and hide of the door at a path; "" is the site's own.
func DoorAt(s *access.Site, path string) (door access.PageDoor, there bool) {
	if path == LetIn {
		return access.PageDoor{Ways: s.Holding.LetIn}, true
	}
	if page, id, is := CutTable(path); is {
		if t := tableAt(s, page, id); t != nil && t.Ways != nil {
			return access.PageDoor{Ways: t.Ways}, true
		}
		return access.PageDoor{Path: path}, false
	}
	if path == "" {
		return access.PageDoor{Ways: s.Door.Ways, Hide: s.Door.Hide}, true
	}
	for _, d := range s.Doors {
		if d.Path == path {
			return d, true
		}
	}
	return access.PageDoor{Path: path, Mode: "also"}, false
}

// Pass returns a pass of a site by id, or nil.
func Pass(s *access.Site, id string) *access.Link {
	for _, p := range s.Passes {
		if p.ID == id {
			return &access.Link{ID: p.ID, Label: p.Label, Under: p.Under, From: p.From, Until: p.Until, Revoked: p.Revoked}
		}
	}
	return nil
}

// Link returns a link of a site by id, or nil.
func Link(s *access.Site, id string) *access.Link {
	for i := range s.Links {
		if s.Links[i].ID == id {
			return &s.Links[i]
		}
	}
	return nil
}
