package access

import (
	"fmt"
	"slices"
	"strings"
	"testing"
)

// house is a document around one site's YAML, for tables of rules.
func house(t *testing.T, rules, site string) *Policy {
	t.Helper()
	text := `velada: 1
house: {name: Casa, zone: Europe/Madrid, domains: [casa.example]}
people:
  - {id: ada, name: Ada, address: ada@casa.example}
  - {id: ben, name: Ben, address: ben@post.example}
  - {id: cleo, name: Cleo, address: cleo@sub.casa.example}
  - {id: dan, name: Dan, address: dan@casa.example, blocked: true}
  - {id: eva, name: Eva, address: eva@post.example, steward: true}
groups:
  - {id: inner, people: [ben], until: 2026-12-01T00:00:00Z}
  - {id: outer, groups: [inner, outer], domains: ["*.casa.example"]}
rules: [` + rules + `]
sites:
  - address: s
    state: live
    listing: true
` + strings.ReplaceAll(strings.Trim(site, "\n"), "\t", "  ")
	doc, err := Read([]byte(text))
	if err != nil {
		t.Fatalf("%v\n%s", err, text)
	}
	p, err := Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// meeting is one row: who asks, for what, and what they meet, as in
// "challenge [sign-in password]".
type meeting struct{ who, path, want string }

func (m meeting) String() string { return m.who + " " + m.path }

// meetings asks every row. A who is an observer, with +pass:ID or +link:ID.
func meetings(t *testing.T, p *Policy, at string, rows []meeting) {
	t.Helper()
	for _, row := range rows {
		parts := strings.Split(row.who, "+")
		v, ok := p.Observer(parts[0])
		if !ok {
			t.Fatalf("%s is no observer", parts[0])
		}
		for _, more := range parts[1:] {
			extra, _ := p.Observer(more)
			v.Passes, v.Links = append(v.Passes, extra.Passes...), append(v.Links, extra.Links...)
			if extra.IP.IsValid() {
				v.IP = extra.IP
			}
		}
		d := p.Site("s").Decide(row.path, &v, instant(t, at))
		got := d.Outcome.String()
		if d.Offers != 0 {
			got += fmt.Sprint(" ", d.Offers.Names())
		}
		if d.Via != ViaNothing {
			got += " by " + d.Via.String()
		}
		if got != row.want {
			t.Errorf("%v: %s, want %s", row, got, row.want)
		}
	}
}

const before, later = "2026-11-24T12:00:00Z", "2026-12-24T12:00:00Z"

func TestWaysIn(t *testing.T) {
	for way, rows := range map[string][]meeting{
		"{way: anyone}":    {{"stranger", "/", "open by anyone"}, {"person:dan", "/", "open by anyone"}, {"stranger", "/x", "missing by anyone"}},
		"{way: signed-in}": {{"stranger", "/", "challenge [sign-in]"}, {"outsider", "/", "open by signed-in"}, {"person:dan", "/", "refused"}},
		"{way: domain, domains: [casa.example]}": {
			{"person:ada", "/", "open by domain"}, {"domain:CASA.example", "/", "open by domain"}, {"person:cleo", "/", "refused"},
		},
		"{way: domain, domains: ['*.casa.example']}": {{"person:cleo", "/", "open by domain"}, {"person:ada", "/", "refused"}},
		"{way: people, people: [ben, Zoe@Out.example]}": {
			{"person:ben", "/", "open by people"}, {"address:BEN@post.example", "/", "open by people"}, {"address:zoe@out.example", "/", "open by people"},
			{"address:ZOE@out.example", "/", "open by people"}, {"domain:out.example", "/", "refused"}, {"person:ada", "/", "refused"},
		},
		"{way: groups, groups: [outer]}": {{"person:ben", "/", "open by groups"}, {"person:cleo", "/", "open by groups"}, {"domain:x.casa.example", "/", "open by groups"}, {"person:ada", "/", "refused"}},
		"{way: pass}":                    {{"stranger", "/", "challenge [password]"}, {"pass:k", "/", "open by pass"}, {"pass:gone", "/", "challenge [password]"}, {"pass:part", "/", "challenge [password]"}, {"pass:part", "/a/b", "missing by pass"}},
		"{way: pass, passes: [gone]}":    {{"pass:gone", "/", "refused"}, {"pass:k", "/", "refused"}},
		"{way: link, links: [l]}":        {{"link:l", "/", "open by link"}, {"stranger", "/", "refused"}, {"pass:l", "/", "refused"}},
		"{way: network, networks: [10.0.0.0/8]}": {
			{"network:10.1.0.0/16", "/", "open by network"}, {"network:11.0.0.0/8", "/", "refused"}, {"person:ada+network:10.0.0.0/8", "/", "open by network"},
		},
		"{way: signed-in, until: 2026-11-01T00:00:00Z}": {{"person:ada", "/", "refused"}, {"stranger", "/", "refused"}},
		"": {{"stranger", "/", "refused"}, {"person:ada", "/", "refused"}, {"person:eva", "/", "open by team"}},
	} {
		t.Run(way, func(t *testing.T) {
			p := house(t, "", `
    pages: [{path: /}]
    door: {ways: [`+way+`]}
    passes: [{id: k}, {id: gone, revoked: true}, {id: part, under: /a}]
    links: [{id: l}]`)
			meetings(t, p, before, rows)
		})
	}
}

func TestGroupsEndWithTheirTerm(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}]
    door: {ways: [{way: groups, groups: [outer]}]}`)
	meetings(t, p, later, []meeting{{"person:ben", "/", "refused"}, {"person:cleo", "/", "open by groups"}})
	if got := p.Site("s").Instants(instant(t, before)); len(got) != 1 || got[0] != instant(t, "2026-12-01T00:00:00Z") {
		t.Errorf("instants %v", got)
	}
}

func TestDoorsOfPages(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}, {path: /a}, {path: /a/b}, {path: /ab}, {path: /open}, {path: /open/shut}]
    door: {ways: [{way: signed-in}]}
    doors:
      - {path: /a, ways: [{way: people, people: [ben]}]}
      - {path: /a/b, ways: [{way: domain, domains: [post.example]}]}
      - {path: /open, mode: instead, ways: [{way: anyone}]}
      - {path: /open/shut, ways: []}`)
	meetings(t, p, before, []meeting{
		{"stranger", "/a", "challenge [sign-in]"}, {"person:ada", "/a", "refused"}, {"person:ben", "/a", "open by people"},
		{"person:ben", "/a/b", "open by domain"}, {"person:ben", "/a/b/c", "missing by domain"}, {"person:ada", "/ab", "open by signed-in"},
		{"stranger", "/open", "open by anyone"}, {"stranger", "/open/none", "missing by anyone"}, {"stranger", "/open/shut", "refused"},
		{"person:eva", "/open/shut", "open by team"},
	})
}

func TestHiddenDoors(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}, {path: /h}, {path: /h/in}, {path: /h/in/deep}]
    door: {ways: [{way: anyone}]}
    doors:
      - {path: /h, hide: true, ways: [{way: people, people: [ben]}, {way: pass}]}
      - {path: /h/in, mode: instead, hide: true, ways: [{way: pass, passes: [k]}]}
    passes: [{id: k, under: /h/in}, {id: top}]
    holding: {on: true, from: 2026-12-20T00:00:00Z, exempt: [/h/in]}`)
	meetings(t, p, before, []meeting{
		{"stranger", "/h", "missing by anyone"}, {"stranger", "/h/in", "missing by anyone"}, {"stranger", "/none", "missing by anyone"},
		{"person:ben", "/h", "open by people"}, {"person:ben", "/h/in", "missing by people"}, {"pass:k", "/h/in", "open by pass"},
		{"pass:k", "/h", "missing by anyone"}, {"pass:top", "/h", "open by pass"}, {"pass:top", "/h/in", "missing by pass"},
	})
	// Under the holding page an exemption below a door that is left out does not count.
	meetings(t, p, later, []meeting{{"stranger", "/h/in", "held [sign-in]"}, {"pass:k", "/h/in/deep", "open by pass"}, {"stranger", "/", "held [sign-in]"}})
}

func TestAHiddenSite(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}, {path: /door}]
    door: {hide: true, ways: [{way: domain, domains: [casa.example]}]}
    doors: [{path: /door, mode: instead, ways: [{way: anyone}]}]`)
	meetings(t, p, before, []meeting{
		{"stranger", "/", "absent"}, {"person:ben", "/", "absent"}, {"person:ada", "/", "open by domain"}, {"stranger", "/door", "open by anyone"},
	})
}

func TestStates(t *testing.T) {
	for state, want := range map[string]string{"state: draft": "absent", "state: down": "absent", "state: down\n    say_gone: true": "gone"} {
		p := house(t, "", `
    pages: [{path: /}]
    door: {ways: [{way: anyone}]}`)
		site := *p.doc.Sites[0]
		site.State, site.SayGone = strings.Fields(state)[1], strings.Contains(state, "say_gone")
		q, err := p.Replace(&site)
		if err != nil {
			t.Fatal(err)
		}
		meetings(t, q, before, []meeting{{"stranger", "/", want}, {"person:eva", "/", want}})
		if !q.Site("s").NoIndex("/", instant(t, before)) {
			t.Errorf("%s is listed", state)
		}
	}
	if d := (*CompiledSite)(nil).Decide("/", &Visitor{}, instant(t, before)); d.Outcome != Absent || d.Status() != 404 {
		t.Errorf("no site: %+v", d)
	}
}

func TestMembersAndSignUp(t *testing.T) {
	for mode, want := range map[string][]meeting{
		"closed":   {{"stranger", "/", "challenge [sign-in]"}, {"person:cleo", "/", "refused"}, {"person:ben", "/", "refused"}},
		"approval": {{"stranger", "/", "challenge [sign-in join]"}, {"person:cleo", "/", "challenge [join]"}, {"domain:elsewhere.example", "/", "refused"}, {"person:ben", "/", "pending"}},
	} {
		p := house(t, "", `
    pages: [{path: /}]
    door: {ways: [{way: members}]}
    sign_up: {mode: `+mode+`, domains: ["*.casa.example"]}
    members: [{who: ada, status: approved}, {who: ben, status: pending}]`)
		if mode == "closed" {
			want[2].want = "pending"
		}
		meetings(t, p, before, append(want, meeting{"person:ada", "/", "open by members"}))
	}
}

func TestBlockedMembersStayTeam(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}, {path: /a}]
    door: {ways: [{way: signed-in}, {way: pass}]}
    passes: [{id: k}]
    members: [{who: ada, status: blocked}, {who: eva, status: blocked}]
    team: [{person: ada, role: editor, under: /a}]`)
	meetings(t, p, before, []meeting{
		{"person:ada", "/", "challenge [password]"}, {"person:ada+pass:k", "/", "open by pass"}, {"person:ada", "/a", "open by team"}, {"person:eva", "/", "open by team"},
		{"person:dan", "/", "challenge [password]"},
	})
	ada, _ := p.Person("ada")
	dan, _ := p.Person("dan")
	for path, want := range map[string]string{"/": "", "/a": "preview write", "/a/b": "preview write"} {
		if got := strings.Join(p.Site("s").Capabilities(path, ada, instant(t, before)).Names(), " "); got != want {
			t.Errorf("at %s Ada can %q, want %q", path, got, want)
		}
	}
	if p.Site("s").Capabilities("/", dan, instant(t, before)) != 0 {
		t.Error("who is blocked can do something")
	}
}

func TestHouseRules(t *testing.T) {
	site := `
    pages: [{path: /}, {path: /a}]
    door: {ways: [{way: anyone}, {way: pass}]}
    passes: [{id: k}, {id: ends, until: 2027-01-01T00:00:00Z}]
    team: [{person: ben, role: owner, under: /a}]`
	for rule, rows := range map[string][]meeting{
		"sign-in-required": {{"stranger", "/", "challenge [sign-in]"}, {"pass:k", "/", "challenge [sign-in]"}, {"outsider", "/", "open by anyone"}, {"person:dan", "/", "refused"}},
		"house-domains-only": {
			{"stranger", "/", "challenge [sign-in]"}, {"outsider", "/", "refused"}, {"person:ada", "/", "open by anyone"}, {"person:ben+pass:k", "/", "refused"},
			{"person:ben", "/a", "open by team"}, {"person:cleo", "/", "refused"},
		},
		"inside-team-only": {{"person:ben", "/a", "open by anyone"}, {"person:eva", "/a", "open by team"}},
		"no-listing":       {{"stranger", "/", "open by anyone"}},
	} {
		t.Run(rule, func(t *testing.T) {
			p := house(t, "{id: r, rule: "+rule+"}", site)
			meetings(t, p, before, rows)
			noIndex := p.Site("s").NoIndex("/", instant(t, before))
			if want := rule == "no-listing" || rule == "sign-in-required" || rule == "house-domains-only"; noIndex != want {
				t.Errorf("noindex is %v", noIndex)
			}
		})
	}
	p := house(t, "{id: r, rule: pass-must-end}", strings.Replace(site, "{way: anyone}, ", "", 1))
	meetings(t, p, before, []meeting{{"pass:k", "/", "challenge [password]"}, {"pass:ends", "/", "open by pass"}})
	p = house(t, "{id: r, rule: sign-in-required, sites: {except: [s]}}", site)
	meetings(t, p, before, []meeting{{"stranger", "/", "open by anyone"}})
}

func TestHoldingPages(t *testing.T) {
	for kind, status := range map[string]int{"soon": 200, "maintenance": 503} {
		p := house(t, "", `
    pages: [{path: /}, {path: /privacy}, {path: /a, listing: false}]
    door: {ways: [{way: anyone}]}
    passes: [{id: k}]
    holding: {on: true, kind: `+kind+`, until: 2026-12-01T00:00:00Z, exempt: [/privacy], let_in: [{way: pass}, {way: network, networks: [10.0.0.0/8]}]}`)
		meetings(t, p, before, []meeting{
			{"stranger", "/", "held [sign-in password]"}, {"person:ada", "/a", "held [password]"}, {"stranger", "/privacy", "open by anyone"},
			{"pass:k", "/a", "open by anyone"}, {"network:10.0.0.0/8", "/", "open by anyone"}, {"person:eva", "/", "open by team"}, {"person:dan", "/", "held [password]"},
		})
		meetings(t, p, later, []meeting{{"stranger", "/", "open by anyone"}})
		s, at := p.Site("s"), instant(t, before)
		if d := s.Decide("/", &Visitor{}, at); d.Status() != status {
			t.Errorf("%s answers %d", kind, d.Status())
		}
		for path, want := range map[string]bool{"/": false, "/a": kind == "soon", "/privacy": false} {
			if got := s.NoIndex(path, at); got != want {
				t.Errorf("%s: noindex of %s is %v", kind, path, got)
			}
		}
		listed := map[string][]string{"soon": {"/", "/privacy"}, "maintenance": {"/", "/privacy"}}[kind]
		if got := s.Listed(at); !slices.Equal(got, listed) {
			t.Errorf("%s: the sitemap lists %v", kind, got)
		}
		if got := s.RetryAfter(instant(t, "2026-11-30T23:59:59.5Z")); got != 1 {
			t.Errorf("retry after %d", got)
		}
	}
}

func TestTablesOfRecords(t *testing.T) {
	site := `
    pages: [{path: /, tables: [{id: all}, {id: some, ways: [{way: people, people: [ben]}, {way: pass}]}, {id: none, ways: []}]}]
    door: {ways: [{way: anyone}]}
    passes: [{id: k}]`
	for rule, want := range map[string]map[string]string{
		"":                                    {"stranger": "all", "person:ben": "all some", "pass:k": "all some", "person:eva": "all some none", "person:dan": "all"},
		"{id: r, rule: records-need-sign-in}": {"stranger": "", "person:ben": "all some", "pass:k": "", "person:eva": "all some none", "person:dan": "", "outsider": "all"},
	} {
		p := house(t, rule, site)
		s, at := p.Site("s"), instant(t, before)
		for who, tables := range want {
			v, _ := p.Observer(who)
			d := s.Decide("/", &v, at)
			if got := strings.Join(s.TablesShown("/", d, &v, at), " "); got != tables {
				t.Errorf("%s %s is shown %q, want %q", rule, who, got, tables)
			}
			if got, want := s.Withheld("/", d, &v, at), rule != "" && tables == ""; got != want {
				t.Errorf("%s %s: withheld %v", rule, who, got)
			}
		}
	}
}

func TestShareable(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}, {path: /t, tables: [{id: x}]}, {path: /net}]
    door: {ways: [{way: anyone}]}
    doors: [{path: /net, ways: [{way: network, networks: [10.0.0.0/8]}]}]`)
	s, at := p.Site("s"), instant(t, before)
	near, _ := p.Observer("network:10.0.0.0/8")
	ada, _ := p.Observer("person:ada")
	for _, c := range []struct {
		path string
		v    Visitor
		want bool
	}{
		{"/", Visitor{}, true}, {"/", near, true}, {"/", ada, false}, {"/", Visitor{Passes: []string{"k"}}, false}, {"/", Visitor{Links: []string{"l"}}, false},
		{"/t", Visitor{}, false}, {"/net", near, false}, {"/none", Visitor{}, false},
	} {
		if got := s.Shareable(c.path, &c.v, at); got != c.want {
			t.Errorf("%s by %+v: %v", c.path, c.v, got)
		}
	}
}

func TestStandingFigures(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}, {path: /a}]
    door: {ways: [{way: domain, domains: [casa.example]}, {way: people, people: [ben, zoe@out.example]}, {way: pass}, {way: link}]}
    passes: [{id: k}, {id: gone, revoked: true}]
    links: [{id: l}]
    team: [{person: cleo, role: publisher}, {person: ben, role: editor, under: /a}]`)
	st := p.Standing("s", instant(t, before))
	want := Figures{Site: "s", State: "live", Pages: 2, People: 4, Everywhere: 4, Domains: 1, Addresses: 1, Passes: 1, Links: 1, Edit: 3, Publish: 2}
	if st.Figures != want || st.Stranger.Outcome != Challenge || !st.Alike || st.TeamDomains != nil {
		t.Errorf("%+v", st)
	}
	sight := p.Sight("s", instant(t, before))
	if here, none := sight.Share("/", "team"), sight.Share("/none", "team"); here.Open != 2 || here.Of != 2 || none.Open != 0 || none.Else.Outcome != Missing {
		t.Errorf("%+v, %+v", here, none)
	}
	if share := sight.Share("/", "guests"); share != (Share{Open: 1, Of: 1}) {
		t.Errorf("%+v", share)
	}
	if share := sight.Share("/", "guests", "team"); share.Of != 2 || sight.Count("group:none") != 0 || p.Sight("none", instant(t, before)).Count("team") != 0 {
		t.Errorf("%+v", share)
	}
	if got := p.Site("s").CountWay(Way{Way: "groups", Groups: []string{"outer"}}, instant(t, before)); got != 2 {
		t.Errorf("%d in the group", got)
	}
}

// What was compiled before is used again only where nothing it rests on changed.
func TestRecompilingOneSite(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}]
    door: {ways: [{way: members}, {way: pass}, {way: groups, groups: [outer]}]}
    passes: [{id: k}]
    members: [{who: ada, status: approved}]`)
	changed := *p.doc.Sites[0]
	changed.Members = []Member{{"ben", "pending"}}
	changed.Passes = []Pass{{ID: "k", Under: "/", Revoked: true}}
	q, err := p.Replace(&changed)
	if err != nil {
		t.Fatal(err)
	}
	meetings(t, q, before, []meeting{{"person:ada", "/", "refused"}, {"pass:k", "/", "challenge [sign-in]"}, {"person:cleo", "/", "open by groups"}})
	meetings(t, p, before, []meeting{{"person:ada", "/", "open by members"}, {"pass:k", "/", "open by pass"}})
	changed.Door.Ways = []Way{{Way: "groups", Groups: []string{"none"}}}
	if _, err := p.Replace(&changed); err == nil || !strings.Contains(err.Error(), `no group "none"`) {
		t.Errorf("a dangling group: %v", err)
	}
	doc := *p.doc
	doc.Groups = slices.Clone(doc.Groups)
	doc.Groups[1].Domains = nil
	r, err := Compile(&doc, p)
	if err != nil {
		t.Fatal(err)
	}
	meetings(t, r, before, []meeting{{"person:cleo", "/", "challenge [password]"}, {"person:ben", "/", "open by groups"}})
}
