// Package traffic turns what was asked of sites into figures: how often pages opened, who was
// turned away and why, how visits went, and what another policy would have meant for them. It
// keeps no address, and reads no clock.
package traffic

import (
	"strconv"
	"strings"
	"time"

	"velada/core/access"
	"velada/limits"
)

// Hit is one request for a page, as far as it is counted.
type Hit struct {
	Site    string // an id that never changes
	At      time.Time
	Page    string // its path; "" is none that exists
	Who     string // as an observer of the model: stranger, domain:D, pass:ID, person:ID, …
	Outcome access.Outcome
	Reason  string // why it did not open, see Reason
	Status  int    // of the answer; 0 is that of the outcome, and for a use that it was no answer of its own
	Visitor uint64 // tells visitors of a day apart; 0 tells this one from nobody
	Source  string // the host that led here; "" is none
	Device  string // phone, tablet, computer, other
	Robot   bool
	Use     string // pass:ID, link:ID, short:NAME, qr:NAME: how they came
	Search  string // what was searched for on the site
	Found   bool   // something was
}

// Key is what hits of an hour have in common.
type Key struct {
	Site    string
	Hour    int64 // since 1970, UTC
	Page    string
	Who     string
	Outcome access.Outcome
	Reason  string
}

// DayKey is a count of a day.
type DayKey struct {
	Site string
	Day  int64 // since 1970, in the house's zone
	Kind DayKind
	Name string
}

// DayKind is what is counted by day.
type DayKind string

// What is counted by day.
const (
	Visitors    DayKind = "visitors"
	Visits      DayKind = "visits"
	VisitHour   DayKind = "hour" // by the hour in the house's zone
	Lasted      DayKind = "lasted"
	PagesAVisit DayKind = "pages"
	Sources     DayKind = "source"
	Devices     DayKind = "device"
	Statuses    DayKind = "status"
	Uses        DayKind = "use"
	Searched    DayKind = "search"
	FoundNone   DayKind = "search-none"
	Robots      DayKind = "robot"
	Apart       DayKind = "apart" // hits that were told from nobody's
	Dropped     DayKind = "dropped"
)

// gap is how long a visitor is away before another visit begins.
const gap = 30 * time.Minute

// Visit is a visit that goes on, or the last of a visitor's that day.
type Visit struct {
	Began, Last time.Time
	Pages       int

	changed bool // since it was taken last
}

// VisitorOf names a visitor of a site.
type VisitorOf struct {
	Site    string
	Visitor uint64
}

// Tally adds hits up. It is not for use by several at once.
type Tally struct {
	Zone  *time.Location
	Today map[VisitorOf]*Visit // of the day of the last hit

	Hits    map[Key]int
	Days    map[DayKey]int
	Changed map[VisitorOf]bool // of Today, since the last Take

	plain map[plainStatus]int // hits whose status is that of their outcome
	most  int                 // visitors that are told apart
	names map[namesOf]map[string]bool
}

// plainStatus counts statuses more cheaply than a DayKey does.
type plainStatus struct {
	site    string
	day     int64
	outcome access.Outcome
}

// mostVisitors is how many visitors of all sites are told apart in a day: of more, it is
// counted what they open.
const mostVisitors = 300_000

// NewTally returns a tally of hits told by a zone, going on with the visits of today.
func NewTally(zone *time.Location, today map[VisitorOf]*Visit) *Tally {
	if today == nil {
		today = map[VisitorOf]*Visit{}
	}
	return &Tally{Zone: zone, Today: today, Hits: map[Key]int{}, Days: map[DayKey]int{}, Changed: map[VisitorOf]bool{}, plain: map[plainStatus]int{}, most: mostVisitors, names: map[namesOf]map[string]bool{}}
}

// DayOf counts the days from 1970 to a time, in a zone.
func DayOf(t time.Time, zone *time.Location) int64 {
	year, month, day := t.In(zone).Date()
	return time.Date(year, month, day, 0, 0, 0, 0, time.UTC).Unix() / 86400
}

// DayBegins is when a day begins in a zone, see DayOf.
func DayBegins(day int64, zone *time.Location) time.Time {
	year, month, d := time.Unix(day*86400, 0).UTC().Date()
	return time.Date(year, month, d, 0, 0, 0, 0, zone)
}

// NoonOf returns the hour, see HourOf, of noon on the day of an hour in a zone: hits that are kept by day
// alone are kept there.
func NoonOf(hour int64, zone *time.Location) int64 {
	year, month, day := time.Unix(hour*3600, 0).In(zone).Date()
	return HourOf(time.Date(year, month, day, 12, 0, 0, 0, zone))
}

// HourOf counts the hours from 1970 to a time.
func HourOf(t time.Time) int64 { return t.Unix() / 3600 }

// Others is what names beyond limits.NamesADay are counted as.
const Others = "…"

type namesOf struct {
	site string
	day  int64
	kind DayKind
}

// told returns a name to be counted, or Others where so many of its kind are told apart that day
// already: anybody can make names up.
func (t *Tally) told(site string, day int64, kind DayKind, name string) string {
	of := namesOf{site, day, kind}
	names := t.names[of]
	if names == nil {
		if len(t.names) > mostNames {
			clear(t.names)
		}
		names = map[string]bool{}
		t.names[of] = names
	}
	if !names[name] && len(names) >= limits.NamesADay {
		return Others
	}
	names[name] = true
	return name
}

// mostNames is for how many sites, days and kinds it is remembered which names there were.
const mostNames = 20_000

// Add counts a hit.
func (t *Tally) Add(h Hit) {
	day := DayOf(h.At, t.Zone)
	count := func(kind DayKind, name string) { t.Days[DayKey{h.Site, day, kind, t.told(h.Site, day, kind, name)}]++ }
	switch {
	case h.Robot: // in no other sum
		count(Robots, "")
		return
	case h.Search != "":
		count(Searched, h.Search)
		if !h.Found {
			count(FoundNone, h.Search)
		}
		return
	}
	if h.Status != 0 { // else it is told by the hits, see Take
		count(Statuses, strconv.Itoa(h.Status))
	}
	if h.Use != "" {
		count(Uses, h.Use)
		return
	}
	if h.Status >= 300 && h.Status < 400 && h.Status != 304 { // led on: what they come to is counted
		return
	}
	t.Hits[Key{h.Site, HourOf(h.At), h.Page, h.Who, h.Outcome, h.Reason}]++
	if h.Status == 0 {
		t.plain[plainStatus{h.Site, day, h.Outcome}]++
	}
	t.visit(h, count)
}

// visit counts the visit that a hit is part of.
func (t *Tally) visit(h Hit, count func(kind DayKind, name string)) {
	who := VisitorOf{h.Site, h.Visitor}
	v := t.Today[who]
	if h.Visitor == 0 || v == nil && len(t.Today) >= t.most {
		count(Apart, "")
		return
	}
	fresh := v == nil
	switch {
	case fresh:
		v = &Visit{}
		t.Today[who] = v
		count(Visitors, "")
	case h.At.Sub(v.Last) >= gap:
		t.finish(h.Site, v)
		fresh = true
	}
	if fresh {
		*v = Visit{Began: h.At, changed: v.changed}
		count(Visits, "")
		count(VisitHour, strconv.Itoa(h.At.In(t.Zone).Hour()))
		count(Sources, h.Source)
		count(Devices, h.Device)
	}
	if h.At.After(v.Last) {
		v.Last = h.At
	}
	if h.Outcome == access.Open {
		v.Pages++
	}
	if !v.changed {
		v.changed, t.Changed[who] = true, true
	}
}

// finish counts how a visit went that is over.
func (t *Tally) finish(site string, v *Visit) {
	for _, d := range v.Ended() {
		t.Days[DayKey{site, DayOf(v.Began, t.Zone), d.Kind, d.Name}] += d.N
	}
}

// Ended is how a visit went, as it is counted by day; nothing where it saw a door alone.
func (v Visit) Ended() []DaySum {
	if v.Pages == 0 {
		return nil
	}
	return []DaySum{{Lasted, strconv.Itoa(rounded(v.Last.Sub(v.Began))), 1}, {PagesAVisit, strconv.Itoa(v.Pages), 1}}
}

// rounded is how long something lasted in seconds, exact to a tenth of it.
func rounded(d time.Duration) int {
	s := int(d.Seconds())
	step := 1
	for s/step >= 100 {
		step *= 10
	}
	return s / step * step
}

// EndBefore ends the visits whose last hit was before an instant: their visitors are not told
// apart from later ones any more.
func (t *Tally) EndBefore(at time.Time) {
	for who, v := range t.Today {
		if v.Last.Before(at) {
			t.finish(who.Site, v)
			delete(t.Today, who)
			delete(t.Changed, who)
		}
	}
}

// Night ends the day: all visits are over, and nobody of it is told apart any more.
func (t *Tally) Night() {
	for who, v := range t.Today {
		t.finish(who.Site, v)
	}
	t.Today, t.Changed = map[VisitorOf]*Visit{}, map[VisitorOf]bool{}
}

// Take returns what was counted since the last time, and begins anew.
func (t *Tally) Take() (hits map[Key]int, days map[DayKey]int, visits map[VisitorOf]Visit) {
	visits = map[VisitorOf]Visit{}
	for who := range t.Changed {
		if v := t.Today[who]; v != nil {
			v.changed = false
			visits[who] = *v
		}
	}
	for p, n := range t.plain {
		t.Days[DayKey{p.site, p.day, Statuses, strconv.Itoa(access.Decision{Outcome: p.outcome}.Status())}] += n
	}
	clear(t.plain)
	hits, days = t.Hits, t.Days
	t.Hits, t.Days, t.Changed = map[Key]int{}, map[DayKey]int{}, map[VisitorOf]bool{}
	return hits, days, visits
}

// Reason writes why somebody was turned away so that equal reasons are equal words.
func Reason(w access.Turned) string {
	if w.Kind == access.TurnedNot {
		return ""
	}
	at := "-"
	if !w.At.IsZero() {
		at = w.At.String()
	}
	return string(w.Kind) + " " + at + " " + w.Door
}

// ReadReason reads what Reason wrote.
func ReadReason(text string) (w access.Turned) {
	kind, rest, _ := strings.Cut(text, " ")
	at, door, _ := strings.Cut(rest, " ")
	w.Kind, w.Door = access.TurnedKind(kind), door
	if i, err := access.ParseInstant(at); err == nil {
		w.At = i
	}
	return w
}
