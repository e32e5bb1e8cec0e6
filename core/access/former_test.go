package access

import (
	"strings"
	"testing"
)

const formerHouse = `velada: 1
house: {name: H, zone: UTC, domains: [h.example]}
people:
  - {id: ada, name: Ada, address: ada@h.example, former: [Ada.Old@Was.example]}
  - {id: bo, name: Bo, address: bo@h.example, blocked: true, former: [bo@was.example]}
sites:
  - address: s
    state: live
    pages: [{path: /}, {path: /was}, {path: /secret}]
    door: {ways: [{way: people, people: [ada.old@was.example, bo]}]}
    doors:
      - {path: /was, mode: instead, ways: [{way: domain, domains: [was.example]}]}
      - {path: /secret, mode: also, hide: true, ways: [{way: people, people: [nobody@x.example]}]}
    team: [{address: bo@was.example, role: owner}]
`

func TestFormerAddressesAreAPersonsOwn(t *testing.T) {
	doc, err := Read([]byte(formerHouse))
	if err != nil {
		t.Fatal(err)
	}
	p, err := Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	at := instant(t, "2026-11-25T00:00:00Z")
	for _, c := range []struct {
		address, path string
		want          Outcome
	}{
		{"ada@h.example", "/", Open},
		{"ADA.OLD@was.example", "/", Open},       // named by an address that she had
		{"ada.old@was.example", "/was", Refused}, // domains match the one of now
		{"other@was.example", "/was", Open},
		{"bo@h.example", "/", Refused}, // blocked: nobody, and offered nothing
		{"bo@was.example", "/", Refused},
	} {
		a, err := ParseAddress(c.address)
		if err != nil {
			t.Fatal(err)
		}
		got := p.Site("s").Decide(c.path, &Visitor{Identity: p.Address(a)}, at).Outcome
		if got != c.want {
			t.Errorf("%s at %s: %v, want %v", c.address, c.path, got, c.want)
		}
	}
	was, _ := ParseAddress("bo@was.example")
	if caps := p.Site("s").Capabilities("/", p.Address(was), at); caps != 0 {
		t.Errorf("a blocked person may %v by an address that they had", caps.Names())
	}
	for name, change := range map[string][2]string{
		"another's address":          {"former: [bo@was.example]", "former: [ada@h.example]"},
		"another's former address":   {"former: [bo@was.example]", "former: [ADA.old@was.example]"},
		"one that is theirs now":     {"former: [bo@was.example]", "former: [bo@h.example]"},
		"the same twice":             {"former: [bo@was.example]", "former: [bo@was.example, BO@was.example]"},
		"no address":                 {"former: [bo@was.example]", "former: [bo]"},
		"a former one, of somebody":  {"address: bo@h.example", "address: ada.old@was.example"},
		"something else than a list": {"former: [bo@was.example]", "former: bo@was.example"},
	} {
		text := strings.Replace(formerHouse, change[0], change[1], 1)
		doc, err := Read([]byte(text))
		if err == nil {
			_, err = Compile(doc, nil)
		}
		if err == nil {
			t.Errorf("%s is taken", name)
		}
	}
}

func TestHides(t *testing.T) {
	doc, err := Read([]byte(formerHouse))
	if err != nil {
		t.Fatal(err)
	}
	p, err := Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	at, ada, nobody := instant(t, "2026-11-25T00:00:00Z"), Address{"ada", "h.example"}, Address{"nobody", "x.example"}
	for path, want := range map[string]bool{"/": false, "/was": false, "/secret": true, "/secret/below": true, "/none": false} {
		if got := p.Site("s").Hides(path, &Visitor{Identity: p.Address(ada)}, at); got != want {
			t.Errorf("%s hides from her: %v", path, got)
		}
		if p.Site("s").Hides(path, &Visitor{Identity: p.Address(nobody)}, at) {
			t.Errorf("%s hides from whom it opens to", path)
		}
	}
}
