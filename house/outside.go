package house

import (
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
)

// Outside reports whether somebody is from outside the house: no steward, and
// with an address at none of its domains.
func (h *House) Outside(a Actor) bool {
	s := h.State()
	if h.IsSteward(a) {
		return false
	}
	domains := s.Policy.Document().House.Domains
	if len(domains) == 0 {
		_, known := s.Policy.PersonOf(s.Identity(a.Who))
		return !known
	}
	return !access.MatchesAny(domains, a.Address)
}

// KnownTo returns the house's document as somebody at work on a site may know it:
// to whoever is from outside, only people and groups that have to do with the
// site are named.
func (h *House) KnownTo(a Actor, site string) *access.Document {
	s := h.State()
	doc := s.Policy.Document()
	if !h.Outside(a) {
		return doc
	}
	tied := s.tiedTo(site)
	if me, known := s.Policy.PersonOf(s.Identity(a.Who)); known {
		tied[me.ID] = true
	}
	copied := *doc
	copied.People = slices.DeleteFunc(slices.Clone(doc.People), func(p access.Person) bool { return !tied[p.ID] && !tied[parts.Canonical(p.Address)] })
	copied.Groups = slices.DeleteFunc(slices.Clone(doc.Groups), func(g access.Group) bool { return !tied["group:"+g.ID] })
	return &copied
}

// tiedTo names who has to do with a site: people by id or address, and groups as
// group:ID, with everyone in them.
func (s *State) tiedTo(site string) map[string]bool {
	tied := map[string]bool{}
	doc := s.SiteDocument(site)
	if doc == nil {
		return tied
	}
	var group func(id string)
	group = func(id string) {
		if tied["group:"+id] {
			return
		}
		tied["group:"+id] = true
		for _, g := range s.Policy.Document().Groups {
			if g.ID != id {
				continue
			}
			for _, p := range g.People {
				tied[p] = true
			}
			for _, below := range g.Groups {
				group(below)
			}
		}
	}
	doc.EachWays(func(_ access.Opening, ways []access.Way) bool {
		for _, w := range ways {
			for _, who := range w.People {
				if strings.Contains(who, "@") {
					who = parts.Canonical(who)
				}
				tied[who] = true
			}
			for _, g := range w.Groups {
				group(g)
			}
		}
		return true
	})
	for _, m := range doc.Members {
		tied[m.Who] = true
	}
	for _, e := range doc.Team {
		switch {
		case e.Person != "":
			tied[e.Person] = true
		case e.Group != "":
			group(e.Group)
		default:
			tied[parts.Canonical(e.Address)] = true
		}
	}
	return tied
}
