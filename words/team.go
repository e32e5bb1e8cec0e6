package words

import (
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
)

// TeamPath stands where a door's path does in a change of the team.
const TeamPath = "team"

// Entry says whose an entry of the team is.
func (w Wording) Entry(e access.TeamEntry) string {
	switch {
	case e.Person != "":
		return w.Person(e.Person)
	case e.Group != "":
		return "Everyone in " + w.Group(e.Group)
	}
	return e.Address
}

// Section says on what part of the site an entry counts.
func (w Wording) Section(under string) string {
	if under == "/" {
		return "the whole site"
	}
	return under + " and below"
}

// TeamChange says how an entry of the team differs from was, by its name as parts.EntryName returns.
func (w Wording) TeamChange(was Wording, name string) Change {
	find := func(s *access.Site) *access.TeamEntry {
		for i := range s.Team {
			if parts.EntryName(s.Team, i) == name {
				return &s.Team[i]
			}
		}
		return nil
	}
	before, after := find(was.Site), find(w.Site)
	text := ""
	switch {
	case before == nil:
		text = fmt.Sprintf("%s joins the team as %s, for %s, %s.", w.Entry(*after), after.Role, w.Section(after.Under), w.Window(after.From, after.Until))
	case after == nil:
		text = fmt.Sprintf("%s leaves the team, where they are %s for %s.", w.Entry(*before), before.Role, w.Section(before.Under))
	case before.Role != after.Role:
		text = fmt.Sprintf("%s becomes %s, from %s.", w.Entry(*after), after.Role, before.Role)
	default:
		text = fmt.Sprintf("%s is %s for %s, now %s.", w.Entry(*after), after.Role, w.Section(after.Under), w.Window(after.From, after.Until))
	}
	return Change{TeamPath, text}
}

func (w Wording) roleChange(was Wording, id string) Change {
	find := func(s *access.Site) *access.Role {
		if i := slices.IndexFunc(s.Roles, func(r access.Role) bool { return r.ID == id }); i >= 0 {
			return &s.Roles[i]
		}
		return nil
	}
	before, after := find(was.Site), find(w.Site)
	switch {
	case before == nil:
		return Change{TeamPath, fmt.Sprintf("A new role %s: its holder may %s.", id, CapabilityWords(access.CapabilitiesOf(after.Can...)))}
	case after == nil:
		return Change{TeamPath, fmt.Sprintf("The role %s is deleted.", id)}
	}
	return Change{TeamPath, fmt.Sprintf("The role %s: its holder may now %s.", id, CapabilityWords(access.CapabilitiesOf(after.Can...)))}
}

// CapabilityWords says what some capabilities let somebody do, as in "may …".
func CapabilityWords(c access.Capabilities) string {
	var parts []string
	for i := access.Preview; i <= access.Own; i++ {
		if c.Has(i) {
			parts = append(parts, i.Doing())
		}
	}
	switch len(parts) {
	case 0:
		return "do nothing"
	case 1:
		return parts[0]
	}
	return strings.Join(parts[:len(parts)-1], ", ") + " and " + parts[len(parts)-1]
}
