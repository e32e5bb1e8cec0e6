package words

import (
	"velada/core/access"
)

// Told is what search engines are told of a page, in words.
type Told struct {
	State string // "listed", "kept away" or "cannot be read"
	Why   string // a sentence
	Do    string // what would change it; "" is nothing that could be done here
}

// States of pages in search results.
const (
	StateListed = "listed"
	StateAway   = "kept away"
	StateUnread = "cannot be read"
)

// Told says what search engines are told of a page, and why. title names a page by its path.
func (w Wording) Told(t access.Told, title func(path string) string) Told {
	door := "the door of the site"
	if t.Door != "" {
		door = "the door of “" + title(t.Door) + "”"
	}
	switch t.Kind {
	case access.ToldListed:
		if t.Held {
			return Told{StateListed, "Anyone can open it. During maintenance they are asked to come again later.", ""}
		}
		return Told{StateListed, "Anyone can open it, and nothing speaks against it.", ""}
	case access.ToldNotSite:
		return Told{StateAway, "This site keeps search engines away.", "Let them in"}
	case access.ToldNotPage:
		return Told{StateAway, "This page keeps search engines away.", "Change the page"}
	case access.ToldByRule:
		text := "A house rule keeps search engines away."
		if t.Rule != nil && !t.Rule.Until.IsZero() {
			text = "A house rule keeps search engines away until " + w.When(t.Rule.Until) + "."
		}
		return Told{StateAway, text, "The rule"}
	case access.ToldHidden:
		return Told{StateUnread, Capital(door) + " hides it from strangers: they are told that there is no such page.", "That door"}
	case access.ToldShut:
		return Told{StateUnread, Capital(door) + " lets no stranger in, and search engines are strangers.", "That door"}
	case access.ToldSoon:
		return Told{StateUnread, "The coming soon page stands before it.", "The holding page"}
	}
	return Told{StateUnread, "Nothing of this site can be seen.", "Publish"}
}

// Dropping says how long search engines may show a page that they are told of no more,
// and what helps.
func Dropping(kind access.ToldKind) string {
	switch kind {
	case access.ToldNotSite, access.ToldNotPage, access.ToldByRule:
		return "Engines show it until they read it again: some days to some weeks. They must be able to read that it is not to be listed, so leave its door as it is until then. Where it must go at once, ask each engine by its own form for removals."
	case access.ToldSoon:
		return "Engines take a coming soon page for a short absence and show the page for some days more, without reading it. Where it must go at once, ask each engine by its own form for removals."
	}
	return "Engines are turned away when they come again, and drop it in some days to some weeks. Until then they may show its title and what they have read of it. Where it must go at once, ask each engine by its own form for removals."
}
