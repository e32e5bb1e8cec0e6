package access

import (
	"bytes"
	"cmp"
	"encoding/json"
	"reflect"
	"slices"
	"testing"
)

const documents = 400

// eachDocument runs a test over random documents, each compiled.
func eachDocument(t *testing.T, test func(t *testing.T, m maker, doc *Document, p *Policy)) {
	t.Helper()
	for seed := range uint64(documents) {
		m := newMaker(seed)
		doc := m.document()
		p, err := Compile(doc, nil)
		if err != nil {
			t.Fatalf("document %d: %v", seed, err)
		}
		test(t, m, doc, p)
		if t.Failed() {
			text, _ := doc.YAML()
			t.Fatalf("with document %d:\n%s", seed, text)
		}
	}
}

func TestCompiledEqualsPlainReading(t *testing.T) {
	seen := map[string]int{}
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		for range 60 {
			a := m.ask(doc)
			v := a.visitor(p)
			d := p.Site(a.site).Decide(a.path, &v, a.at)
			plain := plain{doc, p.Site(a.site).doc, a}
			outcome, offers, via := plain.decide()
			if offers == nil {
				offers = []string{}
			}
			if d.Outcome.String() != outcome || !slices.Equal(d.Offers.Names(), offers) || d.Via.String() != via {
				t.Errorf("%+v:\n got %v %v %q\nwant %v %v %q", a, d.Outcome, d.Offers.Names(), d.Via, outcome, offers, via)
			}
			if got, want := p.Site(a.site).Capabilities(a.path, v.Identity, a.at), plain.can(); got != want {
				t.Errorf("%+v: can %v, want %v", a, got.Names(), want.Names())
			}
			explained, steps := p.Explain(a.site, a.path, &v, a.at)
			if explained != d || len(steps) == 0 {
				t.Errorf("%+v: explained as %v in %d steps, decided %v", a, explained, len(steps), d)
			}
			seen[outcome]++
		}
	})
	for _, outcome := range outcomeNames {
		if seen[outcome] == 0 {
			t.Errorf("no random request met %s", outcome)
		}
	}
}

// without returns the document with one site changed.
func without(t *testing.T, p *Policy, change func(s *Site)) *Policy {
	t.Helper()
	copied := *p.doc.Sites[0]
	copied.Doors = slices.Clone(copied.Doors)
	change(&copied)
	after, err := p.Replace(&copied)
	if err != nil {
		t.Fatal(err)
	}
	return after
}

// opensMore reports a request that is open after and was not before.
func opensMore(t *testing.T, m maker, before, after *Policy, what string) {
	t.Helper()
	for range 40 {
		a := m.ask(before.doc)
		v1, v2 := a.visitor(before), a.visitor(after)
		was, is := before.Site(a.site).Decide(a.path, &v1, a.at), after.Site(a.site).Decide(a.path, &v2, a.at)
		if is.Outcome == Open && was.Outcome != Open {
			t.Errorf("%s opened %+v: %v before", what, a, was.Outcome)
		}
	}
}

// Removing a way opens no page to anyone. (Where an entry of doors is hidden,
// shutting it leaves it out with the entries below; the page it covers then
// does not exist, so it stays shut.)
func TestRemovingAWayOpensNothing(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		s := doc.Sites[0]
		if len(s.Door.Ways) > 0 {
			opensMore(t, m, p, without(t, p, func(s *Site) { s.Door.Ways = s.Door.Ways[1:] }), "removing a way of the site's door")
		}
		for i := range s.Doors {
			if len(s.Doors[i].Ways) > 0 {
				opensMore(t, m, p, without(t, p, func(s *Site) { s.Doors[i].Ways = s.Doors[i].Ways[1:] }), "removing a way of a door")
			}
		}
	})
}

func TestAHouseRuleOpensNothing(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		for name := range ruleByName {
			ruled := *doc
			ruled.Rules = append(slices.Clone(doc.Rules), HouseRule{ID: "one-more", Rule: name})
			after, err := Compile(&ruled, p)
			if err != nil {
				t.Fatal(err)
			}
			opensMore(t, m, p, after, name)
		}
	})
}

func TestAnAlsoDoorOpensNothing(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		for _, path := range randomPaths {
			if slices.ContainsFunc(doc.Sites[0].Doors, func(d PageDoor) bool { return d.Path == path }) {
				continue
			}
			door := PageDoor{Path: path, Mode: "also", Hide: m.often(40), Ways: m.ways(doc.Sites[0], []string{"p0"}, []string{"g0"})}
			opensMore(t, m, p, without(t, p, func(s *Site) { s.Doors = append(s.Doors, door) }), "an also door at "+path)
		}
	})
}

func TestImpactOfADocumentWithItselfIsEmpty(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		again, err := Compile(newCopy(t, doc), nil)
		if err != nil {
			t.Fatal(err)
		}
		if impact := ImpactOf(p, again, m.instant()); len(impact.Sites) > 0 {
			t.Errorf("%+v", impact)
		}
	})
}

// newCopy writes a document and reads it back, in both forms.
func newCopy(t *testing.T, doc *Document) *Document {
	t.Helper()
	var copies []*Document
	for _, write := range []func() ([]byte, error){doc.YAML, doc.JSON} {
		text, err := write()
		if err != nil {
			t.Fatal(err)
		}
		read, err := Read(text)
		if err != nil {
			t.Fatalf("%v\n%s", err, text)
		}
		again, err := read.JSON()
		first, err2 := doc.JSON()
		if err != nil || err2 != nil || !bytes.Equal(again, first) {
			t.Errorf("the round trip lost something:\n%s\n%s", first, again)
		}
		copies = append(copies, read)
	}
	if !reflect.DeepEqual(copies[0], copies[1]) {
		t.Error("YAML and JSON read differently")
	}
	return copies[0]
}

// The impact by sets of people equals a decision for each person and page.
func TestImpactEqualsDecisions(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		other := *newMaker(m.Uint64()).document()
		other.People = append(other.People, Person{ID: "late", Name: "Late", Address: "guest@two.example"})
		q, err := Compile(&other, nil)
		if err != nil {
			t.Fatal(err)
		}
		at := m.instant()
		type key struct{ site, path, who string }
		got := map[key]string{}
		may := map[key][2]Capabilities{}
		for _, site := range ImpactOf(p, q, at).Sites {
			for _, at := range site.Rights() {
				for _, can := range at.Can {
					may[key{site.Site, at.Path, can.Person}] = [2]Capabilities{can.Gains, can.Loses}
				}
			}
			for _, page := range site.Pages {
				for _, id := range page.Gains.IDs() {
					got[key{site.Site, page.Path, id}] = "gains"
				}
				for _, id := range page.Loses.IDs() {
					got[key{site.Site, page.Path, id}] = "loses"
				}
			}
		}
		everyone := map[string][2]string{}
		for i, d := range []*Document{doc, &other} {
			for _, person := range d.People {
				pair := everyone[person.ID]
				pair[i] = person.Address
				everyone[person.ID] = pair
			}
		}
		for id, addresses := range everyone {
			for _, address := range []string{"site-0", "site-1"} {
				told := map[string]bool{"/": true} // where rights are compared
				for _, d := range []*Document{doc, &other} {
					if i := slices.IndexFunc(d.Sites, func(s *Site) bool { return s.Address == address }); i >= 0 {
						for _, page := range d.Sites[i].Pages {
							path, _ := DocumentPath(page.Path)
							told[path] = true
						}
						for _, e := range d.Sites[i].Team {
							path, _ := DocumentPath(e.Under)
							told[path] = true
						}
					}
				}
				for path := range told {
					can := [2]Capabilities{}
					for i, policy := range []*Policy{p, q} {
						a, _ := ParseAddress(cmp.Or(addresses[i], addresses[1-i]))
						can[i] = policy.Site(address).Capabilities(path, policy.Address(a), at)
					}
					if want := [2]Capabilities{can[1] &^ can[0], can[0] &^ can[1]}; may[key{address, path, id}] != want {
						t.Errorf("%s may on %s%s: %v, want %v", id, address, path, may[key{address, path, id}], want)
					}
					delete(may, key{address, path, id})
				}
				for _, path := range randomPaths {
					opens := [2]bool{}
					for i, policy := range []*Policy{p, q} {
						mine := addresses[i]
						if mine == "" {
							mine = addresses[1-i]
						}
						a, _ := ParseAddress(mine)
						v := Visitor{Identity: policy.Address(a)}
						opens[i] = policy.Site(address).Decide(path, &v, at).Outcome == Open
					}
					want := map[[2]bool]string{{false, true}: "gains", {true, false}: "loses"}[opens]
					if got[key{address, path, id}] != want {
						t.Errorf("%s on %s%s: %q, want %q", id, address, path, got[key{address, path, id}], want)
					}
				}
			}
		}
		if len(may) > 0 {
			t.Errorf("rights are told of where none are compared: %v", may)
		}
	})
}

// A timeline's changes, applied in order to what everybody meets at its
// beginning, give what they meet at its end.
func TestTimelineLeadsFromItsBeginningToItsEnd(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		from, until := instant(t, "2026-11-19T00:00:00Z"), instant(t, "2026-12-05T00:00:00Z")
		type key struct{ site, path, who string }
		state := func(at Instant) map[key]Outcome {
			met := map[key]Outcome{}
			for _, s := range doc.Sites {
				for _, page := range s.Pages {
					for _, who := range p.Observers(s.Address) {
						v, _ := p.Observer(who)
						met[key{s.Address, page.Path, who}] = p.Site(s.Address).Decide(page.Path, &v, at).Outcome
					}
					for _, person := range doc.People {
						v, _ := p.Observer("person:" + person.ID)
						outcome := p.Site(s.Address).Decide(page.Path, &v, at).Outcome
						if outcome != Open {
							outcome = Refused
						}
						met[key{s.Address, page.Path, person.ID}] = outcome
					}
				}
			}
			return met
		}
		met := state(from)
		last := from
		for _, change := range p.Timeline(from, until) {
			if !last.Before(change.At) || until.Before(change.At) {
				t.Errorf("%v comes after %v", change.At, last)
			}
			last = change.At
			for _, site := range change.Sites {
				for _, page := range site.Pages {
					for _, o := range page.Observers {
						k := key{site.Site, page.Path, o.Who}
						if met[k] != o.Before {
							t.Errorf("%v at %v: before is %v, was %v", k, change.At, o.Before, met[k])
						}
						met[k] = o.After
					}
					for _, id := range page.Gains.IDs() {
						met[key{site.Site, page.Path, id}] = Open
					}
					for _, id := range page.Loses.IDs() {
						met[key{site.Site, page.Path, id}] = Refused
					}
				}
			}
		}
		if want := state(until); !reflect.DeepEqual(met, want) {
			for k := range want {
				if met[k] != want[k] {
					t.Errorf("%v ends as %v, want %v", k, met[k], want[k])
				}
			}
		}
	})
}

// A promise is judged as deciding at every instant would.
func TestPromisesEqualDecisions(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		promised := *doc
		for i, who := range []string{"stranger", "outsider", "group:g0", "person:p0", "domain:one.example"} {
			promised.Promises = append(promised.Promises, Promise{
				ID: ids("q", 9)[i], Who: who, Must: pickOne(m, []string{"open", "not-open"}), Site: "site-0", Path: pickOne(m, randomPaths), Below: m.often(50),
			})
		}
		q, err := Compile(&promised, p)
		if err != nil {
			t.Fatal(err)
		}
		now := instant(t, "2026-11-19T00:00:00Z")
		for _, j := range q.Judge(now) {
			kept := true
			for at := now; at.Before(instant(t, "2026-12-05T00:00:00Z")); at = At(at.Time().Add(6 * 3600e9)) {
				for _, path := range randomPaths {
					exists := slices.ContainsFunc(doc.Sites[0].Pages, func(pg Page) bool { return pg.Path == path })
					if j.Promise.Below && (!exists || !Covers(j.Promise.Path, path)) || !j.Promise.Below && path != j.Promise.Path {
						continue
					}
					whos := []string{j.Promise.Who}
					if j.Promise.Who == "group:g0" {
						whos = nil
						for _, person := range doc.People {
							if (plain{doc, doc.Sites[0], ask{at: at}}).inGroup(person.Address, "g0", nil) {
								whos = append(whos, "person:"+person.ID)
							}
						}
					}
					for _, who := range whos {
						v, _ := q.Observer(who)
						open := q.Site("site-0").Decide(path, &v, at).Outcome == Open
						kept = kept && open == (j.Promise.Must == "open")
					}
				}
			}
			if kept != j.Kept {
				t.Errorf("%+v: kept %v, want %v (%+v)", j.Promise, j.Kept, kept, j.Breaks)
			}
		}
	})
}

func TestWhyIsJSON(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		a := m.ask(doc)
		request, _ := json.Marshal(map[string]string{"site": a.site, "path": a.path, "at": a.at.String()})
		var out bytes.Buffer
		if err := p.AnswerLines(bytes.NewReader(request), &out, a.at, true); err != nil {
			t.Fatal(err)
		}
		var answer struct {
			Why []struct {
				Sign, Text string
				About      []Ref
			}
		}
		if err := json.Unmarshal(out.Bytes(), &answer); err != nil || len(answer.Why) == 0 || answer.Why[0].Text == "" {
			t.Errorf("%v: %s", err, out.Bytes())
		}
	})
}

// TestFiguresEqualPlainReading counts by the literal reading what the figures say.
func TestFiguresEqualPlainReading(t *testing.T) {
	more, gotPast := 0, 0
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		at := m.instant()
		for _, f := range p.Figures(at) {
			site := p.Site(f.Site).doc
			opens := func(a ask, path string) string {
				a.site, a.path, a.at = f.Site, path, at
				outcome, _, _ := plain{doc, site, a}.decide()
				return outcome
			}
			want := Figures{Site: f.Site, State: site.State, Pages: len(site.Pages), Listed: len(p.Site(f.Site).Listed(at))}
			var shut, held []string
			for _, page := range site.Pages {
				switch path, _ := DocumentPath(page.Path); opens(ask{}, path) {
				case "open":
					want.Strangers++
				case "held":
					want.Held++
					held = append(held, path)
					fallthrough
				default:
					shut = append(shut, path)
				}
			}
			if len(held) > 0 {
				want.Past = &Past{}
			}
			past := func(a ask) (n int) {
				for _, path := range held {
					if opens(a, path) == "open" {
						n++
					}
				}
				return n
			}
			count := func(a ask) (n int) {
				for _, path := range shut {
					if opens(a, path) == "open" {
						n++
					}
				}
				return n
			}
			for _, person := range doc.People {
				a := ask{person: person.ID}
				n := count(a)
				if n > 0 {
					want.People++
				}
				all := !slices.ContainsFunc(site.Pages, func(page Page) bool {
					path, _ := DocumentPath(page.Path)
					return opens(a, path) != "open"
				})
				if n > 0 && all {
					want.Everywhere++
				}
				if past(a) > 0 {
					want.Past.People++
					if all {
						want.Past.Everywhere++
					}
				}
				more += n
			}
			for _, pass := range site.Passes {
				want.Passes += min(1, count(ask{passes: []string{pass.ID}}))
				if want.Past != nil {
					want.Past.Passes += min(1, past(ask{passes: []string{pass.ID}}))
				}
			}
			for _, link := range site.Links {
				want.Links += min(1, count(ask{links: []string{link.ID}}))
				if want.Past != nil {
					want.Past.Links += min(1, past(ask{links: []string{link.ID}}))
				}
			}
			want.Outsiders = count(ask{address: "nobody@nowhere.example"})
			if want.Past != nil {
				want.Past.Outsiders = past(ask{address: "nobody@nowhere.example"})
			}
			for _, person := range doc.People {
				var can Capabilities
				for _, e := range append([]TeamEntry{{Under: "/"}}, site.Team...) {
					path, _ := DocumentPath(e.Under)
					can |= plain{doc, site, ask{site: f.Site, path: path, at: at, person: person.ID}}.can()
				}
				want.Edit += int(can >> Write & 1)
				want.Publish += int(can >> Publish & 1)
			}
			seen := map[Address]bool{}
			for _, e := range site.Team {
				address, err := ParseAddress(e.Address)
				if known := p.Address(address).kind == aPerson; err != nil || known || seen[address] {
					continue
				}
				seen[address] = true
				var can Capabilities
				for _, other := range site.Team {
					path, _ := DocumentPath(other.Under)
					can |= plain{doc, site, ask{site: f.Site, path: path, at: at, address: e.Address}}.can()
				}
				want.Edit += int(can >> Write & 1)
				want.Publish += int(can >> Publish & 1)
			}
			want.Domains, want.Addresses, want.Networks, want.part = f.Domains, f.Addresses, f.Networks, f.part
			if want.Past != nil && f.Past != nil {
				want.Past.Domains, want.Past.Addresses, want.Past.Networks = f.Past.Domains, f.Past.Addresses, f.Past.Networks
				gotPast += f.Past.People
			}
			if !reflect.DeepEqual(f, want) {
				t.Errorf("at %s:\n got %+v\nwant %+v", at, f, want)
			}
		}
	})
	if more == 0 {
		t.Error("nobody opened more than a stranger")
	}
	if gotPast == 0 {
		t.Error("nobody ever got by a holding page")
	}
}
