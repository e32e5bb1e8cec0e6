package traffic

import (
	"cmp"
	"maps"
	"slices"
	"strconv"
	"time"

	"velada/core/access"
)

// Sum is hits of an hour that are kept as one.
type Sum struct {
	Hour    int64
	Page    string
	Who     string
	Outcome access.Outcome
	Reason  string
	N       int
}

// Opened reports whether the hits opened their page.
func (s Sum) Opened() bool { return s.Outcome == access.Open }

// Turned reports whether the hits were turned away: not for want of a page.
func (s Sum) Turned() bool { return s.Outcome != access.Open && s.Outcome != access.Missing }

// DaySum is a count of one day or more.
type DaySum struct {
	Kind DayKind
	Name string
	N    int
}

// Figures is what is to be told of a stretch of time.
type Figures struct {
	Opened, Turned, Visitors, Visits int
	Ended                            int     // visits that opened a page, of which the next two tell
	Median                           int     // seconds that a visit lasted
	PagesAVisit                      float64 // that opened
	Missing                          int
	Robots, Apart, Dropped           int
	Bars                             []Bar
	Pages                            []PageSum // the most opened first
	Reasons                          []ReasonSum
	Sources, Devices, Statuses, Uses []Share
	Searches, FoundNone              []Share
	Hours                            [7][24]int // hits that opened, by weekday from Monday and hour of the zone
}

// Bar is a day, or an hour.
type Bar struct {
	At             time.Time
	Opened, Turned int
	TurnedMost     string // the page at which most were turned away
	TurnedThere    int
}

// PageSum is a page with how often it opened and turned somebody away.
type PageSum struct {
	Page           string
	Opened, Turned int
}

// ReasonSum is hits that were turned away for one reason.
type ReasonSum struct {
	Who, Page string
	Why       access.Turned
	N         int
}

// Share is a name with a count.
type Share struct {
	Name string
	N    int
}

// Figure works out what there is to tell of the hits and days of a stretch of time; by hours
// where it is short. Days without hits are among the bars.
func Figure(hits []Sum, days []DaySum, from, until time.Time, byHour bool, zone *time.Location) *Figures {
	f := &Figures{}
	f.bars(from, until, byHour, zone)
	at := map[int64]int{}
	for i, b := range f.Bars {
		at[barOf(b.At, byHour, zone)] = i
	}
	pages := map[string]*PageSum{}
	type reason struct{ who, page, why string }
	reasons := map[reason]int{}
	turnedAt := map[int]map[string]int{}
	var t time.Time
	var i int
	var shown bool
	for n, h := range hits {
		if n == 0 || h.Hour != hits[n-1].Hour { // they come hour by hour
			t = time.Unix(h.Hour*3600, 0).In(zone)
			i, shown = at[barOf(t, byHour, zone)]
		}
		if h.Page != "" && pages[h.Page] == nil {
			pages[h.Page] = &PageSum{Page: h.Page}
		}
		switch {
		case h.Opened():
			f.Opened += h.N
			f.Hours[(int(t.Weekday())+6)%7][t.Hour()] += h.N
			if shown {
				f.Bars[i].Opened += h.N
			}
			if h.Page != "" {
				pages[h.Page].Opened += h.N
			}
		case h.Turned():
			f.Turned += h.N
			reasons[reason{h.Who, h.Page, h.Reason}] += h.N
			if shown {
				f.Bars[i].Turned += h.N
				if turnedAt[i] == nil {
					turnedAt[i] = map[string]int{}
				}
				turnedAt[i][h.Page] += h.N
			}
			if h.Page != "" {
				pages[h.Page].Turned += h.N
			}
		default:
			f.Missing += h.N
		}
	}
	for i, by := range turnedAt {
		for page, n := range by {
			if b := &f.Bars[i]; n > b.TurnedThere || n == b.TurnedThere && page < b.TurnedMost {
				b.TurnedMost, b.TurnedThere = page, n
			}
		}
	}
	for _, p := range pages {
		f.Pages = append(f.Pages, *p)
	}
	slices.SortFunc(f.Pages, func(a, b PageSum) int {
		return cmp.Or(cmp.Compare(b.Opened, a.Opened), cmp.Compare(b.Turned, a.Turned), cmp.Compare(a.Page, b.Page))
	})
	for r, n := range reasons {
		f.Reasons = append(f.Reasons, ReasonSum{r.who, r.page, ReadReason(r.why), n})
	}
	slices.SortFunc(f.Reasons, func(a, b ReasonSum) int {
		return cmp.Or(cmp.Compare(b.N, a.N), cmp.Compare(a.Who, b.Who), cmp.Compare(a.Page, b.Page), cmp.Compare(a.Why.Kind, b.Why.Kind), a.Why.At.Compare(b.Why.At))
	})
	f.days(days)
	return f
}

// bars makes a bar for each day, or hour.
func (f *Figures) bars(from, until time.Time, byHour bool, zone *time.Location) {
	for t := from.In(zone); t.Before(until); {
		f.Bars = append(f.Bars, Bar{At: t})
		if byHour {
			t = t.Add(time.Hour)
		} else {
			t = t.AddDate(0, 0, 1)
		}
	}
}

func barOf(t time.Time, byHour bool, zone *time.Location) int64 {
	if byHour {
		return HourOf(t)
	}
	return DayOf(t, zone)
}

// days adds what is counted by day.
func (f *Figures) days(days []DaySum) {
	by := map[DayKind]map[string]int{}
	lasted := map[int]int{}
	pages := 0
	for _, d := range days {
		if by[d.Kind] == nil {
			by[d.Kind] = map[string]int{}
		}
		by[d.Kind][d.Name] += d.N
		n, _ := strconv.Atoi(d.Name)
		switch d.Kind {
		case Visitors:
			f.Visitors += d.N
		case Visits:
			f.Visits += d.N
		case Robots:
			f.Robots += d.N
		case Apart:
			f.Apart += d.N
		case Dropped:
			f.Dropped += d.N
		case Lasted:
			lasted[n] += d.N
			f.Ended += d.N
		case PagesAVisit:
			pages += n * d.N
		}
	}
	if f.Ended > 0 {
		f.PagesAVisit = float64(pages) / float64(f.Ended)
		left := (f.Ended + 1) / 2
		for _, seconds := range slices.Sorted(maps.Keys(lasted)) {
			if left -= lasted[seconds]; left <= 0 {
				f.Median = seconds
				break
			}
		}
	}
	f.Sources, f.Devices, f.Statuses, f.Uses = shares(by[Sources]), shares(by[Devices]), shares(by[Statuses]), shares(by[Uses])
	f.Searches, f.FoundNone = shares(by[Searched]), shares(by[FoundNone])
}

// shares lists names by count, the highest first.
func shares(by map[string]int) (list []Share) {
	for name, n := range by {
		list = append(list, Share{name, n})
	}
	slices.SortFunc(list, func(a, b Share) int { return cmp.Or(cmp.Compare(b.N, a.N), cmp.Compare(a.Name, b.Name)) })
	return list
}
