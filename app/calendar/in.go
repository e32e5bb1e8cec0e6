package calendar

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	ics "github.com/arran4/golang-ical"
	lru "github.com/hashicorp/golang-lru/v2"
	"github.com/teambition/rrule-go"

	"velada/core/access"
	"velada/house"
	"velada/limits"
)

// What a calendar that is read may hold.
const (
	MostIn     = limits.CalendarSize
	mostEvents = limits.CalendarEvents
)

// Proposal is an event of another calendar: what it would set here, or why it cannot.
type Proposal struct {
	Line        int // of the file, at which it begins
	Name        string
	From, Until access.Instant
	Repeat      *access.Repeat // nil where it does not come again
	Note        string         // what is not quite as the file says
	Problem     string         // why nothing can be made of it; "" where something can
	Moment      bool           // it lasts for no time: it can be listed, and nothing set by it
}

// Read reads the events of an iCalendar file (RFC 5545). What has no zone of its own is in
// zone. It returns an error where it is no such file; what cannot be expressed is said of the
// event, by line.
func Read(text string, zone *time.Location) ([]Proposal, error) {
	cal, err := ics.ParseCalendar(strings.NewReader(text))
	if err != nil {
		return nil, fmt.Errorf("this is no calendar file: %w", err)
	}
	lines := eventLines(text)
	events := cal.Events()
	if len(events) == 0 {
		return nil, errors.New("there is no event in this file")
	}
	if len(events) > mostEvents {
		return nil, fmt.Errorf("there are %d events in this file, and at most %d are read", len(events), mostEvents)
	}
	var list []Proposal
	for i, e := range events {
		p := proposal(e, zone)
		if i < len(lines) {
			p.Line = lines[i]
		}
		list = append(list, p)
	}
	return list, nil
}

type fileIn struct {
	blob, zone string
}

// files are calendars that were read last, by what they hold; an error is kept too.
var files, _ = lru.New[fileIn, func() ([]Proposal, error)](limits.CalendarsKept) // fails for a size below 1 alone

// ReadFile is Read of a file of a site, once for all who look at what it holds.
func ReadFile(ctx context.Context, h *house.House, f *house.LiveFile, zone *time.Location) ([]Proposal, error) {
	key := fileIn{f.Blob, zone.String()}
	if kept, there := files.Get(key); there {
		return kept()
	}
	data, err := h.FileData(ctx, f)
	if err != nil {
		return nil, fmt.Errorf("reading a calendar: %w", err)
	}
	kept := sync.OnceValues(func() ([]Proposal, error) { return Read(string(data), zone) })
	files.Add(key, kept)
	return kept()
}

// eventLines returns the line at which each event of a file begins, from 1.
func eventLines(text string) (lines []int) {
	for i, line := range strings.Split(text, "\n") {
		if strings.EqualFold(strings.TrimSpace(line), "BEGIN:VEVENT") {
			lines = append(lines, i+1)
		}
	}
	return lines
}

func proposal(e *ics.VEvent, zone *time.Location) (p Proposal) {
	p.Name = "Event"
	if s := e.GetProperty(ics.ComponentPropertySummary); s != nil && strings.TrimSpace(s.Value) != "" {
		p.Name = strings.TrimSpace(s.Value)
	}
	from, day, err := moment(e.GetProperty(ics.ComponentPropertyDtStart), zone)
	if err != nil {
		p.Problem = "Its beginning (DTSTART): " + err.Error() + "."
		return p
	}
	end, lasts := e.GetProperty(ics.ComponentPropertyDtEnd), e.GetProperty(ics.ComponentPropertyDuration)
	until := from.AddDate(0, 0, 1)
	switch {
	case end != nil:
		if until, _, err = moment(end, zone); err != nil {
			p.Problem = "Its end (DTEND): " + err.Error() + "."
			return p
		}
	case lasts != nil:
		if until, err = after(from.In(zone), lasts.Value); err != nil {
			p.Problem = "How long it lasts (DURATION): " + err.Error() + "."
			return p
		}
	case !day:
		until = from
	}
	if from.Equal(until) { // as beginnings and ends are written here too (RFC 5545, 3.6.1)
		p.From, p.Until, p.Moment = access.At(from), access.At(from), true
		p.Problem = "It is a moment, and lasts for no time: nothing can be set by it. An event that lasts has an end (DTEND) or a DURATION."
		return p
	}
	if !from.Before(until) {
		p.Problem = "It ends before it begins."
		return p
	}
	p.From, p.Until = access.At(from), access.At(until)
	for _, not := range []ics.ComponentProperty{ics.ComponentPropertyExdate, ics.ComponentPropertyRdate} {
		if e.GetProperty(not) != nil {
			p.Problem = string(not) + " cannot be expressed: what comes again here does so without exceptions."
			return p
		}
	}
	if r := e.GetProperty(ics.ComponentPropertyRrule); r != nil {
		p.repeat(r.Value, from.In(zone), zone)
	}
	return p
}

// moment reads a date, or a date and time; day reports which.
func moment(p *ics.IANAProperty, zone *time.Location) (t time.Time, day bool, err error) {
	if p == nil {
		return t, false, errors.New("it is missing")
	}
	if names := p.ICalParameters["TZID"]; len(names) > 0 {
		if zone, err = time.LoadLocation(names[0]); err != nil || names[0] == "" || names[0] == "Local" {
			return t, false, fmt.Errorf("there is no time zone “%s”", names[0])
		}
	}
	switch value := strings.TrimSpace(p.Value); {
	case len(value) == len("20060102"):
		t, err = time.ParseInLocation("20060102", value, zone)
		day = true
	case strings.HasSuffix(value, "Z"):
		t, err = time.Parse("20060102T150405Z", value)
	default:
		t, err = time.ParseInLocation("20060102T150405", value, zone)
	}
	if err != nil {
		return t, false, fmt.Errorf("“%s” is no date and time", p.Value)
	}
	return t, day, nil
}

var duration = regexp.MustCompile(`^\+?P(?:([0-9]{1,4})W|(?:([0-9]{1,5})D)?(?:T(?:([0-9]{1,6})H)?(?:([0-9]{1,7})M)?(?:([0-9]{1,8})S)?)?)$`)

// after returns when something ends that lasts for a duration (RFC 5545, 3.3.6): weeks and days are those of
// the calendar.
func after(from time.Time, lasts string) (time.Time, error) {
	lasts = strings.ToUpper(strings.TrimSpace(lasts))
	m := duration.FindStringSubmatch(lasts)
	if m == nil || !strings.ContainsAny(lasts, "0123456789") || strings.HasSuffix(lasts, "T") {
		return time.Time{}, fmt.Errorf("“%s” is no duration, as in PT2H30M", lasts)
	}
	var n [6]int
	for i := 1; i < len(m); i++ {
		n[i], _ = strconv.Atoi(m[i]) // "" is 0
	}
	return from.AddDate(0, 0, 7*n[1]+n[2]).Add(time.Duration(n[3])*time.Hour + time.Duration(n[4])*time.Minute + time.Duration(n[5])*time.Second), nil
}

// longestRepeat is how long something comes again that the file has come again for ever.
const longestRepeat = 26_000 * time.Hour

// repeat expresses a rule of recurrence, or says why it cannot: the days on which it begins
// are those of the rule, or it is not expressed.
func (p *Proposal) repeat(rule string, from time.Time, zone *time.Location) {
	cannot := func(why string) { p.Problem = "RRULE:" + rule + " cannot be expressed: " + why + "." }
	if len(rule) > limits.CalendarRule {
		p.Problem = "Its rule (RRULE) cannot be expressed: it is too long."
		return
	}
	option, err := rrule.StrToROption(rule)
	if err != nil {
		cannot("it is not well formed")
		return
	}
	r := &access.Repeat{Every: max(option.Interval, 1), Unit: "week"}
	switch option.Freq {
	case rrule.DAILY:
		r.Unit = "day"
	case rrule.WEEKLY:
	default:
		cannot("what comes again here does so every so many days or weeks")
		return
	}
	if len(option.Byhour)+len(option.Byminute)+len(option.Bysecond) > 0 {
		cannot("what comes again here does so at the time of day at which it begins")
		return
	}
	endless := option.Count == 0 && option.Until.IsZero()
	option.Dtstart = from
	latest := from.Add(longestRepeat)
	if endless || latest.Before(option.Until) {
		option.Until = latest
		if option.Count == 0 {
			p.Note = "It comes again for ever in the file; here until " + latest.Format("2 Jan 2006") + "."
		}
	}
	made, err := rrule.NewRRule(*option)
	if err != nil {
		cannot("it is not well formed")
		return
	}
	var all []time.Time
	next := made.Iterator()
	for t, more := next(); more && !t.After(latest); t, more = next() {
		if all = append(all, t); len(all) > limits.CalendarTimes {
			cannot("it comes more often than once a day")
			return
		}
	}
	if len(all) == 0 {
		cannot("it never begins")
		return
	}
	last := all[len(all)-1].In(zone)
	r.Until = access.At(time.Date(last.Year(), last.Month(), last.Day()+1, 0, 0, 0, 0, zone))
	h := access.Holding{From: p.From, Until: p.Until, Repeat: r}
	if _, problem := h.RepeatProblem(); problem != "" {
		cannot(problem)
		return
	}
	if !slices.Equal(days(all, zone), datesOf(h.Dates(zone), zone)) {
		cannot("it does not begin at even distances, counted from its first day")
		return
	}
	p.Repeat = r
}

func days(list []time.Time, zone *time.Location) (days []string) {
	for _, t := range list {
		days = append(days, t.In(zone).Format(time.DateOnly))
	}
	return days
}

func datesOf(dates [][2]access.Instant, zone *time.Location) (days []string) {
	for _, d := range dates {
		days = append(days, d[0].Time().In(zone).Format(time.DateOnly))
	}
	return days
}
