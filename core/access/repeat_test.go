package access

import (
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"
)

func TestFromLocalAcrossChangesOfTheClocks(t *testing.T) {
	for _, c := range []struct{ zone, local, want string }{
		{"Europe/Madrid", "2026-12-01T02:00:00Z", "2026-12-01T01:00:00Z"},
		{"Europe/Madrid", "2027-03-28T02:30:00Z", "2027-03-28T01:30:00Z"}, // skipped: 03:30 in summer time
		{"Europe/Madrid", "2027-03-28T03:00:00Z", "2027-03-28T01:00:00Z"},
		{"Europe/Madrid", "2026-10-25T02:30:00Z", "2026-10-25T00:30:00Z"}, // twice: the first
		{"Europe/Madrid", "2026-10-25T03:00:00Z", "2026-10-25T02:00:00Z"},
		{"America/New_York", "2026-11-01T01:30:00Z", "2026-11-01T05:30:00Z"},
		{"America/New_York", "2027-03-14T02:30:00Z", "2027-03-14T07:30:00Z"},
		{"Australia/Lord_Howe", "2026-10-04T02:15:00Z", "2026-10-03T15:45:00Z"}, // half an hour is skipped
		{"Pacific/Apia", "2011-12-30T12:00:00Z", "2011-12-30T22:00:00Z"},        // a whole day is skipped
		{"Pacific/Kiritimati", "2026-06-01T00:00:00Z", "2026-05-31T10:00:00Z"},
		{"UTC", "2026-06-01T00:00:00Z", "2026-06-01T00:00:00Z"},
	} {
		zone, err := time.LoadLocation(c.zone)
		if err != nil {
			t.Fatal(err)
		}
		local, _ := time.Parse(time.RFC3339, c.local)
		if got := fromLocal(local, zone).UTC().Format(time.RFC3339); got != c.want {
			t.Errorf("%s in %s: %s, want %s", c.local, c.zone, got, c.want)
		}
	}
}

func TestRepeatIsRefusedAtItsField(t *testing.T) {
	for change, want := range map[string]string{
		`from: 2026-12-01T02:00:00Z, until: 2026-12-01T04:00:00Z, repeat: {every: 0, unit: day, until: 2027-01-01T00:00:00Z}`:           "repeat.every",
		`from: 2026-12-01T02:00:00Z, until: 2026-12-01T04:00:00Z, repeat: {every: 367, unit: day, until: 2027-01-01T00:00:00Z}`:         "repeat.every",
		`from: 2026-12-01T02:00:00Z, until: 2026-12-01T04:00:00Z, repeat: {every: 1, unit: month, until: 2027-01-01T00:00:00Z}`:         "repeat.unit",
		`from: 2026-12-01T02:00:00Z, until: 2026-12-01T04:00:00Z, repeat: {every: 1, unit: day}`:                                        "repeat.until",
		`from: 2026-12-01T02:00:00Z, until: 2026-12-01T04:00:00Z, repeat: {every: 1, unit: day, until: 2026-12-01T02:00:00Z}`:           "repeat.until",
		`from: 2026-12-01T02:00:00Z, until: 2026-12-01T04:00:00Z, repeat: {every: 1, unit: day, until: 2029-12-05T02:00:01Z}`:           "repeat.until",
		`from: 2026-12-01T02:00:00Z, until: 2026-12-02T02:00:01Z, repeat: {every: 1, unit: day, until: 2027-01-01T00:00:00Z}`:           "until",
		`until: 2026-12-02T02:00:01Z, repeat: {every: 1, unit: day, until: 2027-01-01T00:00:00Z}`:                                       "from",
		`from: 2026-12-01T02:00:00Z, repeat: {every: 1, unit: week, until: 2027-01-01T00:00:00Z}`:                                       "until",
		`on: true, from: 2026-12-01T02:00:00Z, until: 2026-12-02T02:00:00Z, repeat: {every: 1, unit: day, until: 2029-12-05T02:00:00Z}`: "",
	} {
		_, err := Read([]byte("velada: 1\nhouse: {name: Casa, zone: Europe/Madrid}\nsites:\n- {address: s, holding: {" + quoteInstants(change) + "}}\n"))
		switch {
		case want == "" && err != nil:
			t.Errorf("%s: %v", change, err)
		case want != "" && (err == nil || !strings.Contains(err.Error(), "sites[0].holding."+want+":")):
			t.Errorf("%s: %v, want one at %s", change, err, want)
		}
	}
}

// quoteInstants writes instants as text, which they are in a document.
func quoteInstants(s string) string {
	words := strings.Fields(s)
	for i, w := range words {
		if bare := strings.TrimRight(w, ",}"); strings.HasSuffix(bare, "Z") {
			words[i] = `"` + bare + `"` + w[len(bare):]
		}
	}
	return strings.Join(words, " ")
}

func TestAHoldingPageComesAgain(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}]
    door: {ways: [{way: anyone}]}
    holding: {on: true, from: "2026-10-20T00:00:00Z", until: "2026-10-20T02:00:00Z", repeat: {every: 1, unit: week, until: "2026-11-10T02:00:00Z"}}`)
	s := p.Site("s")
	for at, want := range map[string]Outcome{
		"2026-10-20T00:00:00Z": Held, "2026-10-20T02:00:00Z": Open, "2026-10-27T00:59:59Z": Open, "2026-10-27T01:00:00Z": Held,
		"2026-11-03T02:59:59Z": Held, "2026-11-10T01:30:00Z": Held, "2026-11-17T01:30:00Z": Open,
	} {
		if got := s.Decide("/", &Visitor{}, instant(t, at)).Outcome; got != want {
			t.Errorf("at %s %v, want %v", at, got, want)
		}
	}
	dates := s.HoldingDates(instant(t, "2026-10-20T02:00:00Z"), 9)
	if len(dates) != 3 || dates[0][0].String() != "2026-10-27T01:00:00Z" || dates[2][1].String() != "2026-11-10T03:00:00Z" {
		t.Errorf("%v", dates)
	}
	if got := s.RetryAfter(instant(t, "2026-10-27T01:30:00Z")); got != 90*60 {
		t.Errorf("to be asked again after %d s", got)
	}
}

func TestOccurrencesWithoutAGapAreOne(t *testing.T) {
	p := house(t, "", `
    pages: [{path: /}]
    door: {ways: [{way: anyone}]}
    holding: {on: true, from: "2026-10-20T00:00:00Z", until: "2026-10-21T00:00:00Z", repeat: {every: 1, unit: day, until: "2026-11-01T00:00:00Z"}}`)
	// On 25 October the clocks go back: each lasts 24 hours, and a gap of an hour is left.
	until, ends := p.Site("s").HoldingUntil(instant(t, "2026-10-20T12:00:00Z"))
	if !ends || until.String() != "2026-10-26T00:00:00Z" {
		t.Errorf("until %s", until)
	}
}

// What comes next on a site is what its timeline has, and nothing is lost behind what comes again: of that
// the next time stands there alone.
func TestTurnsAreTheTimelineWithRepeatsOnce(t *testing.T) {
	repeated := 0
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		for _, site := range doc.Sites {
			after := m.ask(doc).at
			s := p.Site(site.Address)
			turns, more := p.Turns(site.Address, after, 10000)
			var again []Instant
			if len(s.holding.wins) > 1 {
				for _, w := range s.holding.wins {
					again = w.cuts(again)
				}
			}
			only := s.cutsWith(nil) // those that nothing repeats
			i, times := 0, 0
			for _, want := range p.TimelineOf(site.Address, after, everAfter.justBefore()) {
				isAgain := slices.Contains(again, want.At) && !slices.Contains(only, want.At)
				if i < len(turns) && turns[i].At == want.At {
					if !reflect.DeepEqual(turns[i].Impact, want) {
						t.Errorf("%s at %s: %+v, not %+v", site.Address, want.At, turns[i].Impact, want)
					}
					if i++; isAgain {
						times++
					}
				} else if !isAgain {
					t.Errorf("%s: nothing is said of %s", site.Address, want.At)
				} else {
					repeated++
				}
			}
			if more || i != len(turns) || times > 2 {
				t.Errorf("%s: %d of %d turns, %d of what repeats", site.Address, i, len(turns), times)
			}
			if first, more := p.Turns(site.Address, after, 1); len(turns) > 0 && (len(first) != 1 || more != (len(turns) > 1)) {
				t.Errorf("%s: the first of %d: %d %v", site.Address, len(turns), len(first), more)
			}
		}
	})
	if repeated < 100 {
		t.Errorf("only %d instants were left out", repeated)
	}
}
