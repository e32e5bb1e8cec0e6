package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"velada/core/access"
	"velada/store"
)

// HouseChange is a change of the house's people and groups.
type HouseChange struct {
	What  string // what it does, in a sentence
	Do    func(doc *access.Document) error
	Also  func(tx *Tx) error // what else is written with it; nil for nothing
	Group string             // the one group whose people it changes; "" for what only stewards may

	becomes map[string]string // people who turn out to be others, by id
	admits  bool              // whoever admits members of a site may make it: they ask for that themselves
}

// HousePlan is a change of the house that has not been applied, with what it would do.
type HousePlan struct {
	What string
	*Preview
}

// needs is who may make it: stewards everything, those who keep a group its people.
func (c HouseChange) needs() Needs {
	switch {
	case c.admits:
		return Needs{Asks: true}
	case c.Group == "":
		return Needs{Steward: true}
	}
	return Needs{Keeps: c.Group}
}

// in makes it within a change that has asked for what it needs.
func (c HouseChange) in(tx *Tx) error {
	for from, to := range c.becomes {
		tx.Becomes(from, to)
	}
	if err := c.Do(tx.Document()); err != nil {
		return err
	}
	if !c.admits && !tx.State().IsSteward(tx.By()) {
		if err := tx.givesNoMore(); err != nil {
			return err
		}
	}
	tx.Log("", "people", c.What, "", "")
	if c.Also == nil {
		return nil
	}
	return c.Also(tx)
}

// PlanHouse works out what a change of people and groups would do, and whether
// the one who asks may make it.
func (h *House) PlanHouse(ctx context.Context, a Actor, c HouseChange) (*HousePlan, error) {
	would, err := h.Preview(ctx, a, c.needs(), c.in)
	if err != nil {
		return nil, err
	}
	return &HousePlan{c.What, would}, nil
}

// ApplyHouse makes a change of people and groups, for the very next request.
func (h *House) ApplyHouse(ctx context.Context, a Actor, c HouseChange) error {
	return h.Change(ctx, a, c.needs(), c.in)
}

// givesNoMore refuses a change by which somebody gives or takes rights that the one
// who makes it lacks.
func (tx *Tx) givesNoMore() error {
	then, err := tx.Policy()
	if err != nil {
		return err
	}
	s := tx.State()
	for _, site := range access.ImpactOf(s.Policy, then, access.At(tx.Now())).Sites {
		for _, p := range site.Pages {
			mine := tx.Can(site.Site, p.Path)
			for _, can := range p.Can {
				if err := mayGive(mine, can.Gains|can.Loses); err != nil {
					return err
				}
			}
		}
	}
	before, after := s.Policy.Document(), then.Document()
	return tx.mayGiveRightsOf(then, func(group string) bool { // also those that begin only later
		return !maps.Equal(peopleWithin(before, group), peopleWithin(after, group))
	})
}

// mayGive refuses rights that the one who gives or takes them lacks.
func mayGive(mine, rights access.Capabilities) error {
	if lacks := rights &^ mine; lacks != 0 {
		return access.TeamRefusal{Text: fmt.Sprintf("This group lets people %s on a site where you may not. A steward can change it.", CapabilityWords(lacks))}
	}
	return nil
}

// mayGiveRightsOf checks that the one who makes a change has all the rights that come
// with groups.
func (tx *Tx) mayGiveRightsOf(p *access.Policy, these func(group string) bool) error {
	if tx.State().IsSteward(tx.By()) {
		return nil
	}
	for _, site := range p.Document().Sites {
		for _, e := range site.Team {
			if e.Group == "" || !these(e.Group) {
				continue
			}
			if err := mayGive(tx.Can(site.Address, cmp.Or(e.Under, "/")), p.Site(site.Address).RoleCapabilities(e.Role)); err != nil {
				return err
			}
		}
	}
	return nil
}

// groupsWithin gives a group and all groups in it.
func groupsWithin(doc *access.Document, group string) []*access.Group {
	var list []*access.Group
	var add func(id string)
	add = func(id string) {
		g := GroupAt(doc, id)
		if g == nil || slices.Contains(list, g) {
			return
		}
		list = append(list, g)
		for _, inner := range g.Groups {
			add(inner)
		}
	}
	add(group)
	return list
}

// peopleWithin gives the people of a group and of the groups in it, whenever those
// hold.
func peopleWithin(doc *access.Document, group string) map[string]bool {
	people := map[string]bool{}
	for _, g := range groupsWithin(doc, group) {
		for _, p := range g.People {
			people[p] = true
		}
	}
	return people
}

var notInID = regexp.MustCompile(`[^a-z0-9]+`)

// freeID makes an id out of a name that nothing has yet.
func freeID(name, fallback string, taken func(id string) bool) string {
	base := strings.Trim(notInID.ReplaceAllString(strings.ToLower(plainLetters(name)), "-"), "-")
	if base == "" {
		base = fallback
	}
	id := base
	for n := 2; taken(id); n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	return id
}

func personAt(doc *access.Document, id string) *access.Person {
	if i := slices.IndexFunc(doc.People, func(p access.Person) bool { return p.ID == id }); i >= 0 {
		return &doc.People[i]
	}
	return nil
}

// isTheirs reports whether an address is one that a person has or had.
func isTheirs(p access.Person, address string) bool {
	a := canonical(address)
	return canonical(p.Address) == a || slices.ContainsFunc(p.Former, func(f string) bool { return canonical(f) == a })
}

// personWith returns the person who has or had an address, or nil.
func personWith(doc *access.Document, a access.Address) *access.Person {
	i := slices.IndexFunc(doc.People, func(p access.Person) bool { return isTheirs(p, a.String()) })
	if i < 0 {
		return nil
	}
	return &doc.People[i]
}

// becomePerson returns the id of somebody as a person of a document, into which they
// come where they are none.
func (h *House) becomePerson(doc *access.Document, who store.Who) string {
	return h.becomePersonAs(doc, who, h.NameOf(who))
}

// becomePersonAs does that under a name.
func (h *House) becomePersonAs(doc *access.Document, who store.Who, name string) string {
	if !who.Bare() {
		return string(who)
	}
	return newPerson(doc, mustAddress(string(who)), name)
}

// newPerson puts somebody new into a document and returns their id.
func newPerson(doc *access.Document, a access.Address, name string) string {
	id := freeID(name, "person", func(id string) bool { return personAt(doc, id) != nil })
	doc.People = append(doc.People, access.Person{ID: id, Name: name, Address: a.String()})
	return id
}

// GroupAt gives a group of a document by its id, or nil.
func GroupAt(doc *access.Document, id string) *access.Group {
	if i := slices.IndexFunc(doc.Groups, func(g access.Group) bool { return g.ID == id }); i >= 0 {
		return &doc.Groups[i]
	}
	return nil
}

// PersonForm is what a steward says of a person. Was holds what the form showed: what
// is still as it was there is not changed, whatever became of it meanwhile.
type PersonForm struct {
	ID, Name, Address string
	Steward, Blocked  bool
	Groups            []string // for somebody new
	Was               *access.Person
}

// ChangePerson makes a person of the house, or changes one. What was granted to
// their address stays theirs, and so does an address that they had.
func (h *House) ChangePerson(f PersonForm) (HouseChange, error) {
	wrong := FieldErrors{}
	a, err := access.ParseAddress(strings.TrimSpace(f.Address))
	if err != nil {
		wrong["address"] = "This is " + err.Error() + "."
	} else {
		err = addressFree(h.State().Policy.Document(), a, f.ID)
	}
	var taken FieldErrors
	if errors.As(err, &taken) {
		wrong["address"] = taken["address"]
	}
	var text string
	if f.Name, text = nameTyped(f.Name); text != "" {
		wrong["name"] = text
	}
	if len(wrong) > 0 {
		return HouseChange{}, wrong
	}
	c := HouseChange{What: fmt.Sprintf("%s (%s) comes into the house.", f.Name, a)}
	if f.ID != "" {
		c.What = fmt.Sprintf("%s is changed: %s%s%s.", f.Name, a, map[bool]string{true: ", a steward"}[f.Steward], map[bool]string{true: ", blocked"}[f.Blocked])
	}
	c.Do = func(doc *access.Document) error {
		if err := addressFree(doc, a, f.ID); err != nil { // taken meanwhile
			return err
		}
		if f.ID == "" {
			id := newPerson(doc, a, f.Name)
			p := personAt(doc, id)
			p.Steward, p.Blocked = f.Steward, f.Blocked
			for _, group := range f.Groups {
				if g := GroupAt(doc, group); g != nil {
					g.People = append(g.People, id)
				}
			}
			return nil
		}
		p := personAt(doc, f.ID)
		if p == nil {
			return ErrNothing
		}
		was := *p
		if f.Was != nil {
			was = *f.Was
		}
		if f.Name != was.Name {
			p.Name = f.Name
		}
		if f.Steward != was.Steward {
			p.Steward = f.Steward
		}
		if f.Blocked != was.Blocked {
			p.Blocked = f.Blocked
		}
		if a.String() != canonical(was.Address) {
			readdressPerson(p, a)
		}
		return nil
	}
	return c, nil
}

// addressFree says why a person cannot get an address: another has or had it.
func addressFree(doc *access.Document, a access.Address, id string) error {
	p := personWith(doc, a)
	switch {
	case p == nil || p.ID == id:
		return nil
	case canonical(p.Address) == a.String():
		return FieldErrors{"address": fmt.Sprintf("%s has this address already. If that is the same person, merge the two.", p.Name)}
	}
	return FieldErrors{"address": fmt.Sprintf("%s had this address before, so that it leads to nobody else. Release it on their page first.", p.Name)}
}

// readdressPerson gives a person another address; the one that they had stays theirs.
func readdressPerson(p *access.Person, a access.Address) {
	if canonical(p.Address) == a.String() {
		p.Address = a.String()
		return
	}
	former := slices.DeleteFunc(slices.Clone(p.Former), func(f string) bool { return canonical(f) == a.String() })
	p.Former, p.Address = append(former, canonical(p.Address)), a.String()
}

// ReleaseAddress lets an address that a person had before be somebody else's. What
// the policy granted to it stays the person's.
func (h *House) ReleaseAddress(id, address string) (HouseChange, error) {
	p := personAt(h.State().Policy.Document(), id)
	a, err := access.ParseAddress(address)
	if p == nil || err != nil || !isTheirs(*p, a.String()) || canonical(p.Address) == a.String() {
		return HouseChange{}, ErrNothing
	}
	return HouseChange{
		What: fmt.Sprintf("The address %s, which %s had before, is free for somebody else.", a, p.Name),
		Do: func(doc *access.Document) error {
			p := personAt(doc, id)
			if p == nil {
				return ErrNothing
			}
			nameByID(doc, *p)
			p.Former = slices.DeleteFunc(slices.Clone(p.Former), func(f string) bool { return canonical(f) == a.String() })
			return nil
		},
	}, nil
}

// nameByID names a person by their id wherever a document names one of their
// addresses.
func nameByID(doc *access.Document, p access.Person) {
	everywhere(doc, func(list []string) []string {
		var named []string
		for _, who := range list {
			if strings.Contains(who, "@") && isTheirs(p, who) {
				who = p.ID
			}
			if !slices.Contains(named, who) {
				named = append(named, who)
			}
		}
		return named
	}, func(*access.Member) bool { return true }, func(e *access.TeamEntry) bool {
		if e.Address != "" && isTheirs(p, e.Address) {
			e.Person, e.Address = p.ID, ""
		}
		return true
	})
}

// everywhere gives each list of people that a document holds, to be changed.
func everywhere(doc *access.Document, change func(list []string) []string, member func(m *access.Member) bool, entry func(e *access.TeamEntry) bool) {
	for i := range doc.Groups {
		doc.Groups[i].People = change(doc.Groups[i].People)
	}
	ways := func(list []access.Way) []access.Way {
		list = slices.Clone(list)
		for i := range list {
			if list[i].People != nil {
				list[i].People = change(slices.Clone(list[i].People))
			}
		}
		return slices.DeleteFunc(list, func(w access.Way) bool { return w.Way == "people" && len(w.People) == 0 })
	}
	for i, site := range doc.Sites {
		s := *site
		s.Door.Ways, s.Holding.LetIn = ways(s.Door.Ways), ways(s.Holding.LetIn)
		s.Doors = slices.Clone(s.Doors)
		for k := range s.Doors {
			s.Doors[k].Ways = ways(s.Doors[k].Ways)
		}
		s.Pages = access.ClonePages(s.Pages)
		for k := range s.Pages {
			for t := range s.Pages[k].Tables {
				if w := s.Pages[k].Tables[t].Ways; w != nil {
					s.Pages[k].Tables[t].Ways = append([]access.Way{}, ways(w)...)
				}
			}
		}
		s.Members = slices.Clone(s.Members)
		kept := s.Members[:0]
		for _, m := range s.Members {
			if member(&m) {
				kept = append(kept, m)
			}
		}
		s.Members = kept
		var team []access.TeamEntry
		for _, e := range s.Team {
			if entry(&e) {
				team = append(team, e)
			}
		}
		s.Team = team
		if written(s) != written(*site) {
			doc.Sites[i] = &s
		}
	}
}

// Leave ends everything that a person has: groups, guest lists, memberships and
// teams; and blocks them, so that no door of their domain lets them in either.
func (h *House) Leave(id string) (HouseChange, error) {
	p := personAt(h.State().Policy.Document(), id)
	if p == nil {
		return HouseChange{}, ErrNothing
	}
	same := func(doc *access.Document, who string) bool {
		p := personAt(doc, id)
		return who == id || p != nil && strings.Contains(who, "@") && isTheirs(*p, who)
	}
	return HouseChange{
		What: p.Name + " leaves the house: off every group, guest list, membership and team, and blocked.",
		Do: func(doc *access.Document) error {
			left := personAt(doc, id)
			if left == nil {
				return ErrNothing
			}
			everywhere(doc, func(list []string) []string {
				return slices.DeleteFunc(list, func(who string) bool { return same(doc, who) })
			},
				func(m *access.Member) bool { return m.Who != id },
				func(e *access.TeamEntry) bool { return e.Person != id && (e.Address == "" || !same(doc, e.Address)) })
			left.Blocked, left.Steward = true, false
			return nil
		},
		Also: func(tx *Tx) error { return store.DropKeeper(tx.Context(), tx, store.Who(id)) },
	}, nil
}

// What stands where one of two records that become one is blocked and the other is
// not, in the house or as a member.
const (
	MergeBlocked = "blocked"
	MergeOpen    = "open"
)

// blocksDiffer reports whether one of two people is blocked where the other is not.
func blocksDiffer(doc *access.Document, a, b *access.Person) bool {
	if a.Blocked != b.Blocked {
		return true
	}
	return slices.ContainsFunc(doc.Sites, func(s *access.Site) bool {
		status := map[string]string{}
		for _, m := range s.Members {
			status[m.Who] = m.Status
		}
		return (status[a.ID] == "blocked") != (status[b.ID] == "blocked")
	})
}

// Merge makes two records of one person one: keep stays, with what drop had
// beside its own, its addresses too. stands says what holds where just one of them
// is blocked.
func (h *House) Merge(keep, drop, stands string) (HouseChange, error) {
	doc := h.State().Policy.Document()
	a, b := personAt(doc, keep), personAt(doc, drop)
	switch {
	case a == nil || b == nil:
		return HouseChange{}, FieldErrors{"with": "Name one other person of the house."}
	case keep == drop:
		return HouseChange{}, FieldErrors{"with": "That is the same record."}
	case blocksDiffer(doc, a, b) && stands != MergeBlocked && stands != MergeOpen:
		return HouseChange{}, FieldErrors{"stands": "One of the two is blocked, the other is not. Say which holds."}
	}
	return HouseChange{
		What: fmt.Sprintf("%s (%s) is the same person as %s (%s), and goes by the latter address.%s", b.Name, b.Address, a.Name, a.Address,
			map[string]string{MergeBlocked: " The block holds.", MergeOpen: " The block ends."}[stands]),
		becomes: map[string]string{drop: keep},
		Do: func(doc *access.Document) error {
			if personAt(doc, keep) == nil || personAt(doc, drop) == nil {
				return ErrNothing
			}
			if blocksDiffer(doc, personAt(doc, keep), personAt(doc, drop)) && stands == "" { // blocked meanwhile
				return FieldErrors{"stands": "One of the two is blocked, the other is not. Say which holds."}
			}
			nameByID(doc, *personAt(doc, keep))
			nameByID(doc, *personAt(doc, drop))
			once := func(list []string) []string {
				var kept []string
				for _, who := range list {
					if who == drop {
						who = keep
					}
					if !slices.Contains(kept, who) {
						kept = append(kept, who)
					}
				}
				return kept
			}
			var site map[string]bool
			status := map[string]string{}
			everywhere(doc, once, func(m *access.Member) bool {
				if m.Who == drop {
					m.Who = keep
				}
				return true
			}, func(e *access.TeamEntry) bool {
				if e.Person == drop {
					e.Person = keep
				}
				return true
			})
			for i, s := range doc.Sites { // one membership: approved before pending, and blocked as was said
				clear(status)
				site = map[string]bool{}
				for _, m := range s.Members {
					if m.Who == keep && rank(m.Status, stands) > rank(status[keep], stands) {
						status[keep] = m.Status
					}
				}
				copied := *s
				copied.Members = nil
				for _, m := range s.Members {
					if m.Who == keep {
						m.Status = status[keep]
					}
					if !site[m.Who] {
						copied.Members = append(copied.Members, m)
					}
					site[m.Who] = true
				}
				if len(copied.Members) != len(s.Members) {
					doc.Sites[i] = &copied
				}
			}
			for i := range doc.Promises {
				if doc.Promises[i].Who == "person:"+drop {
					doc.Promises[i].Who = "person:" + keep
				}
			}
			kept, gone := personAt(doc, keep), personAt(doc, drop)
			kept.Steward = kept.Steward || gone.Steward
			if kept.Blocked != gone.Blocked {
				kept.Blocked = stands == MergeBlocked
			}
			kept.Former = append(append(slices.Clone(kept.Former), canonical(gone.Address)), gone.Former...)
			doc.People = slices.DeleteFunc(doc.People, func(p access.Person) bool { return p.ID == drop })
			return nil
		},
	}, nil
}

// rank orders statuses of membership by which of two stands.
func rank(status, stands string) int {
	order := []string{"", "pending", "approved", "blocked"}
	if stands == MergeOpen {
		order = []string{"", "blocked", "pending", "approved"}
	}
	return slices.Index(order, status)
}

// SignOutPerson ends every sign-in of a person.
func (h *House) SignOutPerson(ctx context.Context, id string) error {
	return h.SignOutEverywhere(ctx, store.Who(id), "")
}
