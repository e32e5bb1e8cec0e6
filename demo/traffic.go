package demo

import (
	"context"
	"database/sql"
	"fmt"
	"math/rand/v2"
	"strings"
	"time"

	"velada/core/access"
	"velada/core/traffic"
	"velada/store"
)

// weeks is how long the demo house was visited before its clock begins.
const weeks = 10

// sources are where visitors of the demo house come from; most say nothing.
var sources = []string{"", "", "", "", "society.cerroalcor.example", "society.cerroalcor.example", "search.example", "news.aula.example"}

// searches are what visitors look for in turn on the society's site, the class's and the log;
// the last are found nowhere.
var searches = []string{"open nights", "comparison stars", "focuser", "membership", "parking", "exam dates"}

// visiting makes visits up, always the same.
type visiting struct {
	*rand.Rand
	policy  *access.Policy
	ids     map[string]store.SiteID
	tally   *traffic.Tally
	visitor uint64
}

// makeTraffic makes up ten weeks of visits: weekends, a newsletter's day, crews that try each
// other's doors, and a robot. They are decided and counted as real ones are.
func makeTraffic(ctx context.Context, tx *sql.Tx, ids map[string]store.SiteID, doc *access.Document, now time.Time) error {
	if err := store.SaveTrafficChoice(ctx, tx, ids["variable-stars"], store.TrafficChoice{Names: true, Days: store.DefaultTraffic.Days, Months: store.DefaultTraffic.Months}); err != nil {
		return err
	}
	whole, err := store.Document(ctx, tx) // with the pages that are live
	if err != nil {
		return err
	}
	p, err := access.Compile(whole, nil)
	if err != nil {
		return err
	}
	zone, err := time.LoadLocation(doc.House.Zone)
	if err != nil {
		return err
	}
	v := &visiting{Rand: rand.New(rand.NewPCG(2026, 11)), policy: p, ids: ids, tally: traffic.NewTally(zone, nil)}
	year, month, day := now.In(zone).Date()
	for n := 7 * weeks; n >= 0; n-- {
		v.day(time.Date(year, month, day-n, 0, 0, 0, 0, zone), n, now)
		v.tally.Night()
	}
	hits, days, _ := v.tally.Take()
	return store.AddTraffic(ctx, tx, hits, days, nil)
}

// day makes up the visits of a day, which is so many days ago.
func (v *visiting) day(midnight time.Time, ago int, now time.Time) {
	weekend := midnight.Weekday() == time.Saturday || midnight.Weekday() == time.Sunday
	often := func(n int) int {
		if weekend {
			n = n * 2 / 3
		}
		return n/2 + v.IntN(n)
	}
	visit := func(site, who string, hour int, pages ...string) {
		at := midnight.Add(time.Duration(hour)*time.Hour + time.Duration(v.IntN(3600))*time.Second)
		if at.Before(now) {
			v.visit(site, who, at, "", pages...)
		}
	}
	evening := func() int { return 8 + (v.IntN(14)+v.IntN(14))/2 }
	for range often(7) {
		visit("society", "stranger", evening(), "/", []string{"/open-nights", "/visit", "/courses", "/library"}[v.IntN(4)])
	}
	for range often(9) {
		pages := []string{"/", "/notes", "/notes/week-2", "/notes/week-1", "/notes/week-2", "/how-to-join"}
		visit("variable-stars", fmt.Sprintf("person:%s", v.person()), evening(), pages[v.IntN(3)], pages[2+v.IntN(3)], pages[v.IntN(6)])
	}
	for range often(2) {
		visit("variable-stars", "stranger", evening(), "/how-to-join", "/privacy", "/")
	}
	for range often(2) {
		visit("new-dome", "stranger", evening(), "/")
	}
	for range often(3) {
		visit("instrument-log", "as:"+v.crew("night-crew")[v.IntN(4)], 20+v.IntN(4), "/", []string{"/focuser", "/mount", "/dome"}[v.IntN(3)])
	}
	if v.IntN(3) == 0 {
		visit("dossier", []string{"pass:nordlys", "pass:ribera", "stranger"}[v.IntN(3)], 9+v.IntN(8), "/", "/budget")
	}
	v.special(midnight, ago)
}

// special makes up what happened on one day alone.
func (v *visiting) special(midnight time.Time, ago int) {
	switch ago {
	case 24: // the newsletter of a school
		for i := range 24 {
			v.visit("society", "stranger", midnight.Add(time.Duration(9*60+i*11)*time.Minute), "news.aula.example", "/", "/courses")
			v.visit("variable-stars", "stranger", midnight.Add(time.Duration(9*60+i*11)*time.Minute), "news.aula.example", "/notes")
		}
	case 6: // the other crews try the doors of Crew Corvus
		for i := range 58 {
			rival := []string{"irene-ibarra", "katya-cifuentes", "jamal-fjeld"}[i%3]
			if people := v.crew([]string{"antlia", "lacerta"}[i%2]); len(people) > 0 {
				rival = people[i%len(people)]
			}
			v.visit("variable-stars", "person:"+rival, midnight.Add(time.Duration(17*60+i*2)*time.Minute), "", "/crew/corvus")
		}
	}
	if ago%3 == 0 { // a robot reads along
		for _, path := range []string{"/", "/open-nights", "/courses"} {
			v.tally.Add(traffic.Hit{Site: string(v.ids["society"]), At: midnight.Add(4 * time.Hour), Page: path, Who: "stranger", Outcome: access.Open, Visitor: 1, Robot: true})
		}
	}
	for i, words := range searches[:1+ago%len(searches)] {
		site := []string{"society", "variable-stars", "instrument-log"}[i%3]
		v.tally.Add(traffic.Hit{Site: string(v.ids[site]), At: midnight.Add(time.Duration(10+i) * time.Hour), Search: words, Found: i < 4})
	}
	if ago < 12 && ago%2 == 0 {
		v.visit("variable-stars", "person:tobias", midnight.Add(21*time.Hour), "", "/crew/antlia")
	}
}

// crew lists who is in a crew of the class.
func (v *visiting) crew(id string) []string {
	for _, g := range v.policy.Document().Groups {
		if g.ID == id {
			return g.People
		}
	}
	return nil
}

// person is somebody of the class.
func (v *visiting) person() string {
	people := v.crew([]string{"antlia", "corvus", "lacerta"}[v.IntN(3)])
	return people[v.IntN(len(people))]
}

// visit counts a visit, page by page, as the gate would have.
func (v *visiting) visit(site, who string, at time.Time, source string, pages ...string) {
	v.visitor++
	visitor, _ := v.policy.Observer(strings.Replace(who, "as:", "person:", 1))
	counted := who
	if strings.HasPrefix(who, "as:") { // somebody who is not counted by name
		counted = "domain:" + v.policy.Document().House.Domains[0]
	}
	of := v.policy.Site(site)
	if source == "" {
		source = sources[v.IntN(len(sources))]
	}
	device := []string{"phone", "phone", "computer", "computer", "computer", "tablet"}[v.IntN(6)]
	apart := v.visitor*2654435761 | 1
	if strings.Contains(who, ":") { // one browser a day
		for _, letter := range who {
			apart = apart*31 + uint64(letter)
		}
	}
	for _, path := range pages {
		d := of.Decide(path, &visitor, access.At(at))
		h := traffic.Hit{Site: string(v.ids[site]), At: at, Page: path, Who: counted, Outcome: d.Outcome, Visitor: apart, Source: source, Device: device}
		if d.Outcome != access.Open {
			h.Reason = traffic.Reason(of.TurnedAway(path, &visitor, access.At(at)))
		}
		v.tally.Add(h)
		if d.Outcome != access.Open {
			return // and goes away
		}
		at = at.Add(time.Duration(15+v.IntN(240)) * time.Second)
	}
}
