package access

import (
	"slices"
	"testing"
)

// What a rule is said to take from a way is what the decision takes, judged by a site whose
// only door is that way, with and without the rule.
func TestShutsSaysWhatTheDecisionDoes(t *testing.T) {
	told := 0
	eachDocument(t, func(t *testing.T, m maker, doc *Document, _ *Policy) {
		site := doc.Sites[0].Clone()
		way := pickOne(m, append(site.allWays(), Way{Way: "anyone"}, Way{Way: "pass"}, Way{Way: "link"}))
		way.From, way.Until = Instant{}, Instant{}
		site = &Site{Address: site.Address, State: "live", Pages: []Page{{Path: "/", Listing: true}}, Door: Door{Ways: []Way{way}}, Passes: site.Passes, Links: site.Links, Members: site.Members}
		for i := range site.Passes {
			site.Passes[i].Under = "/"
		}
		for i := range site.Links {
			site.Links[i].Under = "/"
		}
		alone := *doc
		alone.Sites, alone.Promises, alone.Rules = []*Site{site}, nil, nil
		alone.House.Domains = append(slices.Clone(doc.House.Domains), "inside.example")
		without, err := Compile(&alone, nil)
		if err != nil {
			t.Fatal(err)
		}
		at := m.instant()
		for kind := range ruleByName {
			ruled := alone
			ruled.Rules = []HouseRule{{ID: "r", Rule: kind}}
			with, err := Compile(&ruled, nil)
			if err != nil {
				t.Fatal(err)
			}
			var shut Shut
			shuts := with.Shuts(site.Address, way, at)
			if len(shuts) > 0 {
				shut = shuts[0]
				told++
			}
			for _, site := range ImpactOf(without, with, at).Sites {
				for _, p := range site.Pages {
					for _, id := range p.Loses.IDs() {
						v, _ := with.Person(id)
						person, _ := with.PersonOf(v)
						dropped := person.Blocked || slices.Contains(doc.Sites[0].Members, Member{id, "blocked"}) // strangers then
						if !slices.Contains(shut.People.IDs(), id) && (!dropped || !shut.Strangers) {
							t.Fatalf("%s: %s loses the page and is not named, by %+v", kind, id, way)
						}
					}
					for _, o := range p.Observers {
						if o.Before == Open && o.After != Open && len(shuts) == 0 {
							t.Fatalf("%s: %s is shut out and nothing is said of %+v", kind, o.Who, way)
						}
						if o.Who == "stranger" && o.Before == Open && !shut.Strangers {
							t.Fatalf("%s: strangers are shut out and not named, by %+v", kind, way)
						}
					}
				}
			}
			for _, id := range shut.People.IDs() {
				v, _ := with.Person(id)
				if d := with.Site(site.Address).Decide("/", &Visitor{Identity: v}, at); d.Outcome == Open && d.Via != ViaTeam {
					t.Fatalf("%s: %s is said to be shut out by %+v, and is not", kind, id, way)
				}
			}
		}
	})
	if told < 50 {
		t.Errorf("only %d rules took anything", told)
	}
}
