package rounds

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"testing"

	"velada/core/access"
)

func read(t *testing.T, name string) *access.Policy {
	t.Helper()
	text, err := os.ReadFile("testdata/" + name)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := access.Read(text)
	if err != nil {
		t.Fatal(err)
	}
	return compiled(t, doc)
}

func compiled(t *testing.T, doc *access.Document) *access.Policy {
	t.Helper()
	p, err := access.Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func instant(text string) access.Instant {
	i, err := access.ParseInstant(text)
	if err != nil {
		panic(err)
	}
	return i
}

var now = instant("2026-11-24T17:00:00Z")

// faults are what is wrong beside the policy in the house of faults.yaml.
func faults() *Facts {
	old := instant("2026-06-01T08:00:00Z")
	return &Facts{
		Keys: map[string]map[string]Key{"faults": {
			"pass:weak": {Weak: true, Made: now}, "pass:shared": {Shared: "Another site", Made: now}, "pass:unused": {Made: old}, "pass:endless": {Made: now, Uses: 1, Last: now},
			"link:unused": {Made: old}, "link:spread": {Made: old, Uses: 400, From: 90},
		}},
		Held:       map[string]access.Instant{"long": old},
		Drafts:     map[string]Draft{"faults": {2, old}},
		Webs:       map[string]Web{"faults": {Menu: []string{"/"}, Links: map[string][]string{"/": {"/open", "/autumn", "/photo.png"}}, Other: map[string]bool{"/photo.png": true}}},
		Waiting:    []Waiting{{Site: "faults", ID: "i", Name: "nadia@press.example", Invitation: true, At: old}, {Site: "faults", ID: "r", Name: "Zoe", At: old}},
		MailFailed: 3,
		Domains:    map[string][]string{"faults": {"hill.example leads elsewhere."}},
		Robots:     map[string][]string{"faults": {"Line 1: This keeps robots from reading /open, which is listed."}},
	}
}

func kindsOf(list []Finding) map[Kind]int {
	kinds := map[Kind]int{}
	for _, f := range list {
		kinds[f.Kind]++
	}
	return kinds
}

func keysOf(list []Finding) map[string]bool {
	keys := map[string]bool{}
	for _, f := range list {
		keys[f.Key()] = true
	}
	return keys
}

func TestAHouseOfFaultsTriggersEveryKind(t *testing.T) {
	list := Find(read(t, "faults.yaml"), faults(), now)
	kinds := kindsOf(list)
	for _, k := range Kinds {
		if kinds[k] == 0 {
			t.Errorf("%s is not found", k)
		}
	}
	if len(keysOf(list)) != len(list) {
		t.Error("two findings have the same key")
	}
	for i := 1; i < len(list); i++ {
		if list[i].Gravity < list[i-1].Gravity {
			t.Errorf("%s comes after %s", list[i].Kind, list[i-1].Kind)
		}
	}
}

func TestAHouseWithoutFaultsTriggersNone(t *testing.T) {
	facts := &Facts{
		Keys:       map[string]map[string]Key{"fine": {"pass:p": {Made: now, Uses: 3, Last: now}, "link:l": {Made: now}}},
		Drafts:     map[string]Draft{"fine": {1, now}},
		Webs:       map[string]Web{"fine": {Menu: []string{"/", "/a"}, Links: map[string][]string{"/a": {"/a/b", "/a/b/"}}}},
		Waiting:    []Waiting{{Site: "fine", ID: "i", Name: "n", Invitation: true, At: now}},
		SecondStep: map[string]bool{"ada": true, "bea": true},
	}
	for _, f := range Find(read(t, "fine.yaml"), facts, now) {
		t.Errorf("%s at %s: %s %v", f.Kind, f.Site, f.Thing, f.Paths)
	}
}

// byHand is what somebody does where there is no mending at the push of a button.
var byHand = map[Kind]func(f Finding, doc *access.Document, facts *Facts){
	BlockedInside: func(f Finding, doc *access.Document, _ *Facts) {
		s := siteAt(doc, f.Site)
		s.Team = slices.DeleteFunc(s.Team, func(e access.TeamEntry) bool { return e.Group == "helpers" })
	},
	WeakPassword: func(f Finding, _ *access.Document, facts *Facts) {
		fixKey(facts, f, func(k *Key) { k.Weak = false; k.Uses = 1; k.Last = now })
	},
	SharedPassword: func(f Finding, _ *access.Document, facts *Facts) {
		fixKey(facts, f, func(k *Key) { k.Shared = ""; k.Uses = 1; k.Last = now })
	},
	NoOwner: func(f Finding, doc *access.Document, _ *Facts) {
		s := siteAt(doc, f.Site)
		s.Team = append(s.Team, access.TeamEntry{Person: "ada", Role: "owner", Under: "/", Accepted: true})
	},
	MailFailed: func(_ Finding, _ *access.Document, facts *Facts) { facts.MailFailed = 0 },
	OldRequest: func(_ Finding, _ *access.Document, facts *Facts) {
		facts.Waiting = slices.DeleteFunc(facts.Waiting, func(w Waiting) bool { return !w.Invitation })
	},
	OldInvitation: func(_ Finding, _ *access.Document, facts *Facts) {
		facts.Waiting = slices.DeleteFunc(facts.Waiting, func(w Waiting) bool { return w.Invitation })
	},
	NoSecondStep:   func(_ Finding, _ *access.Document, facts *Facts) { facts.SecondStep = map[string]bool{"ada": true} },
	ChangesNotLive: func(f Finding, _ *access.Document, facts *Facts) { delete(facts.Drafts, f.Site) },
	DomainLost:     func(f Finding, _ *access.Document, facts *Facts) { delete(facts.Domains, f.Site) },
	RobotsAgainst:  func(f Finding, _ *access.Document, facts *Facts) { delete(facts.Robots, f.Site) },
	BrokenLink:     func(_ Finding, _ *access.Document, facts *Facts) { facts.Webs["faults"].Links["/"][1] = "/lonely" },
	LonelyPage: func(f Finding, _ *access.Document, facts *Facts) {
		w := facts.Webs[f.Site]
		w.Menu = append(w.Menu, f.Paths...)
		facts.Webs[f.Site] = w
	},
	ListingForbidden: func(_ Finding, doc *access.Document, _ *Facts) {
		doc.Rules = slices.DeleteFunc(doc.Rules, func(r access.HouseRule) bool { return r.Rule == "no-listing" })
	},
	OneSteward: func(_ Finding, doc *access.Document, facts *Facts) {
		doc.People[1].Steward = true
		facts.SecondStep = map[string]bool{doc.People[1].ID: true}
	},
}

func fixKey(facts *Facts, f Finding, fix func(k *Key)) {
	k := facts.Keys[f.Site]["pass:"+f.Thing]
	fix(&k)
	facts.Keys[f.Site]["pass:"+f.Thing] = k
}

func siteAt(doc *access.Document, address string) *access.Site {
	i := slices.IndexFunc(doc.Sites, func(s *access.Site) bool { return s.Address == address })
	doc.Sites[i] = doc.Sites[i].Clone()
	return doc.Sites[i]
}

// Mending a finding removes it, and adds no other.
func TestMendingRemovesAFindingAndAddsNone(t *testing.T) {
	p := read(t, "faults.yaml")
	for _, f := range Find(p, faults(), now) {
		doc, facts := p.Document().Clone(), faults()
		switch {
		case f.Mend != nil:
			f.Mend(siteAt(doc, f.Site))
		case f.House != nil:
			f.House(doc)
		case byHand[f.Kind] != nil:
			byHand[f.Kind](f, doc, facts)
		default:
			t.Errorf("nothing mends %s", f.Key())
			continue
		}
		before := keysOf(Find(p, faults(), now))
		after := keysOf(Find(compiled(t, doc), facts, now))
		if after[f.Key()] && !(f.Kind == BrokenLink) {
			t.Errorf("%s is still there", f.Key())
		}
		for _, key := range slices.Sorted(maps.Keys(after)) {
			if !before[key] {
				t.Errorf("mending %s adds %s", f.Key(), key)
			}
		}
	}
}

// What was left as it is counts until the thing changes, and the state says so.
func TestTheStateOfAFindingChangesWithItsThing(t *testing.T) {
	p := read(t, "faults.yaml")
	state := func(p *access.Policy, facts *Facts, kind Kind) string {
		for _, f := range Find(p, facts, now) {
			if f.Kind == kind {
				return f.State()
			}
		}
		return ""
	}
	later := instant("2026-11-25T17:00:00Z")
	for _, f := range Find(p, faults(), now) {
		for _, g := range Find(p, faults(), later) {
			if f.Key() == g.Key() && f.State() != g.State() {
				t.Errorf("%s is another a day later", f.Key())
			}
		}
	}
	doc := p.Document().Clone()
	s := siteAt(doc, "faults")
	for i := range s.Passes {
		s.Passes[i].Under = "/other"
	}
	if state(p, faults(), EndlessPassword) == state(compiled(t, doc), faults(), EndlessPassword) {
		t.Error("a password that opens something else is left as it was")
	}
	facts := faults()
	facts.MailFailed = 4
	if state(p, faults(), MailFailed) == state(p, facts, MailFailed) {
		t.Error("more mail that failed is left as it was")
	}
}

// BenchmarkRound goes through a house of 100,000 people, 200 groups and 1,000 pages.
func BenchmarkRound(b *testing.B) {
	doc := &access.Document{Velada: 1, House: access.House{Name: "Large", Zone: "UTC", Domains: []string{"d0.example"}}}
	const people, groups, pages = 100_000, 200, 1000
	for i := range people {
		doc.People = append(doc.People, access.Person{ID: fmt.Sprintf("p%d", i), Address: fmt.Sprintf("p%d@d%d.example", i, i%7), Steward: i < 2})
	}
	for g := range groups {
		group := access.Group{ID: fmt.Sprintf("g%d", g)}
		for i := range 800 {
			group.People = append(group.People, fmt.Sprintf("p%d", (g*337+i*7)%people))
		}
		slices.Sort(group.People)
		group.People = slices.Compact(group.People)
		doc.Groups = append(doc.Groups, group)
	}
	site := &access.Site{Address: "large", State: "live", Door: access.Door{Ways: []access.Way{{Way: "domain", Domains: []string{"d0.example"}}, {Way: "groups", Groups: []string{"g0", "g1"}}}}}
	web := Web{Links: map[string][]string{}}
	for i := range pages {
		path := fmt.Sprintf("/s%d/p%d", i/40, i)
		site.Pages = append(site.Pages, access.Page{Path: path, Listing: true})
		web.Menu = append(web.Menu, path)
		web.Links[path] = []string{path, fmt.Sprintf("/s%d/p%d", (i/40+1)%25, i)}
		if i%5 == 0 {
			site.Doors = append(site.Doors, access.PageDoor{Path: path, Mode: "also", Ways: []access.Way{{Way: "groups", Groups: []string{fmt.Sprintf("g%d", i%groups)}}, {Way: "pass"}}})
		}
	}
	site.Team = []access.TeamEntry{{Person: "p0", Role: "owner", Under: "/", Accepted: true}}
	doc.Sites = []*access.Site{site}
	doc.Promises = []access.Promise{{ID: "p", Who: "group:g3", Must: "not-open", Site: "large", Path: "/s0", Below: true}}
	p, err := access.Compile(doc, nil)
	if err != nil {
		b.Fatal(err)
	}
	facts := &Facts{Webs: map[string]Web{"large": web}}
	for b.Loop() {
		if len(Find(p, facts, now)) == 0 {
			b.Fatal("nothing is found")
		}
	}
}
