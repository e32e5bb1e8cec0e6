package traffic

import (
	"cmp"
	"math/rand/v2"
	"slices"
	"strconv"
	"testing"
	"time"

	"velada/core/access"
	"velada/limits"
)

func madrid(t *testing.T) *time.Location {
	t.Helper()
	zone, err := time.LoadLocation("Europe/Madrid")
	if err != nil {
		t.Fatal(err)
	}
	return zone
}

func (t *Tally) day(kind DayKind) (n int) {
	for k, count := range t.Days {
		if k.Kind == kind {
			n += count
		}
	}
	return n
}

func open(at time.Time, visitor uint64, page string) Hit {
	return Hit{Site: "s", At: at, Page: page, Who: "stranger", Outcome: access.Open, Visitor: visitor, Device: "phone", Source: "news.example"}
}

// A visit goes on for as long as gaps are under half an hour, and is over at night.
func TestVisitsBeginAndEnd(t *testing.T) {
	zone := madrid(t)
	at := time.Date(2026, 11, 24, 10, 0, 0, 0, zone)
	tally := NewTally(zone, nil)
	for _, m := range []int{0, 1, 30, 60, 60 + 29, 60 + 29 + 31} { // a gap of 30 minutes begins another
		tally.Add(open(at.Add(time.Duration(m)*time.Minute), 7, "/"))
	}
	tally.Add(open(at, 8, "/"))
	shut := open(at, 9, "/crew")
	shut.Outcome, shut.Reason = access.Refused, "not-listed - /crew"
	tally.Add(shut)
	if tally.day(Visitors) != 3 || tally.day(Visits) != 5 || tally.day(Sources) != 5 || tally.day(Devices) != 5 {
		t.Errorf("%d visitors, %d visits", tally.day(Visitors), tally.day(Visits))
	}
	if tally.day(Lasted) != 2 {
		t.Errorf("%d visits are over", tally.day(Lasted))
	}
	tally.Night()
	if tally.day(Lasted) != 4 || tally.day(PagesAVisit) != 4 || len(tally.Today) != 0 { // whoever saw a door alone is no visit of pages
		t.Errorf("%d visits were over by night, %d visitors are kept", tally.day(Lasted), len(tally.Today))
	}
	hits, days, visits := tally.Take()
	if len(hits) != 4 || len(days) == 0 || len(visits) != 0 {
		t.Errorf("%d %d %d", len(hits), len(days), len(visits))
	}
	n := 0
	for k, count := range hits {
		n += count
		if k.Hour != HourOf(at)+(k.Hour-HourOf(at)) || k.Who != "stranger" {
			t.Errorf("%+v", k)
		}
	}
	if n != 8 {
		t.Errorf("%d hits", n)
	}
}

// Hours and days are right across changes of the clocks.
func TestDaysAreTheZones(t *testing.T) {
	zone := madrid(t)
	for text, day := range map[string]int64{
		"2026-10-24T23:59:59+02:00": 20750, "2026-10-25T00:00:00+02:00": 20751, "2026-10-25T23:59:59+01:00": 20751, "2026-10-26T00:00:00+01:00": 20752,
		"2027-03-28T00:30:00+01:00": 20905, "2027-03-28T23:30:00+02:00": 20905, "2027-03-29T00:00:00+02:00": 20906,
	} {
		at, err := time.Parse(time.RFC3339, text)
		if err != nil {
			t.Fatal(err)
		}
		if got := DayOf(at, zone); got != day {
			t.Errorf("%s is day %d", text, got)
		}
	}
}

func TestRobotsAndThoseNotToldApart(t *testing.T) {
	zone := madrid(t)
	at := time.Date(2026, 11, 24, 10, 0, 0, 0, zone)
	tally := NewTally(zone, nil)
	robot := open(at, 7, "/")
	robot.Robot = true
	tally.Add(robot)
	for range 3 {
		tally.Add(open(at, 0, "/"))
	}
	search := Hit{Site: "s", At: at, Search: "comet"}
	tally.Add(search)
	tally.Add(Hit{Site: "s", At: at, Use: "link:press", Status: 302})
	if tally.day(Robots) != 1 || tally.day(Apart) != 3 || tally.day(Visits) != 0 || tally.day(FoundNone) != 1 || tally.day(Uses) != 1 || len(tally.Hits) != 1 {
		t.Errorf("%+v %+v", tally.Days, tally.Hits)
	}
	tally.most = 2
	for i := range uint64(5) {
		tally.Add(open(at, 100+i, "/"))
	}
	if tally.day(Visitors) != 2 || tally.day(Apart) != 6 {
		t.Errorf("of too many %d are told apart, %d not", tally.day(Visitors), tally.day(Apart))
	}
}

func TestReasonsAreReadAsWritten(t *testing.T) {
	at := access.At(time.Date(2026, 12, 12, 19, 0, 0, 0, time.UTC))
	for _, w := range []access.Turned{{Kind: access.TurnedListed, Door: "/crew/a b"}, {Kind: access.TurnedLater, Door: "", At: at}, {Kind: access.TurnedHeld}} {
		if got := ReadReason(Reason(w)); got != w {
			t.Errorf("%+v, not %+v", got, w)
		}
	}
	if Reason(access.Turned{}) != "" {
		t.Error("a reason for what opened")
	}
}

func TestDurationsAreExactToATenth(t *testing.T) {
	for seconds, want := range map[int]int{0: 0, 7: 7, 99: 99, 100: 100, 107: 100, 999: 990, 1000: 1000, 1234: 1200, 12345: 12000} {
		if got := rounded(time.Duration(seconds) * time.Second); got != want {
			t.Errorf("%d s is %s", seconds, strconv.Itoa(got))
		}
	}
}

func replayed(t testing.TB, text string) *access.Policy {
	t.Helper()
	doc, err := access.Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	p, err := access.Compile(doc, nil)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func TestReplayDecidesAgain(t *testing.T) {
	before := replayed(t, `velada: 1
house: {name: A, zone: UTC, domains: [a.example]}
people: [{id: p, address: p@a.example}, {id: q, address: q@b.example}]
sites:
  - {address: s, state: live, pages: [{path: /}, {path: /x}], door: {ways: [{way: anyone}]}}
`)
	after := replayed(t, `velada: 1
house: {name: A, zone: UTC, domains: [a.example]}
people: [{id: p, address: p@a.example}]
sites:
  - {address: s, state: live, pages: [{path: /}, {path: /x}], door: {ways: [{way: domain, domains: [a.example]}, {way: people, people: [p], until: "2026-11-24T00:00:00Z"}]}}
`)
	hour := HourOf(time.Date(2026, 11, 24, 10, 0, 0, 0, time.UTC))
	r := Replay(before, after, "s", false, []Asked{
		{hour, "/", "stranger", 100}, {hour + 1, "/", "stranger", 11}, {hour, "/x", "person:p", 5}, {hour, "/x", "person:q", 3}, {hour, "/x", "domain:a.example", 7}, {hour, "/", "outsider", 2}, {hour, "/", "pass:gone", 4},
	})
	if r.Hits != 129 || r.Unknown != 3 || r.Unnamed != 9 {
		t.Errorf("%+v", r)
	}
	shut := map[string]int{}
	for _, turn := range r.Turns {
		if !turn.Shuts() || turn.Opens() {
			t.Errorf("%+v", turn)
		}
		shut[turn.Who] += turn.N
	}
	if shut["stranger"] != 111 || shut["outsider"] != 2 || len(shut) != 3 || r.Turns[0].N != 111 {
		t.Errorf("%+v", r.Turns)
	}
	back := Replay(after, before, "s", false, []Asked{{hour, "/", "stranger", 100}})
	if len(back.Turns) != 1 || !back.Turns[0].Opens() {
		t.Errorf("%+v", back)
	}
	if same := Replay(before, before, "s", false, []Asked{{hour, "/", "stranger", 100}}); len(same.Turns) != 0 || same.Hits != 100 {
		t.Errorf("%+v", same)
	}
}

// BenchmarkReplay decides a million hits of 28 days again.
func BenchmarkReplay(b *testing.B) {
	before := replayed(b, `velada: 1
house: {name: A, zone: UTC, domains: [a.example]}
sites:
  - {address: s, state: live, pages: [{path: /}], door: {ways: [{way: anyone}]}}
`)
	after := replayed(b, `velada: 1
house: {name: A, zone: UTC, domains: [a.example]}
sites:
  - {address: s, state: live, pages: [{path: /}], door: {ways: [{way: domain, domains: [a.example]}]}}
`)
	var hits []Asked
	for i := range 1_000_000 {
		hits = append(hits, Asked{Hour: 490_000 + int64(i%672), Page: "/", Who: []string{"stranger", "domain:a.example", "outsider"}[i%3], N: 1})
	}
	for b.Loop() {
		if r := Replay(before, after, "s", false, hits); r.Hits != 1_000_000 {
			b.Fatal(r.Hits)
		}
	}
}

// Names that anybody can make up are told apart up to a number a day.
func TestNamesADayAreBounded(t *testing.T) {
	tally := NewTally(time.UTC, nil)
	for i := range 3 * limits.NamesADay {
		tally.Add(Hit{Site: "s", At: time.Unix(0, 0), Search: "word " + strconv.Itoa(i), Found: true})
	}
	_, days, _ := tally.Take()
	sum := 0
	for _, n := range days {
		sum += n
	}
	if len(days) > limits.NamesADay+1 || sum != 3*limits.NamesADay {
		t.Errorf("%d names, %d searches", len(days), sum)
	}
}

// Whatever comes, the figures of one screen add up: each answer is in one sum, each visit in one.
func TestFiguresAddUp(t *testing.T) {
	zone := madrid(t)
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 1))
		tally := NewTally(zone, nil)
		from := time.Date(2026, 10, 24, 0, 0, 0, 0, zone) // the clocks change on the day after
		until := time.Date(2026, 10, 28, 0, 0, 0, 0, zone)
		robots, led, uses, asked := 0, 0, 0, 0 // led on, by a use too
		at := from
		for at.Before(until.Add(-time.Minute)) {
			h := Hit{
				Site: "s", At: at, Page: []string{"", "/", "/a"}[r.IntN(3)], Who: []string{"stranger", "domain:x.example"}[r.IntN(2)],
				Outcome: []access.Outcome{access.Open, access.Open, access.Missing, access.Challenge, access.Held, access.Refused}[r.IntN(6)],
				Status:  []int{0, 0, 0, 304, 308, 303, 404}[r.IntN(7)], Visitor: uint64(r.IntN(6)), Source: []string{"", "news.example"}[r.IntN(2)],
				Device: "phone", Robot: r.IntN(5) == 0,
			}
			switch r.IntN(12) {
			case 0:
				h.Use = "short:x"
			case 1:
				h.Search = "dome"
			}
			isLed := h.Status == 308 || h.Status == 303
			switch {
			case h.Robot:
				robots++
			case h.Search != "":
			case h.Use != "":
				uses++
				if h.Status != 0 {
					led, asked = led+1, asked+1
				}
			case isLed:
				led++
				asked++
			default:
				asked++
			}
			tally.Add(h)
			at = at.Add(time.Duration(r.IntN(50)) * time.Minute)
			if DayOf(at, zone) != DayOf(h.At, zone) {
				tally.Night()
			}
		}
		tally.Night()
		hits, days, _ := tally.Take()
		var sums []Sum
		for k, n := range hits {
			sums = append(sums, Sum{k.Hour, k.Page, k.Who, k.Outcome, k.Reason, n})
		}
		slices.SortFunc(sums, func(a, b Sum) int { return cmp.Compare(a.Hour, b.Hour) })
		var byDay []DaySum
		for k, n := range days {
			byDay = append(byDay, DaySum{k.Kind, k.Name, n})
		}
		f := Figure(sums, byDay, from, until, false, zone)
		var bars, turned, hours, pages, there, reasons, visitHours int
		for _, b := range f.Bars {
			bars, turned = bars+b.Opened, turned+b.Turned
		}
		for _, day := range f.Hours {
			for _, n := range day {
				hours += n
			}
		}
		for _, p := range f.Pages {
			pages, there = pages+p.Opened, there+p.Turned
		}
		for _, w := range f.Reasons {
			reasons += w.N
		}
		for _, d := range byDay {
			if d.Kind == VisitHour {
				visitHours += d.N
			}
		}
		total := func(list []Share) (n int) {
			for _, s := range list {
				n += s.N
			}
			return n
		}
		for name, same := range map[string][]int{
			"opened":  {f.Opened, bars, hours},
			"turned":  {f.Turned, turned, reasons},
			"answers": {asked, total(f.Statuses)},
			"seen":    {asked - led, f.Opened + f.Turned + f.Missing},
			"visits":  {f.Visits, total(f.Sources), total(f.Devices), visitHours},
			"robots":  {robots, f.Robots},
			"uses":    {uses, total(f.Uses)},
		} {
			for _, n := range same {
				if n != same[0] {
					t.Errorf("%d: %s: %v", seed, name, same)
				}
			}
		}
		if pages > f.Opened || there > f.Turned || f.Visitors > f.Visits || f.Ended > f.Visits || f.Ended > 0 && f.PagesAVisit < 1 || f.Ended > 0 && int(f.PagesAVisit*float64(f.Ended)+0.5) > f.Opened {
			t.Errorf("%d: %+v", seed, f)
		}
	}
}
