package people

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
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

	rows  []roster.Person // those that change something
	leave []string        // who leaves, by id
}

// RosterRow is somebody of a roster, with what is said of them.
type RosterRow struct {
	Line                int
	Name, Address, Text string
}

// PlanRoster works out what a roster would change in a group and in the groups within
// it. Lines that cannot be read are told, and the rest is not lost. It returns
// house.FieldErrors for a group that is none; making the change returns ErrMoved where
// it would do something else by then.
func PlanRoster(ctx context.Context, h *house.House, a house.Actor, f RosterForm) (*RosterPlan, error) {
	if err := h.May(ctx, a, house.Needs{Keeps: f.Group}); err != nil {
		return nil, err
	}
	rows := f.Sheet.People(f.Fields)
	c, err := planRoster(h.State().Policy.Document(), f, rows, h.IsSteward(a), h.State().Settings.Reaches)
	if err != nil {
		return nil, err
	}
	seen := c.plan.Mark()
	c.plan.Change.Do = func(doc *access.Document) error { // worked out anew: others may have changed the groups since
		now, err := planRoster(doc, f, rows, h.IsSteward(a), h.State().Settings.Reaches)
		if err != nil {
			return err
		}
		if now.plan.Mark() != seen {
			return ErrMoved
		}
		return now.do(doc)
	}
	return c.plan, nil
}

// Mark is a mark of who comes, moves, is renamed and leaves: two rosters with one mark do the same.
func (p *RosterPlan) Mark() string {
	sum := sha256.New()
	for _, rows := range [][]RosterRow{p.New, p.Moved, p.Renamed, p.Gone} {
		for _, row := range rows {
			fmt.Fprintf(sum, "%d %q %q %q\n", row.Line, row.Name, row.Address, row.Text)
		}
		fmt.Fprintln(sum)
	}
	fmt.Fprintf(sum, "%q %q", p.Groups, p.leave)
	return hex.EncodeToString(sum.Sum(nil)[:16])
}

// ErrMoved says that a change would do something else by now than what was shown.
var ErrMoved = house.ErrMoved

// coming is a roster on its way into a group: what is there, and what it brings.
type coming struct {
	form    RosterForm
	steward bool
	reaches func(access.Address) bool

	doc    *access.Document
	class  *access.Group
	people *access.Finder
	stood  map[string]string // groups in which people of the class stand, by person
	teams  map[string]string // groups within it, by lower case name

	plan    *RosterPlan
	fresh   []access.Person
	places  []placed
	named   map[string]string // how new groups are spelled first, by lower case name
	renamed map[string]string // new names, by person
	ids     parts.IDs
	listed  map[access.Address]int
	gone    map[string]bool
}

// placed is somebody of a roster, and in which team they stand; "" is the class itself.
type placed struct{ id, team string }

func planRoster(doc *access.Document, f RosterForm, rows []roster.Person, steward bool, reaches func(access.Address) bool) (*coming, error) {
	c := &coming{
		form: f, steward: steward, reaches: reaches, doc: doc, class: parts.GroupAt(doc, f.Group), plan: &RosterPlan{},
		people: doc.Finder(), stood: map[string]string{}, teams: map[string]string{},
		named: map[string]string{}, renamed: map[string]string{}, listed: map[access.Address]int{}, gone: map[string]bool{},
	}
	if c.class == nil {
		return nil, house.FieldErrors{"group": "Choose the group that this is the roster of."}
	}
	c.ids.Taken = func(id string) bool { return c.people.Person(id) != nil }
	c.look()
	for _, row := range rows {
		if at, team, ok := c.read(&row); ok {
			c.take(row, at, team)
		}
	}
	c.leave()
	c.plan.Change = house.PeopleChange{
		Group: f.Group,
		What: fmt.Sprintf("A roster came into %s: %d new, %d moved or joined, %d renamed, %d no longer there.",
			c.group(c.class.ID), len(c.plan.New), len(c.plan.Moved), len(c.plan.Renamed), len(c.plan.Gone)),
	}
	return c, nil
}

// look finds where everybody of the class stands now.
func (c *coming) look() {
	for _, id := range c.class.People {
		c.stood[id] = c.class.ID
	}
	for _, id := range c.class.Groups {
		g := parts.GroupAt(c.doc, id)
		c.teams[strings.ToLower(cmp.Or(g.Name, g.ID))] = id
		for _, p := range g.People {
			c.stood[p] = id
		}
	}
}

func (c *coming) group(id string) string { return words.Wording{Document: c.doc}.Group(id) }

func (c *coming) say(row roster.Person, text string) {
	c.plan.Problems = append(c.plan.Problems, RosterRow{row.Line, row.Name, row.Address, text})
}

// read reads one line: whose it is, and of which team; false where it cannot be read.
func (c *coming) read(row *roster.Person) (at access.Address, team string, ok bool) {
	at, err := access.ParseAddress(row.Address)
	if err != nil || c.people.At(at) == nil {
		for _, other := range row.Others { // somebody of the house may be known by another of their addresses
			if a, e := access.ParseAddress(other); e == nil && (c.people.At(a) != nil || err != nil) {
				at, err, row.Address = a, nil, other
				if c.people.At(a) != nil {
					break
				}
			}
		}
	}
	switch {
	case row.Address == "":
		c.say(*row, "There is no address.")
		return at, "", false
	case err != nil:
		c.say(*row, "This is "+err.Error()+".")
		return at, "", false
	case c.listed[at] > 0:
		c.say(*row, fmt.Sprintf("The same address is on line %d.", c.listed[at]))
		return at, "", false
	}
	c.listed[at] = row.Line
	if row.Name != "" {
		var text string
		if row.Name, text = house.NameTyped(row.Name); text != "" {
			c.say(*row, text)
			return at, "", false
		}
	}
	if !c.form.Teams || row.Group == "" || strings.EqualFold(row.Group, c.group(c.class.ID)) {
		return at, "", true
	}
	team = strings.ToLower(row.Group)
	if c.teams[team] != "" || c.named[team] != "" {
		return at, team, true
	}
	name, text := house.NameTyped(row.Group)
	switch {
	case text != "":
		c.say(*row, "The group: "+text)
		return at, "", false
	case parts.GroupNamed(c.doc, name, ""):
		c.say(*row, "There is a group “"+name+"” already, and it is not in this one. A steward can put it there.")
		return at, "", false
	}
	c.named[team] = name
	c.plan.Groups = append(c.plan.Groups, name)
	return at, team, true
}

// take works out what a line changes.
func (c *coming) take(row roster.Person, at access.Address, team string) {
	p := c.people.At(at)
	line := RosterRow{Line: row.Line, Name: row.Name, Address: at.String()}
	if p == nil {
		c.takeNew(row, at, team, line)
		return
	}
	place := placed{p.ID, team}
	same := true
	if row.Name != "" && row.Name != p.Name {
		same = false
		if c.steward {
			c.renamed[p.ID] = row.Name
			line.Text = "is called " + p.Name + " now"
			c.plan.Renamed = append(c.plan.Renamed, line)
		} else {
			c.say(row, "They are called "+p.Name+" here; a steward can change that.")
		}
	}
	was, there := c.stood[p.ID]
	to := cmp.Or(c.teams[team], c.named[team], c.class.ID)
	if team == "" {
		to = c.class.ID
		if there && !(c.form.Teams && slices.Contains(c.form.Fields, roster.Group)) {
			to = was // without a column of groups everybody stays where they stand
			if was != c.class.ID {
				place.team = strings.ToLower(c.group(was))
			}
		}
	}
	c.places = append(c.places, place)
	if !there || was != to {
		same = false
		line.Text = "joins " + c.group(to)
		if there {
			line.Text = "from " + c.group(was) + " to " + c.group(to)
		}
		c.plan.Moved = append(c.plan.Moved, line)
	}
	if same {
		c.plan.Same++
		return
	}
	c.plan.rows = append(c.plan.rows, row)
}

// takeNew brings somebody into the house, where the one who asks may do so.
func (c *coming) takeNew(row roster.Person, at access.Address, team string, line RosterRow) {
	if !c.steward && c.reaches(at) {
		c.say(row, "Only a steward can add somebody who has a mailbox. Ask one, or have the address invited.")
		return
	}
	if row.Name == "" {
		row.Name = at.Local
	}
	id := c.ids.Free(row.Name, "person")
	c.plan.rows = append(c.plan.rows, row)
	c.fresh = append(c.fresh, access.Person{ID: id, Name: row.Name, Address: at.String()})
	c.places = append(c.places, placed{id, team})
	line.Name, line.Text = row.Name, cmp.Or(row.Group, c.group(c.class.ID))
	c.plan.New = append(c.plan.New, line)
}

// leave finds who is no longer listed, where they are to leave.
func (c *coming) leave() {
	if !c.form.Gone {
		return
	}
	for _, p := range c.doc.People {
		was, there := c.stood[p.ID]
		if !there {
			continue
		}
		if at, _ := access.ParseAddress(p.Address); c.listed[at] == 0 { // validated before
			c.gone[p.ID] = true
			c.plan.leave = append(c.plan.leave, p.ID)
			c.plan.Gone = append(c.plan.Gone, RosterRow{Name: p.Name, Address: p.Address, Text: "leaves " + c.group(was)})
		}
	}
}

// do makes the change in a document.
func (c *coming) do(doc *access.Document) error {
	for id, name := range c.renamed {
		c.people.Person(id).Name = name
	}
	doc.People = append(doc.People, c.fresh...)
	teams := maps.Clone(c.teams)
	for _, name := range c.plan.Groups {
		id := parts.FreeID(name, "group", func(id string) bool { return parts.GroupAt(doc, id) != nil })
		doc.Groups = append(doc.Groups, access.Group{ID: id, Name: name})
		for key, n := range c.named {
			if n == name {
				teams[key] = id
			}
		}
		g := parts.GroupAt(doc, c.form.Group)
		g.Groups = append(g.Groups, id)
	}
	class := parts.GroupAt(doc, c.form.Group)
	members := map[string][]string{} // by group, of those that the roster names
	moves := map[string]bool{}
	for _, p := range c.places {
		moves[p.id] = true
		to := class.ID
		if p.team != "" {
			to = teams[p.team]
		}
		members[to] = append(members[to], p.id)
	}
	for i := range doc.Groups {
		if g := &doc.Groups[i]; g.ID == class.ID || slices.Contains(class.Groups, g.ID) {
			c.fill(g, members[g.ID], moves)
		}
	}
	return nil
}

// fill puts people into a group; the order of who stays is kept.
func (c *coming) fill(g *access.Group, members []string, moves map[string]bool) {
	stays := map[string]bool{}
	for _, id := range members {
		stays[id] = true
	}
	var kept []string
	in := map[string]bool{}
	for _, id := range g.People {
		if stays[id] || !moves[id] && !c.gone[id] {
			kept, in[id] = append(kept, id), true
		}
	}
	for _, id := range members {
		if !in[id] {
			kept = append(kept, id)
		}
	}
	g.People = kept
}

// GroupPeople returns the people of a group as a roster, with the group within it
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
