// Package people holds changes of the house's people and groups, rosters, slips and codes.
package people

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/store"
	"velada/words"
)

// PersonForm is what a steward says of a person. Was holds what the form showed: what
// is still as it was there is not changed, whatever became of it meanwhile.
type PersonForm struct {
	ID, Name, Address string
	Steward, Blocked  bool
	Groups            []string // for somebody new
	Was               *access.Person
}

// ChangePerson makes a person of the house, or changes one. What was granted to their
// address stays theirs, and so does an address that they had. It returns
// house.FieldErrors.
func ChangePerson(h *house.House, f PersonForm) (house.PeopleChange, error) {
	wrong := house.FieldErrors{}
	a, err := access.ParseAddress(strings.TrimSpace(f.Address))
	if err != nil {
		wrong["address"] = "This is " + err.Error() + "."
	} else {
		err = addressFree(h.State().Policy.Document(), a, f.ID)
	}
	var taken house.FieldErrors
	if errors.As(err, &taken) {
		wrong["address"] = taken["address"]
	}
	var text string
	if f.Name, text = house.NameTyped(f.Name); text != "" {
		wrong["name"] = text
	}
	if len(wrong) > 0 {
		return house.PeopleChange{}, wrong
	}
	c := house.PeopleChange{What: fmt.Sprintf("%s (%s) comes into the house.", f.Name, a)}
	if f.ID != "" {
		c.What = fmt.Sprintf("%s is changed: %s%s%s.", f.Name, a, map[bool]string{true: ", a steward"}[f.Steward], map[bool]string{true: ", blocked"}[f.Blocked])
	}
	c.Do = func(doc *access.Document) error {
		if err := addressFree(doc, a, f.ID); err != nil { // taken meanwhile
			return err
		}
		if f.ID == "" {
			id := parts.NewPerson(doc, a, f.Name)
			p := parts.PersonAt(doc, id)
			p.Steward, p.Blocked = f.Steward, f.Blocked
			for _, group := range f.Groups {
				if g := parts.GroupAt(doc, group); g != nil {
					g.People = append(g.People, id)
				}
			}
			return nil
		}
		p := parts.PersonAt(doc, f.ID)
		if p == nil {
			return house.ErrNothing
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
		if a.String() != parts.Canonical(was.Address) {
			parts.ReaddressPerson(p, a)
		}
		return nil
	}
	return c, nil
}

// addressFree says why a person cannot get an address: another has or had it.
func addressFree(doc *access.Document, a access.Address, id string) error {
	p := parts.PersonWith(doc, a)
	switch {
	case p == nil || p.ID == id:
		return nil
	case parts.Canonical(p.Address) == a.String():
		return house.FieldErrors{"address": fmt.Sprintf("%s has this address already. If that is the same person, merge the two.", p.Name)}
	}
	return house.FieldErrors{"address": fmt.Sprintf("%s had this address before, so that it leads to nobody else. Release it on their page first.", p.Name)}
}

// ReleaseAddress lets an address that a person had before be somebody else's. What
// the policy granted to it stays the person's.
func ReleaseAddress(h *house.House, id, address string) (house.PeopleChange, error) {
	p := parts.PersonAt(h.State().Policy.Document(), id)
	a, err := access.ParseAddress(address)
	if p == nil || err != nil || !parts.IsTheirs(*p, a.String()) || parts.Canonical(p.Address) == a.String() {
		return house.PeopleChange{}, house.ErrNothing
	}
	return house.PeopleChange{
		What: fmt.Sprintf("The address %s, which %s had before, is free for somebody else.", a, p.Name),
		Do: func(doc *access.Document) error {
			p := parts.PersonAt(doc, id)
			if p == nil {
				return house.ErrNothing
			}
			parts.NameByID(doc, *p)
			p.Former = slices.DeleteFunc(slices.Clone(p.Former), func(f string) bool { return parts.Canonical(f) == a.String() })
			return nil
		},
	}, nil
}

// LeaveHouse ends everything that a person has: groups, guest lists, memberships and
// teams; and blocks them, so that no door of their domain lets them in either. It
// returns house.ErrNothing for nobody.
func LeaveHouse(h *house.House, id string) (house.PeopleChange, error) {
	p := parts.PersonAt(h.State().Policy.Document(), id)
	if p == nil {
		return house.PeopleChange{}, house.ErrNothing
	}
	same := func(doc *access.Document, who string) bool {
		p := parts.PersonAt(doc, id)
		return who == id || p != nil && strings.Contains(who, "@") && parts.IsTheirs(*p, who)
	}
	return house.PeopleChange{
		What: p.Name + " leaves the house: off every group, guest list, membership and team, and blocked.",
		Do: func(doc *access.Document) error {
			left := parts.PersonAt(doc, id)
			if left == nil {
				return house.ErrNothing
			}
			parts.Everywhere(doc, func(list []string) []string {
				return slices.DeleteFunc(list, func(who string) bool { return same(doc, who) })
			},
				func(m *access.Member) bool { return m.Who != id },
				func(e *access.TeamEntry) bool { return e.Person != id && (e.Address == "" || !same(doc, e.Address)) })
			left.Blocked, left.Steward = true, false
			return nil
		},
		Also: func(tx *house.Tx) error { return store.DropKeeper(tx.Context(), tx, store.Who(id)) },
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

// Merge makes two records of one person one: keep stays, with what drop had beside its
// own, its addresses too. stands says what holds where just one of them is blocked. It
// returns house.FieldErrors.
func Merge(h *house.House, keep, drop, stands string) (house.PeopleChange, error) {
	doc := h.State().Policy.Document()
	a, b := parts.PersonAt(doc, keep), parts.PersonAt(doc, drop)
	switch {
	case a == nil || b == nil:
		return house.PeopleChange{}, house.FieldErrors{"with": "Name one other person of the house."}
	case keep == drop:
		return house.PeopleChange{}, house.FieldErrors{"with": "That is the same record."}
	case blocksDiffer(doc, a, b) && stands != MergeBlocked && stands != MergeOpen:
		return house.PeopleChange{}, house.FieldErrors{"stands": "One of the two is blocked, the other is not. Choose which holds."}
	}
	return house.PeopleChange{
		What: fmt.Sprintf("%s (%s) is the same person as %s (%s), and goes by the latter address.%s", b.Name, b.Address, a.Name, a.Address,
			map[string]string{MergeBlocked: " The block holds.", MergeOpen: " The block ends."}[stands]),
		Becomes: map[string]string{drop: keep},
		Do: func(doc *access.Document) error {
			if parts.PersonAt(doc, keep) == nil || parts.PersonAt(doc, drop) == nil {
				return house.ErrNothing
			}
			if blocksDiffer(doc, parts.PersonAt(doc, keep), parts.PersonAt(doc, drop)) && stands == "" { // blocked meanwhile
				return house.FieldErrors{"stands": "One of the two is blocked, the other is not. Choose which holds."}
			}
			parts.NameByID(doc, *parts.PersonAt(doc, keep))
			parts.NameByID(doc, *parts.PersonAt(doc, drop))
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
			parts.Everywhere(doc, once, func(m *access.Member) bool {
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
			kept, gone := parts.PersonAt(doc, keep), parts.PersonAt(doc, drop)
			kept.Steward = kept.Steward || gone.Steward
			if kept.Blocked != gone.Blocked {
				kept.Blocked = stands == MergeBlocked
			}
			kept.Former = append(append(slices.Clone(kept.Former), parts.Canonical(gone.Address)), gone.Former...)
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

// SetSteward makes somebody of the house a steward, or no longer.
func SetSteward(h *house.House, id string, on bool) house.PeopleChange {
	what := words.Wording{Document: h.State().Policy.Document()}.Person(id) + " becomes a steward of the house."
	if !on {
		what = words.Wording{Document: h.State().Policy.Document()}.Person(id) + " is no longer a steward."
	}
	return house.PeopleChange{What: what, Do: func(doc *access.Document) error {
		i := slices.IndexFunc(doc.People, func(p access.Person) bool { return p.ID == id })
		if i < 0 {
			return house.ErrNothing
		}
		doc.People[i].Steward = on
		return nil
	}}
}
