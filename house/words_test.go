package house_test

import (
	"strings"
	"testing"

	"velada/core/access"
	"velada/words"
)

func TestWording(t *testing.T) {
	h := demoHouse(t)
	s := h.State()
	w := words.Wording{Document: s.Policy.Document(), Site: s.SiteDocument("variable-stars"), Zone: s.Zone}
	for want, way := range map[string]access.Way{
		"Anyone signed in at a.example or b.example":        {Way: "domain", Domains: []string{"a.example", "b.example"}},
		"Inés Ortuño and zoe@out.example":                   {Way: "people", People: []string{"ines", "zoe@out.example"}},
		"Inés Ortuño, Mateo Ferrán, Aiko Tanabe and 2 more": {Way: "people", People: []string{"ines", "mateo", "aiko", "bram", "salma"}},
		"Everyone in Crew Antlia or Council":                {Way: "groups", Groups: []string{"antlia", "council"}},
		"“Show night panel”":                                {Way: "pass", Passes: []string{"panel"}},
		"Any password of this site":                         {Way: "pass"},
		"Whoever comes from 192.0.2.0/24":                   {Way: "network", Networks: []string{"192.0.2.0/24"}},
	} {
		if got := w.Way(way); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
	noon, night := instantOf(t, "2026-12-12T11:00:00Z"), instantOf(t, "2026-12-12T23:00:00Z")
	for want, window := range map[string][2]access.Instant{
		"no end date": {}, "from 12 Dec 2026 12:00": {noon}, "until 13 Dec 2026": {{}, night}, "12 Dec 2026 12:00 to 13 Dec 2026": {noon, night},
	} {
		if got := w.Window(window[0], window[1]); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
	for want, p := range map[string]access.Promise{
		"A stranger must not be able to open any page, now and later.":                                                          {Who: "stranger", Must: "not-open", Path: "/", Below: true},
		"Everyone in Council must be able to open the front page on 12 Dec 2026 12:00.":                                         {Who: "group:council", Must: "open", Path: "/", At: noon},
		"Password “Show night panel” must be able to open /crew and everything below it from 12 Dec 2026 12:00 to 13 Dec 2026.": {Who: "pass:panel", Must: "open", Path: "/crew", Below: true, From: noon, Until: night},
	} {
		if got := w.Promise(p); got != want {
			t.Errorf("%q, want %q", got, want)
		}
	}
}

func instantOf(t *testing.T, s string) access.Instant {
	t.Helper()
	at, err := access.ParseInstant(s)
	if err != nil {
		t.Fatal(err)
	}
	return at
}

func TestChangesInWords(t *testing.T) {
	h := demoHouse(t)
	s := h.State()
	before := s.SiteDocument("new-dome")
	w := words.Wording{Document: s.Policy.Document(), Site: before, Zone: s.Zone}
	for want, change := range map[string]change{
		"The site's door: “Anyone, without a further step” is removed.":                  siteDoor(),
		"The site's door: “Members of this site” is let in, no end date.":                siteDoor(access.Way{Way: "anyone"}, access.Way{Way: "members"}),
		"The site's door: “Anyone, without a further step” now holds until 13 Dec 2026.": siteDoor(access.Way{Way: "anyone", Until: instantOf(t, "2026-12-12T23:00:00Z")}),
		"/building gets a door of its own, as well as the doors above.":                  pageDoor("/building"),
		"/privacy no longer has a door of its own.":                                      func(s *access.Site) { s.Doors = nil },
		"The door of /privacy counts as well as the doors above.": func(s *access.Site) {
			s.Doors = []access.PageDoor{{Path: "/privacy", Mode: "also", Ways: before.Doors[0].Ways}}
		},
		"the site's door is hidden from everyone who may not open it.": func(s *access.Site) { s.Door.Hide = true },
		"The password “Builders” is turned off.": func(s *access.Site) {
			s.Passes = []access.Pass{{ID: "builders", Label: "Builders", Under: "/", Until: before.Passes[0].Until, Revoked: true}}
		},
		"The password “Builders” now holds no end date.": func(s *access.Site) { s.Passes = []access.Pass{{ID: "builders", Label: "Builders", Under: "/"}} },
		"The password “Builders” is called “Masons”.": func(s *access.Site) {
			s.Passes = []access.Pass{{ID: "builders", Label: "Masons", Under: "/", Until: before.Passes[0].Until}}
		},
		"The password “Builders” is deleted.": func(s *access.Site) { s.Passes = nil },
		"A new password “Press”, no end date.": func(s *access.Site) {
			s.Passes = append(s.Passes[:1:1], access.Pass{ID: "press", Label: "Press", Under: "/"})
		},
		"The holding page is no longer shown.": func(s *access.Site) { s.Holding.On = false },
		"/privacy no longer stays open":        func(s *access.Site) { s.Holding.Exempt = nil },
	} {
		after := *before
		change(&after)
		var got []string
		for _, c := range w.Changes(before, &after) {
			got = append(got, c.Text)
		}
		if len(got) == 0 || !strings.Contains(strings.Join(got, " "), want) {
			t.Errorf("%q, want %q", got, want)
		}
	}
}
