package words

import (
	"strings"
	"testing"
	"time"

	"velada/core/access"
	"velada/core/calendar"
	"velada/core/parts"
	"velada/core/rounds"
)

// telling returns a wording over a small house.
func telling(t *testing.T) Wording {
	t.Helper()
	doc, err := access.Read([]byte(`velada: 1
house: {name: Hill, zone: Europe/Madrid, domains: [hill.example]}
people: [{id: ada, name: Ada Vega, address: ada@hill.example}, {id: out, name: Otto, address: otto@out.example}]
groups: [{id: crew, name: Night crew, people: [ada]}]
rules:
  - {id: r, rule: sign-in-required, sites: {except: [log]}, until: "2027-01-01T00:00:00+01:00"}
sites:
  - address: log
    title: The Log
    state: live
    pages: [{path: /}, {path: /dome}]
    door: {ways: [{way: groups, groups: [crew]}, {way: people, people: [ada, out]}]}
    passes: [{id: p, label: Jury}, {id: q}]
    links: [{id: l, label: Printer}]
    holding: {on: true, from: "2026-12-01T02:00:00+01:00", until: "2026-12-01T04:00:00+01:00", repeat: {every: 2, unit: week, until: "2027-06-01T00:00:00+02:00"}}
    team: [{person: ada, role: viewer, under: /dome}, {person: out, role: editor}]
promises: [{id: kept, who: "group:crew", must: open, site: log, path: /dome}]
`))
	if err != nil {
		t.Fatal(err)
	}
	zone, err := time.LoadLocation("Europe/Madrid")
	if err != nil {
		t.Fatal(err)
	}
	return Wording{Document: doc, Site: doc.Sites[0], Zone: zone}
}

func pageTitle(path string) string { return map[string]string{"/": "Welcome", "/dome": "Dome"}[path] }

// Every kind of finding has a title, a detail and a button, in whole sentences, whatever is
// known of it.
func TestEveryFindingIsASentence(t *testing.T) {
	w := telling(t)
	at := access.At(time.Date(2026, 11, 24, 17, 0, 0, 0, time.UTC))
	outcome := func(access.Outcome) string { return "a further step" }
	for _, kind := range rounds.Kinds {
		for _, count := range []int{1, 2} {
			f := rounds.Finding{
				Kind: kind, Site: "log", Thing: "p", Paths: []string{"/", "/dome"}[:count], At: at, Who: []string{"ada", "out"}[:count], Count: count, Name: "/autumn",
				Way: &w.Site.Door.Ways[0], Until: at, Mend: func(*access.Site) {}, Adds: "group:crew",
				Breach: access.Judgement{Promise: &w.Document.Promises[0], Breaks: access.Breach{At: at, Path: "/dome", Who: "person:ada"}},
			}
			switch kind {
			case rounds.WayWithout:
				f.Thing, f.Name = "/dome {}", "domain"
			case rounds.DoorForNobody, rounds.DoorWithoutPage, rounds.BrokenLink:
				f.Thing = "/dome"
			case rounds.UnusedLink, rounds.SpreadLink:
				f.Thing = "l"
			case rounds.LeftoverGroup:
				f.Thing = "crew"
			case rounds.EndlessOutsider:
				f.Name = "editor"
			}
			found := w.Finding(f, at, pageTitle, outcome)
			for what, text := range map[string]string{"title": found.Title, "detail": found.Detail, "button": found.Do} {
				if strings.Contains(text, "%!") || strings.Contains(text, "  ") || strings.Contains(text, "..") || text != strings.TrimSpace(text) {
					t.Errorf("%s: the %s is %q", kind, what, text)
				}
			}
			if found.Title == string(kind) || found.Title == "" || found.Do == "" || strings.HasSuffix(found.Title, ".") || found.Detail == "" || !strings.HasSuffix(found.Detail, ".") {
				t.Errorf("%s: %+v", kind, found)
			}
			if found.Mends != "" && !strings.HasSuffix(found.Mends, ".") {
				t.Errorf("%s: what mends it is %q", kind, found.Mends)
			}
		}
	}
}

func TestFindingsInWords(t *testing.T) {
	w := telling(t)
	now := access.At(time.Date(2026, 11, 24, 17, 0, 0, 0, time.UTC))
	later := access.At(time.Date(2026, 12, 2, 19, 0, 0, 0, time.UTC))
	outcome := func(access.Outcome) string { return "a further step" }
	broken := rounds.Finding{Kind: rounds.PromiseBroken, At: later, Mend: func(*access.Site) {}, Adds: "group:crew", Breach: access.Judgement{Promise: &w.Document.Promises[0], Breaks: access.Breach{At: later, Path: "/dome", Who: "person:ada"}}}
	got := w.Finding(broken, now, pageTitle, outcome)
	if got.Title != "A promise is broken: everyone in Night crew must be able to open /dome" || got.Detail != "Ada Vega gets “a further step” on Dome, from 2 Dec 2026 20:00." || got.Do != "Let the group Night crew in" {
		t.Errorf("%+v", got)
	}
	broken.Mend, broken.At = nil, now
	if got := w.Finding(broken, now, pageTitle, outcome); got.Do != "Go to the promise" || got.Mends != "" || strings.Contains(got.Detail, "from") {
		t.Errorf("%+v", got)
	}
	weak := w.Finding(rounds.Finding{Kind: rounds.WeakPassword, Thing: "p", Paths: []string{"/", "/dome"}}, now, pageTitle, outcome)
	if weak.Title != "The password “Jury” is too easy to guess" || weak.Detail != "It opens 2 pages." {
		t.Errorf("%+v", weak)
	}
}

func TestLanesInWords(t *testing.T) {
	w := telling(t)
	ways := w.Site.Door.Ways
	for want, l := range map[string]calendar.Lane{
		"Night crew":                                          {Kind: calendar.Way, Paths: []string{""}, Way: &ways[0]},
		"Guest list: Ada Vega and Otto":                       {Kind: calendar.Way, Paths: []string{""}, Way: &ways[1]},
		"The site’s door, Dome: anyone":                       {Kind: calendar.Way, Paths: []string{"", "/dome"}, Way: &access.Way{Way: "anyone"}},
		"Past the holding page: anyone":                       {Kind: calendar.Way, Paths: []string{parts.LetIn}, Way: &access.Way{Way: "anyone"}},
		"Password “Jury”":                                     {Kind: calendar.Password, ID: "p"},
		"Password “q”":                                        {Kind: calendar.Password, ID: "q"},
		"Link “Printer”":                                      {Kind: calendar.Link, ID: "l"},
		"Maintenance, every 2 weeks on a Tuesday 02:00–04:00": {Kind: calendar.Holding},
		"House rule: everyone signs in":                       {Kind: calendar.Rule, ID: "r"},
		"House rule":                                          {Kind: calendar.Rule, ID: "gone"},
		"Everyone in Night crew must be able to open /dome":   {Kind: calendar.Promise, ID: "kept"},
		"Promise":                     {Kind: calendar.Promise, ID: "gone"},
		"Ada Vega, previewer of Dome": {Kind: calendar.Role, Entry: &w.Site.Team[0]},
		"Otto, editor":                {Kind: calendar.Role, Entry: &w.Site.Team[1]},
		"Edition 8 goes live":         {Kind: calendar.Edition, ID: "8"},
		"Your changes are applied":    {Kind: calendar.Rehearsal},
		"Invitation of Zoe":           {Kind: calendar.Invitation, Name: "Zoe"},
		"Join code of Night crew":     {Kind: calendar.JoinCode, Name: "crew"},
		"Preview link “Press”":        {Kind: calendar.Preview, Name: "Press"},
	} {
		if got := w.Lane(l, pageTitle); got != want {
			t.Errorf("%q, not %q", got, want)
		}
	}
}

func TestRulesInWords(t *testing.T) {
	w := telling(t)
	title := func(site string) string { return map[string]string{"log": "The Log", "two": "Two"}[site] }
	if got := w.Rule(w.Document.Rules[0], title); got != "Nobody is let in without signing in, on every site but The Log, until 1 Jan 2027." {
		t.Error(got)
	}
	for want, scope := range map[string]access.RuleScope{
		"on every site": {}, "on The Log and Two": {Only: []string{"log", "two"}}, "on no site": {Only: []string{}}, "on every site but Two": {Except: []string{"two"}},
	} {
		if got := RuleScope(scope, title); got != want {
			t.Errorf("%q, not %q", got, want)
		}
	}
	ids := map[string]bool{}
	for _, k := range RuleKinds {
		ids[k.ID] = true
		if k.Name == "" || !strings.HasSuffix(k.Text, ".") || !strings.HasSuffix(k.Means, ".") || KindOfRule(k.ID) != k {
			t.Errorf("%+v", k)
		}
	}
	if len(ids) != 6 || KindOfRule("none").ID != "" {
		t.Errorf("%d kinds", len(ids))
	}
	rule := &access.HouseRule{Rule: "sign-in-required"}
	for want, c := range map[string]struct {
		way  string
		shut access.Shut
	}{
		"“Jury” has no end date and lets nobody in.":                          {"pass", access.Shut{Rule: rule, Keys: []string{"p"}}},
		"“Printer” and “x” have no end date and let nobody in.":               {"link", access.Shut{Rule: rule, Keys: []string{"l", "x"}}},
		"The password is asked for only after signing in.":                    {"pass", access.Shut{Rule: rule, Strangers: true}},
		"Only those who sign in are let in by this.":                          {"anyone", access.Shut{Rule: rule, Strangers: true}},
		"It lets in only those who sign in.":                                  {"network", access.Shut{Rule: rule, Strangers: true}},
		"It keeps out whoever is not signed in and addresses from elsewhere.": {"anyone", access.Shut{Rule: &access.HouseRule{Rule: "house-domains-only"}, Strangers: true, Others: true}},
	} {
		if got := w.Shut(access.Way{Way: c.way}, c.shut); got != want {
			t.Errorf("%q, not %q", got, want)
		}
	}
	for text, want := range map[string]string{"It ends.": "it ends.", "Inés ends it.": "Inés ends it.", "“Jury” ends.": "“Jury” ends.", "Nobody is in.": "nobody is in."} {
		if got := LowerFirst(text); got != want {
			t.Errorf("%q", got)
		}
	}
}
