package calendar

import (
	"os"
	"regexp"
	"slices"
	"testing"

	"velada/core/access"
)

// house reads the document that the tests are about: everything in it that can have dates.
func house(t *testing.T) *access.Policy {
	t.Helper()
	text, err := os.ReadFile("testdata/house.yaml")
	if err != nil {
		t.Fatal(err)
	}
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

func instant(t *testing.T, text string) access.Instant {
	t.Helper()
	i, err := access.ParseInstant(text)
	if err != nil {
		t.Fatal(err)
	}
	return i
}

func lanesOf(t *testing.T, p *access.Policy) (lanes []Lane) {
	t.Helper()
	from, until := instant(t, "2026-11-01T00:00:00Z"), instant(t, "2027-11-01T00:00:00Z")
	judged := p.Judge(instant(t, "2026-11-20T00:00:00Z"))
	lanes = OfHouse(p, []Fact{{Kind: JoinCode, ID: "c", Until: instant(t, "2026-12-30T00:00:00Z")}})
	for _, s := range p.Document().Sites {
		lanes = append(lanes, OfSite(p, s.Address, []Fact{{Site: s.Address, Kind: Edition, ID: "8", Until: instant(t, "2026-12-05T09:00:00Z")}}, judged, from, until)...)
	}
	return lanes
}

// Every instant that the document names is an end of a lane.
func TestEveryDateOfADocumentIsALanesEnd(t *testing.T) {
	p := house(t)
	lanes := lanesOf(t, p)
	ends := map[access.Instant]bool{}
	for _, e := range Edges(lanes, instant(t, "2020-01-01T00:00:00Z"), instant(t, "2040-01-01T00:00:00Z")) {
		ends[e.At] = true
	}
	text, err := p.Document().YAML()
	if err != nil {
		t.Fatal(err)
	}
	dates := regexp.MustCompile(`\d{4}-\d\d-\d\dT[\d:]+(Z|[+-]\d\d:\d\d)`).FindAllString(string(text), -1)
	for _, d := range dates {
		if d == "2027-06-30T22:00:00Z" { // the last time of what comes again is no end of an occurrence
			continue
		}
		if !ends[instant(t, d)] {
			t.Errorf("%s is no end of a lane", d)
		}
	}
	if len(dates) < 20 {
		t.Errorf("the document names only %d dates", len(dates))
	}
	kinds := map[Kind]bool{}
	for _, l := range lanes {
		kinds[l.Kind] = true
		if slices.ContainsFunc(lanes, func(o Lane) bool { return o.Key == l.Key && o.Site == l.Site && o.Spans[0] != l.Spans[0] }) {
			t.Errorf("two lanes have the key %s", l.Key)
		}
	}
	for _, k := range []Kind{Way, Password, Link, Holding, Rule, Promise, Group, Role, JoinCode, Edition} {
		if !kinds[k] {
			t.Errorf("there is no lane of a %s", k)
		}
	}
}

// Moving an end moves just that end.
func TestMovingAnEndMovesNothingElse(t *testing.T) {
	p := house(t)
	to := instant(t, "2027-01-07T07:07:00Z")
	moved := 0
	for _, l := range lanesOf(t, p) {
		for _, begins := range []bool{true, false} {
			doc := p.Document().Clone()
			site := p.Site(l.Site).Document()
			var there bool
			if l.Site == "" {
				there = MoveInHouse(doc, l.Key, begins, to)
			} else {
				copied := site.Clone()
				there = Move(copied, l.Key, begins, to)
				i := slices.IndexFunc(doc.Sites, func(s *access.Site) bool { return s.Address == l.Site })
				doc.Sites[i] = copied
			}
			if there != l.Moves && l.Kind != Way { // a way that ends with its group could be given an end of its own
				t.Errorf("%s of %s: moved %v, says %v", l.Key, l.Site, there, l.Moves)
			}
			if !l.Moves {
				continue
			}
			moved++
			was, _ := p.Document().YAML()
			is, err := doc.YAML()
			if err != nil {
				t.Fatal(err)
			}
			if diff := changedLines(string(was), string(is)); diff == 0 || l.Kind != Way && diff > 1 {
				t.Errorf("%s: %d lines differ", l.Key, diff)
			}
		}
	}
	if moved < 20 {
		t.Errorf("only %d ends can be moved", moved)
	}
	if Move(p.Site("one").Document().Clone(), "way:nothing", true, to) || MoveInHouse(p.Document().Clone(), "group:nothing", true, to) {
		t.Error("what there is not is moved")
	}
}

// changedLines counts the lines of one text that another lacks.
func changedLines(was, is string) (n int) {
	lines := func(text string) map[string]int {
		have := map[string]int{}
		for _, line := range regexp.MustCompile(`\n`).Split(text, -1) {
			have[line]++
		}
		return have
	}
	before := lines(was)
	for line, count := range lines(is) {
		if more := count - before[line]; more > 0 {
			n += more
		}
	}
	return n
}

func TestWhatComesAgainIsShownAgain(t *testing.T) {
	p := house(t)
	for _, l := range lanesOf(t, p) {
		if l.Kind != Holding || l.Site != "two" {
			continue
		}
		if len(l.Spans) < 20 || l.Moves {
			t.Errorf("%d occurrences, moves %v", len(l.Spans), l.Moves)
		}
		return
	}
	t.Error("there is no lane of the holding page")
}
