package calendar

import (
	"strings"
	"testing"
	"time"

	ics "github.com/arran4/golang-ical"

	"velada/core/access"
	"velada/core/calendar"
)

func madrid(t *testing.T) *time.Location {
	t.Helper()
	zone, err := time.LoadLocation("Europe/Madrid")
	if err != nil {
		t.Fatal(err)
	}
	return zone
}

// file wraps the lines of an event in a calendar; the event begins at line 4.
func file(lines ...string) string {
	return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//test//EN\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Works\r\n" + strings.Join(lines, "\r\n") + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
}

func TestRulesOfRecurrence(t *testing.T) {
	const start, end = "DTSTART;TZID=Europe/Madrid:20261201T020000", "DTEND;TZID=Europe/Madrid:20261201T040000"
	for rule, want := range map[string]struct {
		every   int
		unit    string
		dates   int
		problem string
	}{
		"":                             {0, "", 1, ""},
		"FREQ=WEEKLY;COUNT=3":          {1, "week", 3, ""},
		"FREQ=WEEKLY;BYDAY=TU;COUNT=4": {1, "week", 4, ""},
		"FREQ=WEEKLY;INTERVAL=2;UNTIL=20270101T000000Z": {2, "week", 3, ""},
		"FREQ=DAILY;COUNT=5":                            {1, "day", 5, ""},
		"FREQ=DAILY;INTERVAL=10;COUNT=5":                {10, "day", 5, ""},
		"FREQ=WEEKLY;BYDAY=TU,TH;COUNT=4":               {0, "", 0, "even distances"},
		"FREQ=WEEKLY;BYDAY=WE;COUNT=4":                  {0, "", 0, "even distances"},
		"FREQ=MONTHLY;COUNT=3":                          {0, "", 0, "so many days or weeks"},
		"FREQ=DAILY;BYMONTH=12;UNTIL=20280201":          {0, "", 0, "even distances"},
		"FREQ=SOMETIMES":                                {0, "", 0, "not well formed"},
	} {
		lines := []string{start, end}
		if rule != "" {
			lines = append(lines, "RRULE:"+rule)
		}
		list, err := Read(file(lines...), madrid(t))
		if err != nil || len(list) != 1 {
			t.Fatalf("%s: %v", rule, err)
		}
		p := list[0]
		if p.Line != 4 || p.Name != "Works" || !strings.Contains(p.Problem, want.problem) || (p.Problem == "") != (want.problem == "") {
			t.Errorf("%s: %+v", rule, p)
		}
		if want.problem != "" {
			continue
		}
		if (p.Repeat == nil) != (want.every == 0) || p.Repeat != nil && (p.Repeat.Every != want.every || p.Repeat.Unit != want.unit) {
			t.Errorf("%s: %+v", rule, p.Repeat)
		}
		h := access.Holding{On: true, From: p.From, Until: p.Until, Repeat: p.Repeat}
		if dates := h.Dates(madrid(t)); len(dates) != want.dates || dates[0][0].String() != "2026-12-01T01:00:00Z" {
			t.Errorf("%s: %d dates from %v", rule, len(dates), p.From)
		}
	}
}

// Across a change of the clocks it comes again at the same time of day.
func TestWhatComesAgainKeepsItsTimeOfDay(t *testing.T) {
	list, err := Read(file("DTSTART:20270316T020000", "DTEND:20270316T040000", "RRULE:FREQ=WEEKLY;COUNT=4"), madrid(t))
	if err != nil || list[0].Repeat == nil {
		t.Fatalf("%+v %v", list, err)
	}
	h := access.Holding{From: list[0].From, Until: list[0].Until, Repeat: list[0].Repeat}
	if d := h.Dates(madrid(t)); len(d) != 4 || d[3][0].String() != "2027-04-06T00:00:00Z" {
		t.Errorf("%v", d)
	}
}

func TestWhatCannotBeReadIsSaid(t *testing.T) {
	for want, lines := range map[string][]string{
		"no time zone “Nowhere/Else”":    {"DTSTART;TZID=Nowhere/Else:20261201T020000", "DTEND:20261201T040000Z"},
		"“soon” is no date":              {"DTSTART:soon", "DTEND:20261201T040000Z"},
		"It is a moment, and lasts":      {"DTSTART:20261201T020000Z"},
		"It is a moment":                 {"DTSTART:20261201T020000Z", "DTEND:20261201T020000Z"},
		"It is a moment, ":               {"DTSTART:20261201T020000Z", "DURATION:PT0S"},
		"“P2” is no duration":            {"DTSTART:20261201T020000Z", "DURATION:P2"},
		"“-PT1H” is no duration":         {"DTSTART:20261201T020000Z", "DURATION:-PT1H"},
		"It ends before it begins":       {"DTSTART:20261201T020000Z", "DTEND:20261130T020000Z"},
		"Its beginning (DTSTART): it is": {"DTEND:20261130T020000Z"},
		"EXDATE cannot be expressed":     {"DTSTART:20261201T020000Z", "DTEND:20261201T030000Z", "RRULE:FREQ=DAILY;COUNT=3", "EXDATE:20261202T020000Z"},
		"it comes again":                 {"DTSTART:20261201T020000Z", "DTEND:20261203T030000Z", "RRULE:FREQ=DAILY;COUNT=3"},
	} {
		list, err := Read(file(lines...), madrid(t))
		if err != nil || len(list) != 1 || !strings.Contains(list[0].Problem, want) {
			t.Errorf("%s: %+v %v", want, list, err)
		}
	}
	for _, text := range []string{"", "Hello", "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nEND:VCALENDAR\r\n", file("DTSTART:20261201T020000Z")[:60]} {
		if list, err := Read(text, madrid(t)); err == nil {
			t.Errorf("%q is read: %+v", text, list)
		}
	}
	day, err := Read(file("DTSTART;VALUE=DATE:20261201"), madrid(t))
	if err != nil || day[0].From.String() != "2026-11-30T23:00:00Z" || day[0].Until.String() != "2026-12-01T23:00:00Z" {
		t.Errorf("a whole day: %+v %v", day, err)
	}
	for lasts, until := range map[string]string{"PT2H30M": "2026-10-25T03:30:00Z", "P1D": "2026-10-26T01:00:00Z", "P1W": "2026-11-01T01:00:00Z", "P1DT1H": "2026-10-26T02:00:00Z", "PT90M": "2026-10-25T02:30:00Z", "pt30s": "2026-10-25T01:00:30Z"} {
		// at the second 02:00 of the day on which the clocks go back
		list, err := Read(file("DTSTART:20261025T010000Z", "DURATION:"+lasts), madrid(t))
		if err != nil || list[0].Problem != "" || list[0].Until.String() != until {
			t.Errorf("%s: %+v %v", lasts, list, err)
		}
	}
	endless, err := Read(file("DTSTART:20261201T020000Z", "DTEND:20261201T030000Z", "RRULE:FREQ=WEEKLY"), madrid(t))
	if err != nil || endless[0].Repeat == nil || !strings.Contains(endless[0].Note, "for ever") {
		t.Errorf("%+v %v", endless, err)
	}
}

// What is written can be read, each end once, and keeps its UID for as long as it is the same.
func TestWhatIsWrittenIsACalendar(t *testing.T) {
	now := time.Date(2026, 11, 24, 17, 0, 0, 0, time.UTC)
	at := func(day int) access.Instant { return access.At(now.AddDate(0, 0, day)) }
	lanes := []calendar.Lane{
		{Site: "s", Kind: calendar.Password, Key: "password:a", Look: calendar.Some, Spans: []calendar.Span{{From: at(1), Until: at(2)}}},
		{Site: "s", Kind: calendar.Password, Key: "password:b", Look: calendar.Some, Spans: []calendar.Span{{Until: at(3)}}, Off: true},
		{Site: "s", Kind: calendar.Holding, Key: "holding", Look: calendar.Held, Spans: []calendar.Span{{From: at(7), Until: at(8)}, {From: at(14), Until: at(15)}}},
		{Site: "s", Kind: calendar.Promise, Key: "promise:p", Look: calendar.Broken, Spans: []calendar.Span{{From: at(4)}}},
		{Site: "s", Kind: calendar.Edition, Key: "edition:8", Look: calendar.Point, Spans: []calendar.Span{{Until: at(900)}}},
	}
	name := func(l calendar.Lane) string { return "It, \"" + l.Key + "\"; really" }
	where := func(calendar.Lane) string { return "Site" }
	text := Write("House", lanes, now, name, where, where)
	cal, err := ics.ParseCalendar(strings.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	events := cal.Events()
	if len(events) != 5 { // two of a, two of the holding page, the breach
		t.Fatalf("%d events:\n%s", len(events), text)
	}
	for _, e := range events { // a moment has no end: one that is its beginning is refused by others
		start, err := e.GetStartAt()
		if err != nil {
			t.Fatal(err)
		}
		if end := e.GetProperty(ics.ComponentPropertyDtEnd); end != nil {
			if at, err := e.GetEndAt(); err != nil || !at.After(start) {
				t.Errorf("%s ends %v", e.Id(), end)
			}
		}
	}
	if back, err := Read(text, madrid(t)); err != nil || len(back) != len(events) || !back[0].Moment || back[3].Problem != "" {
		t.Errorf("it is read back as %+v %v", back, err)
	}
	uids := map[string]bool{}
	for _, e := range events {
		uids[e.Id()] = true
	}
	if len(uids) != len(events) || Write("House", lanes, now, name, where, where) != text {
		t.Error("events do not keep what tells them apart")
	}
	if start, _ := events[3].GetStartAt(); !start.Equal(now.AddDate(0, 0, 7)) {
		t.Errorf("the holding page begins %v", start)
	}
	if end, _ := events[3].GetEndAt(); !end.Equal(now.AddDate(0, 0, 8)) {
		t.Errorf("the holding page ends %v", end)
	}
}
