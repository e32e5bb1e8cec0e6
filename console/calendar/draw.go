package calendar

import (
	"strconv"
	"time"

	"velada/core/access"
	"velada/core/calendar"
)

// Sizes of the picture, in px.
const (
	rowHeight = 28
	leastBar  = 7 // of what is shorter than can be seen
)

// leastWidth is what is drawn as wide as leastBar, in per cent: 7 px of 1,000.
const leastWidth = 0.7

// drawing is lanes under a scale of days. Across, everything is in per cent, so that the
// picture is as wide as there is room.
type drawing struct {
	Days   []dayMark
	Months []monthMark
	Now    string // where now is; "" where it is not shown
	Bands  []band
	Count  int

	DayCount int
	Step     string // what an end is moved by at a time: day or hour
}

// band is a stretch of rows, which a browser lays out where it is in sight.
type band struct {
	Height int
	Whole  bool // it has as many rows as a band can
	Rows   []laneRow
}

// bandRows is how many rows a band has; its height is known to the styles too.
const bandRows = 40

// add puts a row at the end of the picture.
func (d *drawing) add(r laneRow) {
	if n := len(d.Bands); n == 0 || d.Bands[n-1].Whole {
		d.Bands = append(d.Bands, band{})
	}
	b := &d.Bands[len(d.Bands)-1]
	r.Y = b.Height
	b.Rows = append(b.Rows, r)
	b.Height += rowHeight
	b.Whole = len(b.Rows) == bandRows
}

type dayMark struct {
	X, Width string
	Name     string
	Weekend  bool
}

type monthMark struct{ X, Name string }

// laneRow is a lane, or the heading above those of a site.
type laneRow struct {
	Y       int
	Heading string
	URL     string
	Name    string
	Says    string // what is to be seen, for those who do not see it
	Bars    []bar
	Dot     string // where a thing happens at one moment
	Breach  string // where a promise breaks
	Note    string
	NoteX   string
	Shift   int  // of the note, in px
	Within  bool // the note stands within the bar
	Key     string
	Site    string
	Outline bool // it is not applied yet
	Grips   []grip
}

type bar struct {
	X, Width string
	Look     string
	Goes     bool // on beyond the picture
}

// grip is an end that can be moved.
type grip struct {
	ID, X, Edge, Says string
	At                string // RFC 3339
}

func draw(lanes []calendar.Lane, a asked, n namer, now access.Instant, zone *time.Location) *drawing {
	d := &drawing{Count: len(lanes), DayCount: a.stretch.days, Step: "day"}
	if a.stretch.days <= 14 {
		d.Step = "hour"
	}
	d.scale(a, zone)
	if !now.Before(a.from) && now.Before(a.until) {
		d.Now = percent(position(now, a.from, a.until))
	}
	site, was := "-", n.applied()
	for i, l := range lanes {
		if l.Site != site && !n.one {
			site = l.Site
			url := "/sites/" + site
			if site == "" {
				url = ""
			}
			d.add(laneRow{Heading: n.where(l), URL: url})
		}
		d.add(newRow(l, a, n, now, i, was))
	}
	return d
}

// scale marks days and months; of a term, Mondays alone are named.
func (d *drawing) scale(a asked, zone *time.Location) {
	for t := a.from.Time().In(zone); t.Before(a.until.Time()); t = t.AddDate(0, 0, 1) {
		next := t.AddDate(0, 0, 1)
		x := position(access.At(t), a.from, a.until)
		m := dayMark{X: percent(x), Width: percent(position(access.At(next), a.from, a.until) - x), Weekend: t.Weekday() == time.Saturday || t.Weekday() == time.Sunday}
		if a.stretch.days <= 42 || t.Weekday() == time.Monday {
			m.Name = strconv.Itoa(t.Day())
		}
		if m.Weekend || m.Name != "" {
			d.Days = append(d.Days, m)
		}
		if t.Day() == 1 || len(d.Months) == 0 {
			d.Months = append(d.Months, monthMark{percent(x), t.Format("January")})
		}
	}
	if len(d.Months) > 1 && a.from.Time().In(zone).AddDate(0, 0, a.stretch.days/14).Month() != a.from.Time().In(zone).Month() {
		d.Months = d.Months[1:] // no room for the name of a month that ends at once
	}
}

// applied holds the keys of what is applied of a site in which somebody rehearses; nil where
// nobody does.
func (n *namer) applied() map[string]bool {
	if n.now == nil || n.now == n.then {
		return nil
	}
	keys := map[string]bool{}
	for _, l := range calendar.OfSite(n.c.House.State().Policy, n.now.Address, nil, nil, access.Instant{}, access.Instant{}) {
		keys[keyWithDates(l)] = true
	}
	return keys
}

func keyWithDates(l calendar.Lane) string {
	if len(l.Spans) > 1 || l.Kind == calendar.Holding {
		return l.Key
	}
	return l.Key + l.First().String() + l.Last().String()
}

func newRow(l calendar.Lane, a asked, n namer, now access.Instant, number int, applied map[string]bool) laneRow {
	r := laneRow{Shift: 11, URL: n.url(l), Name: n.name(l), Key: l.Key, Site: l.Site}
	w := n.words(l)
	r.Outline = applied != nil && l.Site != "" && !applied[keyWithDates(l)] && l.Kind != calendar.Promise && l.Kind != calendar.Holding && l.Look != calendar.Point
	r.Note = n.note(l, a, now)
	switch {
	case l.Look == calendar.Point:
		r.Dot = percent(position(l.Last(), a.from, a.until))
		r.Says = w.When(l.Last())
		return r
	case l.Look == calendar.Broken:
		x := max(0, position(l.First(), a.from, a.until))
		r.Breach, r.NoteX, r.Shift = percent(x), percent(x), 22
		r.Says = "broken from " + w.When(l.First())
		return r
	}
	r.Says = w.Window(l.First(), l.Last())
	end, from := 0.0, 100.0
	for _, s := range l.Spans {
		x, to := 0.0, 100.0
		if !s.From.IsZero() {
			x = max(0, position(s.From, a.from, a.until))
		}
		if !s.Until.IsZero() {
			to = min(100, position(s.Until, a.from, a.until))
		}
		if to <= 0 || x >= 100 {
			continue
		}
		width := percent(to - x)
		if to-x < leastWidth {
			width = strconv.Itoa(leastBar)
		}
		b := bar{X: percent(x), Width: width, Look: string(l.Look), Goes: s.Until.IsZero() || a.until.Before(s.Until)}
		if l.Off {
			b.Look = "off"
		}
		r.Bars = append(r.Bars, b)
		end, from = max(end, to), min(from, x)
	}
	r.NoteX = percent(end)
	if end > 82 {
		r.Within, r.NoteX = true, percent(max(from, 2.5))
	}
	if l.Moves {
		r.Grips = grips(l, a, w.When, r.Name, number)
	}
	return r
}

// grips are the ends of a lane in the picture that can be moved.
func grips(l calendar.Lane, a asked, when func(access.Instant) string, name string, number int) (list []grip) {
	for _, e := range []struct {
		edge, says string
		at         access.Instant
	}{{"from", "Beginning of ", l.First()}, {"until", "End of ", l.Last()}} {
		if e.at.IsZero() || e.at.Before(a.from) || a.until.Before(e.at) {
			continue
		}
		list = append(list, grip{
			ID: "grip-" + strconv.Itoa(number) + "-" + e.edge, X: percent(position(e.at, a.from, a.until)), Edge: e.edge, Says: e.says + name + ": " + when(e.at), At: e.at.String(),
		})
	}
	return list
}
