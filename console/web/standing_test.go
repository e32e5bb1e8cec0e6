package web

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"velada/core/access"
	"velada/words"
)

// reading is what a plain reading of a site finds, page by page.
type reading struct {
	pages, strangers, held, people int
	nobody                         bool // no person and no observer opens a page
	everywhere                     bool // whoever opens more than a stranger opens every page
	listed                         int
	past, pastWhole                int // people who open a page where strangers are held, and every page
}

func read(p *access.Policy, doc *access.Site, at access.Instant) reading {
	s := p.Site(doc.Address)
	opens := func(v access.Visitor) (open, more int) {
		for _, page := range doc.Pages {
			path, _ := access.DocumentPath(page.Path)
			if s.Decide(path, &v, at).Outcome == access.Open {
				open++
				if s.Decide(path, &access.Visitor{}, at).Outcome != access.Open {
					more++
				}
			}
		}
		return open, more
	}
	r := reading{pages: len(doc.Pages), nobody: true, everywhere: true}
	for _, page := range doc.Pages {
		path, _ := access.DocumentPath(page.Path)
		if s.Decide(path, &access.Visitor{}, at).Outcome == access.Held {
			r.held++
		}
		if !s.NoIndex(path, at) {
			r.listed++
		}
	}
	who := p.Observers(doc.Address)
	for _, person := range p.Document().People {
		who = append(who, "person:"+person.ID)
	}
	for _, name := range who {
		v, _ := p.Observer(name)
		open, more := opens(v)
		if strings.HasPrefix(name, "person:") && getsPast(s, doc, v, at) {
			r.past++
			if open == r.pages {
				r.pastWhole++
			}
		}
		r.nobody = r.nobody && open == 0
		if name == "stranger" {
			r.strangers = open
		}
		if more > 0 {
			r.everywhere = r.everywhere && open == r.pages
			if strings.HasPrefix(name, "person:") {
				r.people++
			}
		}
	}
	return r
}

// getsPast reports whether somebody opens a page on which a stranger meets the holding page.
func getsPast(s *access.CompiledSite, doc *access.Site, v access.Visitor, at access.Instant) bool {
	return slices.ContainsFunc(doc.Pages, func(page access.Page) bool {
		path, _ := access.DocumentPath(page.Path)
		return s.Decide(path, &access.Visitor{}, at).Outcome == access.Held && s.Decide(path, &v, at).Outcome == access.Open
	})
}

var (
	stillGets  = regexp.MustCompile(`(\d+) (?:person|people) still gets? the site`)
	stillPart  = regexp.MustCompile(`(\d+) (?:other )?(?:person|people)\b[^;]* part of it`)
	anyonePart = regexp.MustCompile(`Anyone can view (\d+) of (\d+) pages`)
	heldPart   = regexp.MustCompile(`instead of (\d+) of (\d+) pages`)
	peopleMore = regexp.MustCompile(`(?:^|[ ,;])(\d+) (?:person|people)\b`)
	mayList    = regexp.MustCompile(`may list (\d+) pages?`)
)

// TestNoStandingSentenceIsContradicted reads every sentence about the sites of the
// cases and holds what it claims against every page for everybody.
func TestNoStandingSentenceIsContradicted(t *testing.T) {
	files, err := filepath.Glob("../../core/access/testdata/cases/*/policy.json")
	if err != nil || len(files) == 0 {
		t.Fatal("no cases", err)
	}
	claims := map[string]int{}
	for _, file := range files {
		p := casePolicy(t, file)
		for _, at := range []string{"2026-11-02T00:00:00Z", "2026-11-21T00:00:00Z", "2026-12-16T00:00:00Z"} {
			t0, _ := access.ParseInstant(at)
			for _, doc := range p.Document().Sites {
				r, st := read(p, doc, t0), p.Standing(doc.Address, t0)
				sentence := SiteStanding(st, words.Wording{Document: p.Document(), Site: doc, Zone: time.UTC}, nil)
				text, quiet := sentence.Text(false), sentence.Text(true)
				says := func(name string, said, truth bool) {
					if said {
						claims[name]++
						if !truth {
							t.Errorf("%s, %s, %s: %q (%+v)", file, doc.Address, at, quiet, r)
						}
					}
				}
				number := func(name string, form *regexp.Regexp, text string, want ...int) {
					if m := form.FindStringSubmatch(text); m != nil {
						for k, n := range want {
							got, _ := strconv.Atoi(m[k+1])
							says(name, true, got == n)
						}
					}
				}
				live := st.State == "live"
				says("anyone", strings.Contains(text, "Anyone can view this site"), live && r.pages > 0 && r.strangers == r.pages)
				says("nobody", strings.Contains(text, "Nobody can view") || strings.Contains(text, "nobody gets past"), r.nobody || st.Holding && r.people == 0)
				says("instead of the site", strings.Contains(text, "instead of the site"), r.held == r.pages)
				says("all of it", strings.Contains(text, " all of it"), r.everywhere)
				says("can view this site", strings.Contains(text, " can view this site") && !strings.HasPrefix(text, "Anyone can"), r.everywhere || r.nobody)
				says("unpublished", strings.Contains(text, "Nothing is live") || strings.Contains(text, "unpublished"), r.strangers == 0)
				number("pages", anyonePart, text, r.strangers, r.pages)
				number("held", heldPart, text, r.held, r.pages)
				if !st.Holding {
					number("people", peopleMore, text, r.people)
				}
				number("still get the site", stillGets, text, r.pastWhole)
				says("nobody still gets it", st.Holding && !strings.Contains(text, "the site,") && !stillGets.MatchString(text), r.pastWhole == 0 || r.held == 0)
				if _, rest, both := strings.Cut(text, " the site, "); both {
					number("still get part", stillPart, rest, r.past-r.pastWhole)
				} else if !stillGets.MatchString(text) {
					number("still get part", stillPart, text, r.past)
				}
				if live {
					says("kept away", strings.Contains(quiet, "kept away"), r.listed == 0 || st.Holding)
					says("lists all", strings.Contains(quiet, "may list all of it"), r.listed == r.pages || st.Holding)
					if !st.Holding {
						number("listed", mayList, quiet, r.listed)
					}
				}
			}
		}
	}
	for _, name := range []string{"anyone", "nobody", "instead of the site", "all of it", "can view this site", "unpublished", "pages", "held", "people", "kept away", "listed", "still get the site", "still get part"} {
		if claims[name] == 0 {
			t.Errorf("no sentence claims: %s", name)
		}
	}
}

// TestStandingSentences has one sentence for each kind of standing.
func TestStandingSentences(t *testing.T) {
	const house = `
velada: 1
house: {name: Casa, zone: UTC, domains: [casa.example]}
people:
  - {id: ada, name: Ada, address: ada@casa.example}
  - {id: ben, name: Ben, address: ben@casa.example}
groups: [{id: hands, domains: [school.example]}]
sites:
`
	for _, c := range []struct{ site, want string }{
		{`{pages: [{path: /}, {path: /a}], door: {ways: [{way: anyone}]}, listing: true}`,
			"Anyone can view this site. Search engines may list all of it. Nobody can edit."},
		{`{pages: [{path: /}, {path: /a}], door: {ways: [{way: people, people: [ada, guest@out.example]}]}, team: [{person: ben, role: publisher}]}`,
			"2 people and 1 invited address can view this site; strangers are asked to sign in. Search engines are kept away. 1 person can edit, 1 can publish."},
		{`{pages: [{path: /}, {path: /a}], door: {ways: [{way: people, people: [ada]}]}, doors: [{path: /a, mode: instead, ways: [{way: anyone}]}]}`,
			"Anyone can view 1 of 2 pages, 1 person all of it. Search engines are kept away. Nobody can edit."},
		{`{pages: [{path: /}, {path: /a}], door: {ways: [{way: anyone}]}, doors: [{path: /, mode: instead, ways: [{way: signed-in}]}, {path: /a, mode: instead, ways: [{way: pass}]}], passes: [{id: k, under: /a}]}`,
			"2 people, everyone at 2 domains, anyone who signs in (1 page) and 1 password can view pages of this site; at the front page strangers are asked to sign in."},
		{`{pages: [{path: /}], door: {ways: [{way: anyone}]}, holding: {on: true, kind: maintenance, let_in: [{way: network, networks: [192.0.2.0/24]}]}}`,
			"A maintenance page is shown instead of the site; 1 network still gets part of it. Search engines are kept away. Nobody can edit."},
		{`{pages: [{path: /}, {path: /a}], door: {ways: [{way: anyone}]}, holding: {on: true, kind: soon, exempt: [/a]}}`,
			"A coming soon page is shown instead of 1 of 2 pages; anyone can view 1 page; nobody gets past it in one step."},
		{`{pages: [{path: /}], door: {ways: []}, team: [{group: hands, role: editor}]}`,
			"Everyone at 1 domain can view this site; strangers are turned away. Search engines are kept away. Anyone at school.example can edit."},
		{`{pages: [], door: {ways: [{way: anyone}]}}`, "This site has no page."},
	} {
		text := house + "- {address: s, state: live, " + strings.TrimPrefix(c.site, "{")
		p := policyOf(t, []byte(text))
		at, _ := access.ParseInstant("2026-11-21T00:00:00Z")
		w := SiteStanding(p.Standing("s", at), words.Wording{Document: p.Document(), Site: p.Document().Sites[0], Zone: time.UTC}, nil)
		if got := w.Text(true); !strings.HasPrefix(got, c.want) {
			t.Errorf("%s\n got %q\nwant %q", c.site, got, c.want)
		}
	}
}

func casePolicy(t *testing.T, file string) *access.Policy {
	t.Helper()
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return policyOf(t, text)
}

func policyOf(t *testing.T, text []byte) *access.Policy {
	t.Helper()
	doc, err := access.Read(text)
	if err != nil {
		t.Fatal(err)
	}
	p, err := access.Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	return p
}
