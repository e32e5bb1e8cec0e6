package access

import "slices"

// TablesShown returns the ids of the tables of records that a visitor is shown on
// the page at a path, in the page's order; d is the decision for them.
func (s *CompiledSite) TablesShown(path string, d Decision, v *Visitor, t Instant) []string {
	shown := []string{}
	if s == nil || d.Outcome != Open {
		return shown
	}
	p, a := s.locate(path)
	for i := range p.tables {
		if s.tableShown(a, &p.tables[i], d, v, t) {
			shown = append(shown, p.tables[i].id)
		}
	}
	return shown
}

func (s *CompiledSite) tableShown(a *area, tb *table, d Decision, v *Visitor, t Instant) bool {
	if d.Outcome != Open {
		return false
	}
	if d.Via == ViaTeam {
		return true
	}
	q := asking{site: s, v: v, t: t, area: a, rules: s.rulesAt(t)}
	q.identify()
	if q.rules&recordsNeedSignIn != 0 && !q.known {
		return false
	}
	return tb.open || q.opens(tb.ways) != nil
}

// Withheld reports whether tables of the page would be shown but for the house
// rule that records need sign-in, so that a notice stands in their place.
func (s *CompiledSite) Withheld(path string, d Decision, v *Visitor, t Instant) bool {
	if s == nil || d.Outcome != Open || d.Via == ViaTeam {
		return false
	}
	p, a := s.locate(path)
	q := asking{site: s, v: v, t: t, area: a, rules: s.rulesAt(t)}
	q.identify()
	if q.known || q.rules&recordsNeedSignIn == 0 {
		return false
	}
	return slices.ContainsFunc(p.tables, func(tb table) bool { return tb.open || q.opens(tb.ways) != nil })
}
