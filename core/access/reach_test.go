package access

import (
	"slices"
	"testing"
)

// What somebody reaches is just what each decision says, page by page: what opens
// to anybody is counted, all else is listed with what let them in.
func TestReachIsWhatDecisionsSay(t *testing.T) {
	listed, open, team := 0, 0, 0
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		for range 4 {
			a := m.ask(doc)
			v := a.visitor(p)
			visitor := Visitor{Identity: v.Identity}
			reached := map[string]SiteReach{}
			for _, r := range p.Reach(v.Identity, a.at) {
				reached[r.Site] = r
			}
			for _, site := range doc.Sites {
				s, r := p.Site(site.Address), reached[site.Address]
				var want []string
				public := 0
				for _, page := range site.Pages {
					path := normal(page.Path)
					mine := s.Decide(path, &visitor, a.at)
					switch {
					case mine.Outcome != Open:
					case s.Decide(path, &Visitor{}, a.at).Outcome == Open:
						public++
					default:
						want = append(want, path)
					}
				}
				var got []string
				for _, page := range r.Pages {
					got = append(got, page.Path)
					if page.Through.Text == "" || page.Through.Sign != SignLit {
						t.Errorf("%s %s: nothing let them in: %+v", site.Address, page.Path, page.Through)
					}
				}
				if !slices.Equal(got, want) || r.Open != public {
					t.Errorf("%s: %v and %d to anybody, want %v and %d", site.Address, got, r.Open, want, public)
				}
				for _, e := range r.Team {
					if caps := s.Capabilities(normal(e.Under), v.Identity, a.at); s.RoleCapabilities(e.Role)&^(1<<Own) != 0 && caps == 0 {
						t.Errorf("%s: the entry %+v lets them do nothing", site.Address, e)
					}
				}
				listed, open, team = listed+len(got), open+public, team+len(r.Team)
			}
		}
	})
	if listed == 0 || open == 0 || team == 0 {
		t.Errorf("%d pages listed, %d open to anybody, %d entries: too little was met", listed, open, team)
	}
}

// The members of a group are just those who are in it.
func TestGroupMembersAreThoseInIt(t *testing.T) {
	in, out := 0, 0
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		at := m.ask(doc).at
		for _, g := range doc.Groups {
			members := p.GroupMembers(g.ID, at)
			for _, person := range doc.People {
				id, _ := p.Person(person.ID)
				is := p.InGroup(g.ID, id, at)
				if is != slices.Contains(members, person.ID) {
					t.Errorf("%s in %s: %v, members %v", person.ID, g.ID, is, members)
				}
				if is {
					in++
				} else {
					out++
				}
			}
		}
		if p.GroupMembers("no-such-group", at) != nil || p.InGroup("no-such-group", Identity{}, at) {
			t.Error("a group that is not there has members")
		}
	})
	if in == 0 || out == 0 {
		t.Errorf("%d in, %d out", in, out)
	}
}
