package access

import (
	"fmt"
	"slices"

	"github.com/RoaringBitmap/roaring/v2"
)

// TeamRefusal says why a change of a team or of roles is not for the one who
// makes it: see section 7 of the model.
type TeamRefusal struct{ Text string }

func (r TeamRefusal) Error() string { return r.Text }

// CheckTeam checks that somebody may change a site's team and roles from how
// they are in p to how they are in after, at an instant. It returns nil or a
// TeamRefusal.
func (p *Policy) CheckTeam(after *Policy, site string, by Identity, t Instant) error {
	was, is := p.Site(site), after.Site(site)
	if was == nil || is == nil {
		return nil
	}
	mine := was.Capabilities("/", by, t)
	gone, come := slices.Clone(was.team), []*teamEntry(nil)
	for _, e := range is.team {
		i := slices.IndexFunc(gone, func(old *teamEntry) bool { return *old.doc == *e.doc })
		switch {
		case i < 0:
			come = append(come, e)
		case gone[i].caps != e.caps: // its role is another one now
			if lacks := e.caps &^ gone[i].caps &^ mine; lacks != 0 {
				return refuseTeam("The role %q would let others %s, which you may not do yourself.", e.doc.Role, doing(lacks))
			}
			if lacks := gone[i].caps &^ mine; lacks != 0 {
				return refuseTeam("The role %q is held by somebody who may %s; you may not, and so cannot alter it.", e.doc.Role, doing(lacks))
			}
			gone = slices.Delete(gone, i, i+1)
		default:
			gone = slices.Delete(gone, i, i+1)
		}
	}
	for _, e := range come {
		if lacks := e.caps &^ mine; lacks != 0 {
			return refuseTeam("The role %q lets somebody %s, which you may not do yourself.", e.doc.Role, doing(lacks))
		}
		barred := roaring.And(is.barred, e.people)
		if e.group != nil {
			barred = roaring.And(is.barred, e.group.at(t))
		}
		if !barred.IsEmpty() {
			return refuseTeam("%s is a blocked member of this site, and cannot be on its team.", is.house.people.entries[barred.Minimum()].Name)
		}
	}
	for _, e := range gone {
		if lacks := e.caps &^ mine; lacks != 0 {
			return refuseTeam("This entry with the role %q may %s; you may not, and so cannot end or alter it.", e.doc.Role, doing(lacks))
		}
	}
	if was.owned(t) && !is.owned(t) {
		return refuseTeam("The site would have no owner. Make somebody else an owner, without an end date, first.")
	}
	return nil
}

func refuseTeam(format string, args ...any) error { return TeamRefusal{fmt.Sprintf(format, args...)} }

// owned reports whether somebody owns the site for good.
func (s *CompiledSite) owned(t Instant) bool {
	return slices.ContainsFunc(s.team, func(e *teamEntry) bool {
		return e.doc.Role == "owner" && e.doc.Accepted && e.doc.Person != "" && normal(e.doc.Under) == "/" &&
			e.win.holds(t) && !e.doc.Until.set && roaring.AndNot(e.people, s.house.blocked).GetCardinality() > 0
	})
}

// doings say what a capability lets somebody do.
var doings = [capabilityCount]string{
	"see the draft", "edit pages", "publish", "change who can view", "approve members", "change the team", "change site settings", "see visits", "hand the site over",
}

// Doing says what a capability lets somebody do, as in "may …".
func (c Capability) Doing() string { return doings[c] }

func doing(c Capabilities) string {
	for i := range capabilityCount {
		if c.Has(i) {
			return doings[i]
		}
	}
	return ""
}

// RoleCapabilities is what a role of the site lets its holder do; 0 where there
// is none of that name.
func (s *CompiledSite) RoleCapabilities(role string) Capabilities {
	if s == nil {
		return 0
	}
	return s.roleCapabilities(role)
}

// TeamMember is a person who may do something on a site, with where.
type TeamMember struct {
	Person string
	Whole  Capabilities            // on the whole site
	Parts  map[string]Capabilities // on sections of it, where it is more
}

// TeamMembers lists who may do what on a site at an instant, in the order of
// people; stewards are left out, unless the team names them.
func (p *Policy) TeamMembers(site string, t Instant) []TeamMember {
	s := p.Site(site)
	if s == nil {
		return nil
	}
	v := s.survey(t)
	everyone := roaring.New()
	byEntry := make([]people, len(s.team))
	for i, e := range s.team {
		byEntry[i] = v.entry(e)
		if e.doc.Accepted && e.win.holds(t) {
			everyone.Or(byEntry[i])
		}
	}
	var list []TeamMember
	for it := everyone.Iterator(); it.HasNext(); {
		i := it.Next()
		id := Identity{i, aPerson, p.people.address[i]}
		m := TeamMember{Person: p.people.entries[i].ID, Whole: s.Capabilities("/", id, t)}
		for k, e := range s.team {
			under := normal(e.doc.Under)
			if under == "/" || !byEntry[k].Contains(i) {
				continue
			}
			if caps := s.Capabilities(under, id, t); caps&^m.Whole != 0 {
				if m.Parts == nil {
					m.Parts = map[string]Capabilities{}
				}
				m.Parts[under] = caps
			}
		}
		if m.Whole != 0 || m.Parts != nil {
			list = append(list, m)
		}
	}
	return list
}

// EntriesOf lists the accepted entries of the site's team that count for
// somebody at an instant, on whatever part of it.
func (s *CompiledSite) EntriesOf(id Identity, t Instant) (list []TeamEntry) {
	if s == nil || !id.Known() || id.kind == aPerson && s.house.marks[id.index]&blockedPerson != 0 {
		return nil
	}
	rules := s.rulesAt(t)
	for _, e := range s.team {
		if s.entryHolds(e, &id, t, rules) {
			list = append(list, *e.doc)
		}
	}
	return list
}
