package access

import (
	"strings"
	"testing"
	"time"
)

const teamHouse = `
velada: 1
house: {name: Hill, zone: UTC, domains: [hill.example]}
people:
  - {id: ana, address: ana@hill.example}
  - {id: bo, address: bo@hill.example}
  - {id: cy, address: cy@out.example}
  - {id: di, address: di@hill.example, blocked: true}
  - {id: ed, address: ed@hill.example, steward: true}
groups:
  - {id: crew, people: [bo, cy]}
  - {id: barred, people: [cy]}
sites:
  - address: s
    state: live
    pages: [{path: /}, {path: /a}, {path: /a/b}]
    members: [{who: cy, status: blocked}]
    roles: [{id: chief, can: [preview, team]}, {id: guard, can: [door]}]
    team:
      - {person: ana, role: owner}
      - {person: bo, role: chief}
      - {group: crew, role: editor, under: /a, until: "2026-12-01T00:00:00Z"}
      - {address: zoe@out.example, role: viewer}
`

func teamPolicy(t *testing.T, change func(s *Site)) *Policy {
	t.Helper()
	doc, err := Read([]byte(teamHouse))
	if err != nil {
		t.Fatal(err)
	}
	if change != nil {
		change(doc.Sites[0])
	}
	p, err := Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func TestCheckTeam(t *testing.T) {
	before := teamPolicy(t, nil)
	at := At(time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC))
	add := func(e TeamEntry) func(*Site) {
		return func(s *Site) {
			if e.Under == "" {
				e.Under = "/"
			}
			e.Accepted = true
			s.Team = append(s.Team, e)
		}
	}
	for _, c := range []struct {
		name, by string
		change   func(s *Site)
		want     string // "" is allowed
	}{
		{"nothing", "bo", nil, ""},
		{"what one has", "bo", add(TeamEntry{Person: "bo", Role: "viewer"}), ""},
		{"what one lacks", "bo", add(TeamEntry{Person: "bo", Role: "editor"}), "edit pages"},
		{"in a section too", "bo", add(TeamEntry{Person: "bo", Role: "editor", Under: "/a"}), "edit pages"},
		{"a role that means nothing in a section", "bo", add(TeamEntry{Person: "bo", Role: "guard", Under: "/a"}), ""},
		{"an owner, by an owner", "ana", add(TeamEntry{Person: "bo", Role: "owner"}), ""},
		{"an owner, by a steward", "ed", add(TeamEntry{Person: "bo", Role: "owner"}), ""},
		{"longer", "bo", func(s *Site) { s.Team[2].Until = Instant{} }, "edit pages"},
		{"wider", "bo", func(s *Site) { s.Team[3].Under = "/a" }, ""},
		{"shorter, of more than one has", "bo", func(s *Site) { s.Team[2].Until = at }, "edit pages"},
		{"taking a viewer away", "bo", func(s *Site) { s.Team = s.Team[:3] }, ""},
		{"taking an editor away", "bo", func(s *Site) { s.Team = append(s.Team[:2:2], s.Team[3]) }, "cannot end or alter it"},
		{"a stronger role of one's own", "bo", func(s *Site) { s.Roles[0].Can = []string{"preview", "team", "publish"} }, "publish"},
		{"a weaker one", "bo", func(s *Site) { s.Roles[0].Can = []string{"preview"} }, ""},
		{"the last owner", "ed", func(s *Site) { s.Team = s.Team[1:] }, "would have no owner"},
		{"the last owner, for a time", "ed", func(s *Site) { s.Team[0].Until = At(at.Time().AddDate(1, 0, 0)) }, "would have no owner"},
		{"an owner who is blocked", "ed", func(s *Site) { s.Team[0].Person = "di" }, "would have no owner"},
		{"a blocked member", "ana", add(TeamEntry{Person: "cy", Role: "viewer"}), "blocked member"},
		{"a blocked member in a group", "ana", add(TeamEntry{Group: "barred", Role: "viewer"}), "blocked member"},
	} {
		id, ok := before.Person(c.by)
		if !ok {
			t.Fatal(c.by)
		}
		err := before.CheckTeam(teamPolicy(t, c.change), "s", id, at)
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%s: %v, want %q", c.name, err, c.want)
		}
	}
	if err := before.CheckTeam(before, "nowhere", Identity{}, at); err != nil {
		t.Errorf("a site that is not there: %v", err)
	}
}

func TestTeamMembers(t *testing.T) {
	p := teamPolicy(t, nil)
	told := func(at time.Time) string {
		var b strings.Builder
		for _, m := range p.TeamMembers("s", At(at)) {
			b.WriteString(m.Person + ":" + strings.Join(m.Whole.Names(), ","))
			for under, caps := range m.Parts {
				b.WriteString(" " + under + ":" + strings.Join(caps.Names(), ","))
			}
			b.WriteString("; ")
		}
		return b.String()
	}
	now := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	all := strings.Join(allCapabilities.Names(), ",")
	if got := told(now); got != "ana:"+all+"; bo:preview,team /a:preview,write,team; cy: /a:preview,write; " {
		t.Error(got)
	}
	if got := told(now.AddDate(0, 1, 0)); got != "ana:"+all+"; bo:preview,team; " {
		t.Error(got)
	}
	if p.TeamMembers("nowhere", At(now)) != nil {
		t.Error("a site that is not there has a team")
	}
}

func TestSteadyUntil(t *testing.T) {
	p := teamPolicy(t, nil)
	now := At(time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC))
	until, steady := p.Site("s").SteadyUntil(now)
	if !steady || until.String() != "2026-12-01T00:00:00Z" {
		t.Errorf("%v %v", until, steady)
	}
	if until, steady := p.Site("s").SteadyUntil(until); !steady || until != everAfter {
		t.Errorf("after the last change: %v %v", until, steady)
	}
	networked := teamPolicy(t, func(s *Site) {
		s.Holding.LetIn = []Way{{Way: "network", Networks: []string{"10.0.0.0/8"}}}
	})
	if _, steady := networked.Site("s").SteadyUntil(now); steady {
		t.Error("where a network is let in it depends on the address")
	}
}
