package people

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/store"
	"velada/words"
)

// GroupForm is what is said of a group.
type GroupForm struct {
	ID, Name    string
	Groups      []string // ids of the groups in it
	Domains     []string
	From, Until access.Instant
}

// ChangeGroup makes a group, or changes one; its people stay. It returns
// house.FieldErrors.
func ChangeGroup(h *house.House, f GroupForm) (house.PeopleChange, error) {
	wrong := house.FieldErrors{}
	var text string
	if f.Name, text = house.NameTyped(f.Name); text != "" {
		wrong["name"] = text
	}
	const taken = "There is a group of this name already."
	if parts.GroupNamed(h.State().Policy.Document(), f.Name, f.ID) {
		wrong["name"] = taken
	}
	for _, d := range f.Domains {
		if _, err := access.ParseDomainPattern(d); err != nil {
			wrong["domains"] = fmt.Sprintf("“%s” is %v.", d, err)
		}
	}
	if len(wrong) > 0 {
		return house.PeopleChange{}, wrong
	}
	c := house.PeopleChange{What: fmt.Sprintf("The group %s is changed.", f.Name)}
	if f.ID == "" {
		c.What = fmt.Sprintf("The group %s is added.", f.Name)
	}
	c.Do = func(doc *access.Document) error {
		if parts.GroupNamed(doc, f.Name, f.ID) { // made meanwhile
			return house.FieldErrors{"name": taken}
		}
		g := parts.GroupAt(doc, f.ID)
		if f.ID == "" {
			doc.Groups = append(doc.Groups, access.Group{ID: parts.FreeID(f.Name, "group", func(id string) bool { return parts.GroupAt(doc, id) != nil })})
			g = &doc.Groups[len(doc.Groups)-1]
		}
		if g == nil {
			return house.ErrNothing
		}
		g.Name, g.Groups, g.Domains, g.From, g.Until = f.Name, f.Groups, f.Domains, f.From, f.Until
		return nil
	}
	return c, nil
}

// PutIn puts people into a group, by id.
func PutIn(h *house.House, group string, people []string) house.PeopleChange {
	return membership(h, group, people, "joins", "join", func(g *access.Group) {
		in := make(map[string]bool, len(g.People))
		for _, id := range g.People {
			in[id] = true
		}
		for _, id := range people {
			if !in[id] {
				in[id] = true
				g.People = append(g.People, id)
			}
		}
	})
}

// TakeOut takes people out of a group, where they stand by name.
func TakeOut(h *house.House, group string, people []string) house.PeopleChange {
	return membership(h, group, people, "leaves", "leave", func(g *access.Group) {
		out := make(map[string]bool, len(people))
		for _, id := range people {
			out[id] = true
		}
		g.People = slices.DeleteFunc(g.People, func(id string) bool { return out[id] })
	})
}

// membership is a change of who is in a group, where one person does something and several do.
func membership(h *house.House, group string, people []string, one, several string, change func(g *access.Group)) house.PeopleChange {
	w := words.Wording{Document: h.State().Policy.Document()}
	do := several
	if len(people) == 1 {
		do = one
	}
	return house.PeopleChange{
		What: fmt.Sprintf("%s %s the group %s.", words.And(w.People(people)), do, w.Group(group)), Group: group,
		Do: func(doc *access.Document) error {
			g := parts.GroupAt(doc, group)
			if g == nil {
				return house.ErrNothing
			}
			change(g)
			return nil
		},
	}
}

// GroupUse is a place where a group is used.
type GroupUse struct{ Site, What, Path string }

// UsesOf lists what hangs on a group: doors, roles, holding pages, promises, and
// the groups that it is in.
func UsesOf(h *house.House, group string) (list []GroupUse) {
	doc := h.State().Policy.Document()
	for _, g := range doc.Groups {
		if slices.Contains(g.Groups, group) {
			list = append(list, GroupUse{What: "is in the group " + cmp.Or(g.Name, g.ID)})
		}
	}
	for _, s := range doc.Sites {
		s.EachWays(func(at access.Opening, ways []access.Way) bool {
			if !slices.ContainsFunc(ways, func(w access.Way) bool { return slices.Contains(w.Groups, group) }) {
				return true
			}
			use := GroupUse{Site: s.Address, Path: at.Path}
			switch at.Kind {
			case "site":
				use.What, use.Path = "opens the site’s door", ""
			case "page":
				use.What = "opens the door of " + at.Path
			case "holding":
				use.What, use.Path = "still gets the site while the holding page is shown", ""
			default:
				use.What = "sees the table " + at.ID
			}
			list = append(list, use)
			return true
		})
		for _, e := range s.Team {
			if e.Group == group {
				list = append(list, GroupUse{s.Address, "is on the team as " + e.Role + " for " + words.Wording{}.Section(e.Under), ""})
			}
		}
	}
	for _, p := range doc.Promises {
		if p.Who == "group:"+group {
			list = append(list, GroupUse{p.Site, "a promise speaks of it", p.Path})
		}
	}
	return list
}

// DeleteGroup deletes a group, and takes it out of everything that hangs on it.
func DeleteGroup(h *house.House, id string) house.PeopleChange {
	return house.PeopleChange{
		What: fmt.Sprintf("The group %s is deleted.", words.Wording{Document: h.State().Policy.Document()}.Group(id)),
		Do: func(doc *access.Document) error {
			if parts.GroupAt(doc, id) == nil {
				return house.ErrNothing
			}
			gone := func(g string) bool { return g == id }
			doc.Groups = slices.DeleteFunc(doc.Groups, func(g access.Group) bool { return g.ID == id })
			for i := range doc.Groups {
				doc.Groups[i].Groups = slices.DeleteFunc(doc.Groups[i].Groups, gone)
			}
			doc.Promises = slices.DeleteFunc(doc.Promises, func(p access.Promise) bool { return p.Who == "group:"+id })
			for i, site := range doc.Sites {
				s := site.Clone()
				s.MapWays(func(list []access.Way) []access.Way {
					for i := range list {
						if list[i].Groups != nil {
							list[i].Groups = slices.DeleteFunc(slices.Clone(list[i].Groups), gone)
						}
					}
					return slices.DeleteFunc(list, func(w access.Way) bool { return w.Way == "groups" && len(w.Groups) == 0 })
				})
				s.Team = slices.DeleteFunc(s.Team, func(e access.TeamEntry) bool { return e.Group == id })
				if parts.Text(s) != parts.Text(site) {
					doc.Sites[i] = s
				}
			}
			return nil
		},
		Also: func(tx *house.Tx) error { return store.DropGroup(tx.Context(), tx, id) },
	}
}

// SetKeepers says who keeps a group beside the stewards: its people, slips and join
// codes. It returns house.FieldErrors for who is nobody of the house.
func SetKeepers(ctx context.Context, h *house.House, a house.Actor, group, list string) error {
	return h.Change(ctx, a, house.Needs{Steward: true}, func(tx *house.Tx) error {
		doc := tx.State().Policy.Document()
		if parts.GroupAt(doc, group) == nil {
			return house.ErrNothing
		}
		guests := roster.ReadGuests(list, doc)
		if len(guests.Problems) > 0 {
			return house.FieldErrors{"keepers": strings.Join(guests.Problems, " ")}
		}
		var keepers []store.Who
		var addresses []string
		for _, who := range guests.People {
			p := parts.PersonAt(doc, who)
			if p == nil {
				return house.FieldErrors{"keepers": who + " is nobody of the house."}
			}
			keepers, addresses = append(keepers, store.Who(p.ID)), append(addresses, parts.Canonical(p.Address))
		}
		what := fmt.Sprintf("The group %s is kept by %s.", words.Wording{Document: doc}.Group(group), cmp.Or(strings.Join(addresses, ", "), "stewards alone"))
		if err := store.SaveKeepers(ctx, tx, group, keepers); err != nil {
			return err
		}
		tx.Log("", "people", what, "", "")
		return nil

	})
}
