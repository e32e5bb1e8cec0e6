package access

import (
	"bytes"
	"os"
	"reflect"
	"strings"
	"testing"
)

const sound = `velada: 1
house: {name: Casa, zone: Europe/Madrid, domains: [casa.example]}
people:
  - {id: ada, name: Ada, address: ada@casa.example}
  - {id: ben, name: Ben, address: ben@casa.example}
groups:
  - {id: crew, people: [ada]}
rules:
  - {id: r1, rule: no-listing}
sites:
  - address: notes
    pages: [{path: /}]
    passes: [{id: k1}]
    door: {ways: [{way: pass, passes: [k1]}]}
`

// Each change of the sound document is refused at its line, with its field.
func TestRefusals(t *testing.T) {
	if _, err := Read([]byte(sound)); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ name, old, new, want string }{
		{"version", "velada: 1", "velada: 2", "line 1: velada: version 2"},
		{"no version", "velada: 1\n", "", "velada: missing"},
		{"zone", "Europe/Madrid", "Europe/Atlantis", "line 2: house.zone:"},
		{"local zone", "Europe/Madrid", "Local", "house.zone"},
		{"unknown field", "name: Casa", "nome: Casa", "line 2: house.nome: an unknown field"},
		{"wrong type", "name: Casa", "name: [Casa]", "line 2: house.name: a list where text"},
		{"number for text", "name: Casa", "name: 7", "house.name: a number where text"},
		{"null", "name: Casa", "name: null", "house.name: null"},
		{"empty is null", "name: Casa", "name: ~", "house.name: null"},
		{"duplicate field", "name: Casa,", "name: Casa, name: Casa,", "line 2: house.name: the field stands twice"},
		{"duplicate id", "id: ben", "id: ada", `line 5: people[1].id: the id "ada" stands twice`},
		{"duplicate address", "ben@casa.example", "ADA@Casa.example", "line 5: people[1].address"},
		{"bad id", "id: ben", "id: Ben", "people[1].id"},
		{"bad address", "ben@casa.example", "ben@casa..example", "people[1].address"},
		{"dangling person", "people: [ada]", "people: [eva]", `line 7: groups[0].people[0]: there is no person "eva"`},
		{"unknown rule", "rule: no-listing", "rule: no-fun", "line 9: rules[0].rule"},
		{"both scopes", "rule: no-listing", "rule: no-listing, sites: {only: [notes], except: []}", "rules[0].sites: only and except"},
		{"dangling site", "rule: no-listing", "rule: no-listing, sites: {only: [nope]}", "rules[0].sites.only[0]"},
		{"site's address", "address: notes", "address: -notes", "line 11: sites[0].address"},
		{"path", "path: /}", "path: a}", "line 12: sites[0].pages[0].path"},
		{"duplicate path", "[{path: /}]", "[{path: /a/}, {path: /./a}]", `sites[0].pages[1].path: the path "/a" stands twice`},
		{"dangling pass", "passes: [k1]", "passes: [k2]", `line 14: sites[0].door.ways[0].passes[0]: there is no pass "k2"`},
		{"empty list", "passes: [k1]", "passes: []", "sites[0].door.ways[0].passes: the list is empty"},
		{"another way's list", "passes: [k1]", "groups: [crew]", `sites[0].door.ways[0].groups: a way "pass" has no groups`},
		{"missing list", "way: pass, passes: [k1]", "way: domain", "sites[0].door.ways[0].domains: missing"},
		{"host bits", "way: pass, passes: [k1]", "way: network, networks: [10.1.2.3/8]", "sites[0].door.ways[0].networks[0]"},
		{"mapped network", "way: pass, passes: [k1]", "way: network, networks: ['::ffff:10.0.0.0/104']", "write an IPv4 network as IPv4"},
		{"window", "{id: k1}", "{id: k1, from: 2026-12-02T00:00:00Z, until: 2026-12-01T00:00:00Z}", "line 13: sites[0].passes[0].from"},
		{"instant", "{id: k1}", "{id: k1, from: 2026-12-02}", "sites[0].passes[0].from"},
		{"alias", "{id: crew, people: [ada]}", "{id: crew, people: &p [ada]}\n  - {id: two, people: *p}", "an alias (*p)"},
		{"second document", "rules:", "---\nrules:", "line 8: a second document"},
		{"star in the house", "[casa.example]", "['*.casa.example']", "house.domains[0]"},
		{"rule without domains", "rule: no-listing", "rule: house-domains-only", ""},
		{"team of two", "    pages:", "    team: [{person: ada, group: crew, role: owner}]\n    pages:", "sites[0].team[0]: an entry names one"},
		{"unknown role", "    pages:", "    team: [{person: ada, role: boss}]\n    pages:", `there is no role "boss"`},
		{"built-in role", "    pages:", "    roles: [{id: owner}]\n    pages:", "built-in"},
		{"member twice", "    pages:", "    members: [{who: ada, status: approved}, {who: ada, status: pending}]\n    pages:", "sites[0].members[1].who"},
		{"promise's observer", "rules:", "promises: [{id: q, who: pass:k9, must: open, site: notes, path: /}]\nrules:", "promises[0].who"},
		{"promise's times", "rules:", "promises: [{id: q, who: stranger, must: open, site: notes, path: /, from: 2026-12-01T00:00:00Z}]\nrules:", "from and until go together"},
	} {
		t.Run(c.name, func(t *testing.T) {
			text := strings.Replace(sound, c.old, c.new, 1)
			if text == sound {
				t.Fatal("nothing was changed")
			}
			_, err := Read([]byte(text))
			switch {
			case c.want == "" && err != nil:
				t.Errorf("refused: %v", err)
			case c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)):
				t.Errorf("got %v, want %s", err, c.want)
			}
		})
	}
}

func TestAllProblemsAtOnce(t *testing.T) {
	text := strings.NewReplacer("zone: Europe/Madrid", "zone: Nowhere", "id: ben", "id: ada", "[k1]", "[k2]", "rule: no-listing", "rule: 7").Replace(sound)
	_, err := Read([]byte(text))
	problems, ok := err.(Problems)
	if !ok {
		t.Fatalf("%v", err)
	}
	want := []int{2, 5, 9, 14}
	var got []int
	for _, p := range problems {
		got = append(got, p.Line)
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("problems on lines %v, want %v:\n%v", got, want, err)
	}
}

func TestJSONHasItsOwnEscapesAndLines(t *testing.T) {
	doc, err := Read([]byte("{\"velada\":1,\n\"house\":{\"name\":\"\\ud83c\\udf19 Casa\\u002f\",\"zone\":\"UTC\"}}"))
	if err != nil || doc.House.Name != "🌙 Casa/" {
		t.Errorf("%v, %v", doc, err)
	}
	_, err = Read([]byte("{\"velada\":1,\n\"house\":{\"name\":\"a\",\n\"name\":\"b\",\"zone\":\"UTC\"}}"))
	if err == nil || err.Error() != "line 3: house.name: the field stands twice" {
		t.Error(err)
	}
}

func TestSchemaIsCurrent(t *testing.T) {
	written, err := os.ReadFile("../../docs/policy.schema.json")
	if err != nil || !bytes.Equal(written, Schema()) {
		t.Errorf("docs/policy.schema.json is not what velada policy schema prints (%v)", err)
	}
}

func TestAddresses(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		{"Ada@Casa.Example", "ada@casa.example"},
		{"ÁDA@höhe.example", "Áda@xn--hhe-sna.example"},
		{"a@xn--hhe-sna.example", "a@xn--hhe-sna.example"},
		{"a@faß.example", "a@xn--fa-hia.example"},
		{"a@casa。example", "a@casa.example"},
		{"a@-b-.example", "a@-b-.example"},
		{"a@ab--cd.example", "a@ab--cd.example"},
		{"a@casa.example.", ""}, {"a@.casa.example", ""}, {"a@\u00ad.casa.example", ""}, {"a@casa..example", ""},
		{"@casa.example", ""}, {"a b@casa.example", ""}, {"a\u00a0b@casa.example", ""}, {"a@b@casa.example", ""}, {"a", ""}, {"a@", ""},
		{"a@ca_sa.example", ""}, {"a@" + strings.Repeat("a", 64) + ".example", ""}, {"a@xn--\u0301.example", ""}, {"a@1.2.3.4", "a@1.2.3.4"},
	} {
		a, err := ParseAddress(c.in)
		if got := a.String(); c.want == "" && err == nil || c.want != "" && (err != nil || got != c.want) {
			t.Errorf("%q: %q, %v, want %q", c.in, got, err, c.want)
		}
	}
}

func TestDomainPatterns(t *testing.T) {
	for _, c := range []struct {
		pattern, domain string
		want            bool
	}{
		{"casa.example", "casa.example", true}, {"casa.example", "sub.casa.example", false}, {"*.casa.example", "casa.example", false},
		{"*.casa.example", "sub.casa.example", true}, {"*.casa.example", "a.b.casa.example", true}, {"*.casa.example", "notcasa.example", false},
		{"*.Höhe.example", "x.xn--hhe-sna.example", true},
	} {
		p, err := ParseDomainPattern(c.pattern)
		if got := p.Matches(c.domain); err != nil || got != c.want {
			t.Errorf("%s and %s: %v, %v", c.pattern, c.domain, got, err)
		}
	}
}

func TestURLPaths(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		{"/", "/"}, {"/a", "/a"}, {"/a/", "/a"}, {"//a///b", "/a/b"}, {"/a/./b/../c", "/a/c"}, {"/../..", "/"}, {"/a%2Fb", "/a/b"},
		{"/%2e%2e/a", "/a"}, {"/a%252Fb", "/a%2Fb"}, {"/A", "/A"}, {"/n%CC%83", "/ñ"}, {"/ñ", "/ñ"}, {"/a%3Fb", "/a?b"}, {"/...", "/..."},
		{"/.well-known", "/.well-known"}, {"", ""}, {"a", ""}, {"/a?b", ""}, {"/a#b", ""}, {"/%", ""}, {"/%f1", ""}, {"/%5c", ""}, {"/a\\b", ""},
		{"/%00", ""}, {"/%7f", ""}, {"/%C2%85", ""},
	} {
		got, err := URLPath(c.in)
		if c.want == "" && err == nil || c.want != "" && (err != nil || got != c.want) {
			t.Errorf("%q: %q, %v, want %q", c.in, got, err, c.want)
		}
	}
}

func TestDecideAllocatesNothing(t *testing.T) {
	p := readPolicy(t, "testdata/cases/1/policy.json")
	s := p.Site(p.doc.Sites[0].Address)
	id, _ := p.Person(p.doc.People[0].ID)
	v, at := Visitor{Identity: id, Passes: []string{"site-0-k0"}}, instant(t, "2026-11-21T00:00:00Z")
	if n := testing.AllocsPerRun(100, func() { s.Decide("/a/b/c/d", &v, at); s.Decide("/", &v, at) }); n != 0 {
		t.Errorf("%v allocations", n)
	}
}
