package people

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/words"
)

// RosterForm is a roster that comes in.
type RosterForm struct {
	Sheet  *roster.Sheet
	Fields []roster.Field
	Group  string // the id of the group that it is the roster of
	Teams  bool   // the column of groups names groups within that one
	Gone   bool   // whoever is no longer listed leaves the group
}

// RosterPlan is what a roster would change, person by person.
type RosterPlan struct {
	New, Renamed, Moved, Gone []RosterRow
	Same                      int
	Groups                    []string // new ones, by name
	Problems                  []RosterRow
	Change                    house.PeopleChange
}

// RosterRow is somebody of a roster, with what is said of them.
type RosterRow struct {
	Line                int
	Name, Address, Text string
}

// PlanRoster works out what a roster would change in a group and in the groups
// within it. Lines that cannot be read are told, and the rest is not lost.
func PlanRoster(ctx context.Context, h *house.House, a house.Actor, f RosterForm) (*RosterPlan, error) {
	if err := h.May(ctx, a, house.Needs{Keeps: f.Group}); err != nil {
		return nil, err
	}
	steward, reaches := h.IsSteward(a), h.State().Settings.Reaches
	plan, err := planRoster(h.State().Policy.Document(), f, steward, reaches)
	if err != nil {
		return nil, err
	}
	seen := plan.Change.What
	plan.Change.Do = func(doc *access.Document) error { // worked out anew: others may have changed the groups since
		now, err := planRoster(doc, f, steward, reaches)
		if err != nil {
			return err
		}
		if now.Change.What != seen {
			return ErrMoved
		}
		return now.Change.Do(doc)
	}
	return plan, nil
}

// ErrMoved says that a change would do something else by now than what was shown.
var ErrMoved = errors.New("somebody else changed these people or groups meanwhile: look at what it would do now, then go on")

func planRoster(doc *access.Document, f RosterForm, steward bool, reaches func(access.Address) bool) (*RosterPlan, error) {
	class := parts.GroupAt(doc, f.Group)
	if class == nil {
		return nil, house.FieldErrors{"group": "Choose the group that this is the roster of."}
	}
	plan := &RosterPlan{}
	byAddress, byID := map[access.Address]*access.Person{}, map[string]*access.Person{}
	for i := range doc.People {
		p := &doc.People[i]
		byID[p.ID] = p
		if at, err := access.ParseAddress(p.Address); err == nil {
			byAddress[at] = p
		}
	}
	// where everybody of the class stands now
	stood := map[string]string{} // person → group
	for _, id := range class.People {
		stood[id] = class.ID
	}
	teamByName := map[string]string{} // lower case name → id
	for _, id := range class.Groups {
		g := parts.GroupAt(doc, id)
		teamByName[strings.ToLower(cmp.Or(g.Name, g.ID))] = id
		for _, p := range g.People {
			stood[p] = id
		}
	}
	groupName := func(id string) string { return words.Wording{Document: doc}.Group(id) }
	named := map[string]string{} // how new groups are spelled first
	type placed struct{ id, team string }
	var people []access.Person // new ones
	var places []placed
	renamed := map[string]string{}
	taken := map[string]bool{}
	listed := map[access.Address]int{}
	for _, row := range f.Sheet.People(f.Fields) {
		say := func(text string) {
			plan.Problems = append(plan.Problems, RosterRow{row.Line, row.Name, row.Address, text})
		}
		at, err := access.ParseAddress(row.Address)
		switch {
		case row.Address == "":
			say("There is no address.")
			continue
		case err != nil:
			say("This is " + err.Error() + ".")
			continue
		case listed[at] > 0:
			say(fmt.Sprintf("The same address stands on line %d.", listed[at]))
			continue
		}
		listed[at] = row.Line
		if row.Name != "" {
			var text string
			if row.Name, text = house.NameTyped(row.Name); text != "" {
				say(text)
				continue
			}
		}
		team := ""
		if f.Teams && row.Group != "" && !strings.EqualFold(row.Group, groupName(class.ID)) {
			team = strings.ToLower(row.Group)
			if teamByName[team] == "" && named[team] == "" {
				name, text := house.NameTyped(row.Group)
				switch {
				case text != "":
					say("The group: " + text)
					continue
				case parts.GroupNamed(doc, name, ""):
					say("There is a group “" + name + "” already, and it is not in this one. A steward can put it there.")
					continue
				}
				named[team] = name
				plan.Groups = append(plan.Groups, name)
			}
		}
		p := byAddress[at]
		line := RosterRow{Line: row.Line, Name: row.Name, Address: at.String()}
		if p == nil {
			if !steward && reaches(at) {
				say("Only a steward brings somebody into the house whom mail reaches. Ask one, or have the address invited.")
				continue
			}
			if row.Name == "" {
				row.Name = at.Local
			}
			id := parts.FreeID(row.Name, "person", func(id string) bool { return taken[id] || byID[id] != nil })
			taken[id] = true
			people = append(people, access.Person{ID: id, Name: row.Name, Address: at.String()})
			places = append(places, placed{id, team})
			line.Name, line.Text = row.Name, cmp.Or(row.Group, groupName(class.ID))
			plan.New = append(plan.New, line)
			continue
		}
		places = append(places, placed{p.ID, team})
		same := true
		if row.Name != "" && row.Name != p.Name {
			same = false
			if steward {
				renamed[p.ID] = row.Name
				line.Text = "is called " + p.Name + " now"
				plan.Renamed = append(plan.Renamed, line)
			} else {
				say("They are called " + p.Name + " here; a steward can change that.")
			}
		}
		was, there := stood[p.ID]
		to := cmp.Or(teamByName[team], named[team], class.ID)
		if team == "" {
			to = class.ID
			if !f.Teams && there {
				to = was // without a column of groups everybody stays where they stand
				places[len(places)-1].team = strings.ToLower(groupName(was))
				if was == class.ID {
					places[len(places)-1].team = ""
				}
			}
		}
		if !there || was != to {
			same = false
			line.Text = "joins " + groupName(to)
			if there {
				line.Text = "from " + groupName(was) + " to " + groupName(to)
			}
			plan.Moved = append(plan.Moved, line)
		}
		if same {
			plan.Same++
		}
	}
	gone := map[string]bool{}
	if f.Gone {
		for _, p := range doc.People {
			at, _ := access.ParseAddress(p.Address) // validated before
			if was, there := stood[p.ID]; there && listed[at] == 0 {
				gone[p.ID] = true
				plan.Gone = append(plan.Gone, RosterRow{Name: p.Name, Address: p.Address, Text: "leaves " + groupName(was)})
			}
		}
	}
	plan.Change = house.PeopleChange{
		Group: f.Group,
		What: fmt.Sprintf("A roster came into %s: %d new, %d moved or joined, %d renamed, %d no longer there.",
			groupName(class.ID), len(plan.New), len(plan.Moved), len(plan.Renamed), len(plan.Gone)),
		Do: func(doc *access.Document) error {
			doc.People = append(doc.People, people...)
			for i := range doc.People {
				if name := renamed[doc.People[i].ID]; name != "" {
					doc.People[i].Name = name
				}
			}
			teams := map[string]string{}
			for name, id := range teamByName {
				teams[name] = id
			}
			for _, name := range plan.Groups {
				id := parts.FreeID(name, "group", func(id string) bool { return parts.GroupAt(doc, id) != nil })
				doc.Groups = append(doc.Groups, access.Group{ID: id, Name: name})
				for key, n := range named {
					if n == name {
						teams[key] = id
					}
				}
				g := parts.GroupAt(doc, f.Group)
				g.Groups = append(g.Groups, id)
			}
			class := parts.GroupAt(doc, f.Group)
			members := map[string][]string{} // by group, of those that the roster names
			moves := map[string]bool{}
			for _, p := range places {
				moves[p.id] = true
				to := class.ID
				if p.team != "" {
					to = teams[p.team]
				}
				members[to] = append(members[to], p.id)
			}
			for i := range doc.Groups {
				g := &doc.Groups[i]
				if g.ID != class.ID && !slices.Contains(class.Groups, g.ID) {
					continue
				}
				stays := map[string]bool{}
				for _, id := range members[g.ID] {
					stays[id] = true
				}
				var kept []string
				in := map[string]bool{}
				for _, id := range g.People { // the order of who stays is kept
					if stays[id] || !moves[id] && !gone[id] {
						kept, in[id] = append(kept, id), true
					}
				}
				for _, id := range members[g.ID] {
					if !in[id] {
						kept = append(kept, id)
					}
				}
				g.People = kept
			}
			return nil
		},
	}
	return plan, nil
}

// GroupPeople gives the people of a group as a roster, with the group within it
// in which each stands.
func GroupPeople(h *house.House, group string) (list []roster.Person) {
	s := h.State()
	doc := s.Policy.Document()
	class := parts.GroupAt(doc, group)
	if class == nil {
		return nil
	}
	in := map[string]string{}
	for _, id := range class.Groups {
		for _, p := range s.Policy.GroupMembers(id, access.At(h.Now())) {
			in[p] = words.Wording{Document: doc}.Group(id)
		}
	}
	members := map[string]bool{}
	for _, id := range s.Policy.GroupMembers(group, access.At(h.Now())) {
		members[id] = true
	}
	for _, p := range doc.People {
		if members[p.ID] {
			list = append(list, roster.Person{Name: p.Name, Address: p.Address, Group: in[p.ID]})
		}
	}
	return list
}
