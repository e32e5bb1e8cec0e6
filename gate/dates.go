package gate

import (
	"cmp"
	"html/template"
	"slices"
	"strings"
	"time"

	"velada/app/calendar"
	"velada/core/access"
	"velada/core/content"
)

// datesSight is a list of dates.
type datesSight struct {
	Title       string
	Soon, Past  []dateSight
	Undated     []template.HTML
	NothingSoon bool
}

type dateSight struct {
	At         string // for machines
	Day, Month string
	When       string // the day of the week, the time, and until when
	HTML       template.HTML
}

// What a list of dates shows at most.
const (
	mostSoon = 60
	mostPast = 24
)

// dates is a list of dates as it stands now: what is over goes to the end, and what is linked to
// a page whose door opens or closes for the visitor has that date. One that is headed by the path
// of a calendar file shows the events in that too, where it opens to the visitor.
func (q meeting) dates(title string, items []string) string {
	now, zone := q.bucketBegins().Time().In(q.state.Zone), q.state.Zone
	var list []content.Dated
	v := datesSight{Title: title}
	if strings.HasPrefix(title, "/") {
		v.Title = ""
		list = q.eventsOf(title)
	}
	for _, item := range items {
		d, ok := content.ReadDated(item, zone)
		if link := content.LinkOf(item); !ok && link != "" {
			if d, ok = q.doorDate(link, item); !ok {
				continue
			}
		}
		if !q.showsItem(item) {
			continue
		}
		if !ok {
			v.Undated = append(v.Undated, template.HTML(item)) // sanitised when it was published
			continue
		}
		list = append(list, d)
	}
	slices.SortStableFunc(list, func(a, b content.Dated) int { return cmp.Compare(a.From.UnixNano(), b.From.UnixNano()) })
	for _, d := range list {
		s := dateSight{
			At: d.From.Format(time.DateOnly), Day: d.From.Format("2"), Month: d.From.Format("Jan"), HTML: template.HTML(d.HTML), When: whenText(d),
		}
		if d.From.Year() != now.Year() && d.From.Sub(now).Abs() > 200*24*time.Hour {
			s.Month += d.From.Format(" 2006")
		}
		if d.Over(now) {
			v.Past = append(v.Past, s)
		} else {
			v.Soon = append(v.Soon, s)
		}
	}
	slices.Reverse(v.Past)
	v.Soon, v.Past = v.Soon[:min(len(v.Soon), mostSoon)], v.Past[:min(len(v.Past), mostPast)]
	v.NothingSoon = len(v.Soon)+len(v.Undated) == 0
	var b strings.Builder
	if err := execute(&b, "dates.html", v); err != nil {
		panic(err)
	}
	return b.String()
}

// showsItem reports whether an item of a list of dates is shown: where all that it leads to opens to
// the reader, or will.
func (q meeting) showsItem(item string) bool {
	for _, link := range content.LinksIn(item) {
		if q.shows(link) {
			continue
		}
		path, err := access.URLPath(link)
		if err != nil || q.edition().Page(path) == nil || q.reader(aboutNext, path) == "" {
			return false
		}
	}
	return true
}

// whenText is the day of the week of a date, its time, and its end.
func whenText(d content.Dated) string {
	text := d.From.Format("Monday")
	if d.Timed {
		text += d.From.Format(", 15:04")
	}
	switch {
	case d.Until.IsZero():
	case d.Until.Sub(d.From) <= 24*time.Hour && d.Timed:
		text += d.Until.Format(" to 15:04")
	default:
		text += " to " + d.Until.Add(-time.Second).Format("Monday 2 January")
	}
	return text
}

// mostInstants is how far a door is looked ahead.
const mostInstants = 200

// doorDate is when a page opens for the visitor, or until when it is open, with what is said of
// it; false where that is not known, or the page hides from the visitor.
func (q meeting) doorDate(link, item string) (content.Dated, bool) {
	path, err := access.URLPath(link)
	if err != nil {
		return content.Dated{}, false
	}
	isOpen, when, known := strings.Cut(q.reader(aboutNext, path), " ")
	at, err := access.ParseInstant(when)
	if !known || err != nil {
		return content.Dated{}, false
	}
	said := ": opens"
	if isOpen == yes {
		said = ": open until then"
	}
	return content.Dated{From: at.Time().In(q.state.Zone), Timed: true, HTML: item + template.HTMLEscapeString(said)}, true
}

// eventsOf reads the events of a calendar file, if it opens to the visitor.
func (q meeting) eventsOf(path string) (list []content.Dated) {
	if !q.opensFile(path) || q.as != nil && !q.as.may(path) || q.edition().Files[path].Size > calendar.MostIn {
		return nil
	}
	events, err := calendar.ReadFile(q.Context(), q.gate.House, q.edition().Files[path], q.state.Zone)
	if err != nil {
		return nil // it is said where the page is written
	}
	for _, e := range events {
		if e.Problem != "" && !e.Moment || e.From.IsZero() {
			continue
		}
		d := content.Dated{From: e.From.Time().In(q.state.Zone), Timed: true, HTML: template.HTMLEscapeString(e.Name)}
		if !e.Until.IsZero() {
			d.Until = e.Until.Time().In(q.state.Zone)
		}
		list = append(list, d)
	}
	return list
}
