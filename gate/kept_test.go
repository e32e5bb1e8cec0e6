package gate

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"testing"
	"time"

	"velada/core/access"
	"velada/demo/raced"
	"velada/store"
)

// What is kept from earlier answers never says anything else than what is worked
// out anew: for whoever asks, wherever, at any time, whatever was asked before.
func TestWhatIsKeptIsWhatIsWorkedOut(t *testing.T) {
	d := open(t)
	random := rand.New(rand.NewPCG(20261124, 5))
	d.change("society", func(s *access.Site) { // something that begins and ends, for some
		s.Doors = append(s.Doors, access.PageDoor{Path: "/library", Mode: "also", Ways: []access.Way{
			{Way: "domain", Domains: []string{"cerroalcor.example"}, From: access.At(d.now.Add(time.Hour)), Until: access.At(d.now.Add(48 * time.Hour))},
			{Way: "groups", Groups: []string{"council"}},
		}}, access.PageDoor{Path: "/history", Mode: "also", Hide: true, Ways: []access.Way{{Way: "network", Networks: []string{"203.0.113.0/24"}}}})
	})
	visitors := map[string][]string{} // cookies by site
	sites := []string{"society", "variable-stars", "new-dome", "instrument-log", "dossier", "august"}
	for _, site := range sites {
		visitors[site] = []string{"", "velada_visit=made-up", noticeCookie + "=1"}
		for _, address := range []string{"pilar@cerroalcor.example", "mirela@brasov.example", "noor-okoye@aula.cerroalcor.example", "nobody@nowhere.example", "ines@cerroalcor.example"} {
			visitors[site] = append(visitors[site], d.visiting(address, site), d.visiting(address, site)+"; "+noticeCookie+"=1")
		}
	}
	_, pass := d.enter("dossier", "/", "aurora over the fjord")
	visitors["dossier"] = append(visitors["dossier"], pass, visitors["dossier"][3]+"; "+pass)
	start := d.now
	d.now = d.house.State().SiteDocument("variable-stars").Passes[0].From.Time().Add(time.Minute)
	_, later := d.enter("variable-stars", "/crew/antlia", "velvet comet on show night")
	if pass == "" || later == "" {
		t.Fatal("a pass does not let in")
	}
	visitors["variable-stars"] = append(visitors["variable-stars"], later, visitors["variable-stars"][5]+"; "+later)
	d.now = start
	for _, site := range []string{"society", "variable-stars"} {
		d.describe(site, store.Details{CookieNotice: "We count nothing."}, nil)
	}
	instants := []time.Time{d.now, d.now.Add(time.Minute)}
	for _, site := range sites {
		for _, at := range d.house.State().Policy.Site(site).Instants(access.At(d.now)) {
			instants = append(instants, at.Time().Add(-time.Second), at.Time(), at.Time().Add(time.Second))
		}
	}
	said := func(a asked) string {
		r := d.ask(a)
		r.Header.Del("Set-Cookie")
		return fmt.Sprintf("%d %v\n%s", r.StatusCode, r.Header, body(t, r))
	}
	type question struct {
		asked
		at time.Time
	}
	ask := func(q question) string {
		d.now = q.at
		return said(q.asked)
	}
	statuses := map[string]int{}
	rounds := 90
	if raced.On {
		rounds = 12
	}
	for round := range rounds {
		var list []question
		site := sites[round%len(sites)] // few places at a time, so that the same is asked again and again
		paths := slices.Concat(d.house.State().Site(site).Working.Order, []string{"/nowhere", "/hill.svg"})
		random.Shuffle(len(paths), func(i, j int) { paths[i], paths[j] = paths[j], paths[i] })
		paths = append(map[string][]string{"society": {"/history", "/library"}, "variable-stars": {"/privacy", "/crew/antlia"}}[site], paths...)
		i := random.IntN(len(instants) - 3)
		times := instants[i : i+4] // as a rule about one change
		who := visitors[site][:1:1]
		for range 5 {
			who = append(who, visitors[site][random.IntN(len(visitors[site]))])
		}
		for range 40 {
			a := asked{site: site, path: paths[random.IntN(3)], from: []string{"203.0.113.5", "198.51.100.7"}[random.IntN(2)]}
			if random.IntN(8) == 0 {
				a.method = http.MethodHead
			}
			if cookie := who[random.IntN(len(who))]; cookie != "" {
				a.cookies = []string{cookie}
			}
			list = append(list, question{a, times[random.IntN(len(times))]})
		}
		random.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
		kept := make([]string, len(list))
		for i, q := range list {
			kept[i] = ask(q)
		}
		for i, q := range list {
			if err := d.house.Reload(t.Context()); err != nil { // nothing is kept
				t.Fatal(err)
			}
			if fresh := ask(q); fresh != kept[i] {
				t.Fatalf("%+v at %v was kept as\n%.900s\nand is\n%.900s", q.asked, q.at, kept[i], fresh)
			}
			statuses[kept[i][:3]]++
		}
	}
	for _, status := range []string{"200", "401", "403", "404", "503"} {
		if statuses[status] == 0 && !raced.On {
			t.Errorf("no answer was %s: %v", status, statuses)
		}
	}
}
