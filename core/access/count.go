package access

import "github.com/RoaringBitmap/roaring/v2"

// CountWay is how many people of the house a way of this site lets in at an
// instant, were it the only one, whether or not it is in force by its own dates.
func (s *CompiledSite) CountWay(w Way, t Instant) int {
	w.From, w.Until = Instant{}, Instant{}
	return int(s.comesBy(&w, t).GetCardinality())
}

// Comes is how many people of the house a way of this site lets in at an instant, were it the only one.
// anybody reports whether it lets in anyone at all, of the house or not.
func (s *CompiledSite) Comes(w Way, t Instant) (n int, anybody bool) {
	return int(s.comesBy(&w, t).GetCardinality()), s.LetsAnybodyIn(w, t)
}

func (s *CompiledSite) comesBy(w *Way, t Instant) people {
	set := roaring.AndNot(s.survey(t).satisfying([]*way{s.apart(w)}), s.house.blocked)
	set.AndNot(s.barred)
	return set
}

// Editor is an entry of a team by which somebody may write at an instant, somewhere on the site.
type Editor struct {
	Entry   TeamEntry
	People  int      // of the house
	Domains []string // at which anybody may, with *. before those whose subdomains are meant
}

// Editors lists the entries of the team by which somebody may write at an instant, in the team's order:
// dates, house rules, and who is blocked are considered. Stewards may whatever the team says.
func (s *CompiledSite) Editors(t Instant) (list []Editor) {
	v := s.survey(t)
	for _, e := range s.team {
		if !e.doc.Accepted || !e.win.holds(t) || !e.caps.Has(Write) {
			continue
		}
		one := Editor{Entry: *e.doc, People: int(roaring.AndNot(v.entry(e), s.house.blocked).GetCardinality()), Domains: s.domainsOf(e, t)}
		bare := Identity{kind: bareAddress, address: e.address}
		if one.People > 0 || len(one.Domains) > 0 || e.address != (Address{}) && e.people.IsEmpty() && s.entryHolds(e, &bare, t, v.rules) {
			list = append(list, one)
		}
	}
	return list
}
