package calendar

import (
	"math"
	"strconv"
	"strings"
	"testing"
	"time"

	"velada/core/access"
	"velada/core/calendar"
)

func zoneOf(t *testing.T) *time.Location {
	t.Helper()
	zone, err := time.LoadLocation("Europe/Madrid")
	if err != nil {
		t.Fatal(err)
	}
	return zone
}

// spanOf returns a stretch of days from a local date on.
func spanOf(t *testing.T, from string, days int) asked {
	t.Helper()
	first, err := time.ParseInLocation(time.DateOnly, from, zoneOf(t))
	if err != nil {
		t.Fatal(err)
	}
	a := asked{stretch: stretch{days: days}, from: access.At(first), until: access.At(first.AddDate(0, 0, days))}
	return a
}

func number(t *testing.T, percent string) float64 {
	t.Helper()
	f, err := strconv.ParseFloat(strings.TrimSuffix(percent, "%"), 64)
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// The scale covers the whole width without a gap, across changes of the clocks too.
func TestTheScaleCoversEveryDay(t *testing.T) {
	for _, from := range []string{"2026-11-24", "2026-10-20", "2027-03-20", "2027-12-20"} {
		d := &drawing{}
		a := spanOf(t, from, 42)
		d.scale(a, zoneOf(t))
		if len(d.Days) != 42 {
			t.Fatalf("%s: %d days", from, len(d.Days))
		}
		at, weekends := 0.0, 0
		for _, m := range d.Days {
			if math.Abs(number(t, m.X)-at) > 0.05 {
				t.Errorf("%s: %s begins at %s, not %.3f", from, m.Name, m.X, at)
			}
			at += number(t, m.Width)
			if m.Weekend {
				weekends++
			}
		}
		if math.Abs(at-100) > 0.05 || weekends != 12 || len(d.Months) < 1 {
			t.Errorf("%s: it ends at %.3f, %d days of weekends, months %+v", from, at, weekends, d.Months)
		}
	}
	d := &drawing{}
	d.scale(spanOf(t, "2026-11-24", 126), zoneOf(t))
	named := 0
	for _, m := range d.Days {
		if m.Name != "" {
			named++
		}
	}
	if named != 18 {
		t.Errorf("of a term %d days are named", named)
	}
}

func TestPositionsAreWithinThePicture(t *testing.T) {
	a := spanOf(t, "2026-11-24", 42)
	for text, want := range map[string]float64{"2026-11-23T23:00:00Z": 0, "2026-12-14T23:00:00Z": 50, "2027-01-04T23:00:00Z": 100} {
		i, err := access.ParseInstant(text)
		if err != nil {
			t.Fatal(err)
		}
		if got := position(i, a.from, a.until); math.Abs(got-want) > 0.001 {
			t.Errorf("%s is at %.3f", text, got)
		}
	}
}

// What can be moved has a grip where its end is in the picture, and none elsewhere.
func TestGripsStandAtEndsInSight(t *testing.T) {
	a := spanOf(t, "2026-11-24", 42)
	day := func(n int) access.Instant { return access.At(a.from.Time().AddDate(0, 0, n)) }
	when := func(access.Instant) string { return "then" }
	for _, c := range []struct {
		from, until access.Instant
		edges       string
	}{
		{day(-1), day(10), "until "}, {day(1), day(10), "from until "}, {day(1), day(50), "from "}, {day(-5), day(50), ""}, {access.Instant{}, day(3), "until "},
		{day(3), access.Instant{}, "from "}, {access.Instant{}, access.Instant{}, ""}, {day(0), day(42), "from until "},
	} {
		edges := ""
		ids := map[string]bool{}
		for _, g := range grips(calendar.Lane{Spans: []calendar.Span{{From: c.from, Until: c.until}}}, a, when, "It", 7) {
			edges += g.Edge + " "
			ids[g.ID] = true
			if x := number(t, g.X); x < 0 || x > 100 || !strings.Contains(g.Says, "It: then") {
				t.Errorf("%+v", g)
			}
		}
		if edges != c.edges || len(ids) != strings.Count(edges, " ") {
			t.Errorf("from %v until %v: %q, not %q", c.from, c.until, edges, c.edges)
		}
	}
}

// Rows fill bands of equal height, and each lies where the names beside it do.
func TestRowsFillBands(t *testing.T) {
	d := &drawing{}
	for range 2*bandRows + 3 {
		d.add(laneRow{})
	}
	if len(d.Bands) != 3 || !d.Bands[0].Whole || !d.Bands[1].Whole || d.Bands[2].Whole || d.Bands[2].Height != 3*rowHeight {
		t.Fatalf("%d bands", len(d.Bands))
	}
	for _, b := range d.Bands {
		for i, r := range b.Rows {
			if r.Y != i*rowHeight {
				t.Errorf("row %d is at %d", i, r.Y)
			}
		}
	}
	if d.Bands[0].Height != 1120 {
		t.Errorf("a whole band is %d px high, and its style says 1120", d.Bands[0].Height)
	}
}

// Sites come by what is soonest on them, and lanes that begin or end before others.
func TestWhatIsSoonComesFirst(t *testing.T) {
	a := spanOf(t, "2026-11-24", 42)
	day := func(n int) access.Instant { return access.At(a.from.Time().AddDate(0, 0, n)) }
	lane := func(site, key string, until access.Instant) calendar.Lane {
		return calendar.Lane{Site: site, Key: key, Spans: []calendar.Span{{Until: until}}}
	}
	lanes := []calendar.Lane{
		lane("", "house", access.Instant{}), lane("a", "a-always", access.Instant{}), lane("a", "a-later", day(20)), lane("b", "b-always", access.Instant{}), lane("b", "b-soon", day(2)),
		lane("c", "c-far", day(90)),
	}
	soonestFirst(lanes, a)
	order := ""
	for _, l := range lanes {
		order += l.Key + " "
	}
	if order != "b-soon b-always a-later a-always house c-far " {
		t.Error(order)
	}
}

func TestAddressesKeepWhatIsAsked(t *testing.T) {
	a := spanOf(t, "2026-11-24", 14)
	a.stretch.id, a.filter, a.query, a.moved = "2", calendar.People, "crew & co", true
	if got := a.address("/calendar", "from", "2026-12-08"); got != "/calendar?from=2026-12-08&q=crew+%26+co&show=people&span=2" {
		t.Error(got)
	}
	if got := (asked{}).address("/calendar", "as", ""); got != "/calendar" {
		t.Error(got)
	}
}
