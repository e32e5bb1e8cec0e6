package calendar

import (
	"context"
	"crypto/sha256"
	"fmt"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"

	"velada/core/access"
	"velada/core/calendar"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// What a calendar for other programs reaches back and ahead.
const (
	outBack  = 31 * 24 * time.Hour
	outAhead = 400 * 24 * time.Hour
	mostOut  = 2000 // events
)

// OutWindow returns from when to when a calendar for other programs goes.
func OutWindow(now time.Time) (from, until access.Instant) {
	return access.At(now.Add(-outBack)), access.At(now.Add(outAhead))
}

// Write writes what begins and ends as iCalendar (RFC 5545): an event for each end, and for
// each occurrence of a holding page. name names a lane, where its site, url where it is set.
func Write(title string, lanes []calendar.Lane, now time.Time, name, where, url func(calendar.Lane) string) string {
	cal := ics.NewCalendarFor("Velada")
	cal.SetMethod(ics.MethodPublish)
	cal.SetXWRCalName(title)
	from, until := OutWindow(now)
	n := 0
	for _, e := range calendar.Edges(lanes, from, until) {
		l := lanes[e.Lane]
		if l.Off || l.Kind == calendar.Holding && !e.Begins && !l.First().IsZero() {
			continue // its end is that of the event that began with it
		}
		if n++; n > mostOut {
			break
		}
		ev := cal.AddEvent(uid(l, e))
		ev.SetDtStampTime(now)
		ev.SetStartAt(e.At.Time())
		if until := endOf(l, e); !until.IsZero() {
			ev.SetEndAt(until)
		}
		ev.SetSummary(where(l) + ": " + name(l) + saying(l, e))
		ev.SetURL(url(l))
		ev.SetTimeTransparency(ics.TransparencyTransparent)
	}
	return cal.Serialize()
}

// saying says what happens at an end.
func saying(l calendar.Lane, e calendar.Edge) string {
	switch {
	case l.Look == calendar.Broken:
		return " (promise broken from here)"
	case l.Look == calendar.Point, l.Kind == calendar.Holding && e.Begins:
		return ""
	case e.Begins:
		return " begins"
	}
	return " ends"
}

// endOf is the end of the event at an end: of a holding page that of the occurrence. It is zero for what is a
// moment: an event without an end ends when it begins, and one whose end is its beginning is none (RFC 5545).
func endOf(l calendar.Lane, e calendar.Edge) time.Time {
	if l.Kind == calendar.Holding && e.Begins {
		for _, s := range l.Spans {
			if s.From == e.At && !s.Until.IsZero() {
				return s.Until.Time()
			}
		}
	}
	return time.Time{}
}

// uid tells an event from the others, and stays for as long as it is the same.
func uid(l calendar.Lane, e calendar.Edge) string {
	edge := "ends"
	if e.Begins {
		edge = "begins"
	}
	sum := sha256.Sum256([]byte(strings.Join([]string{l.Site, l.Key, edge, e.At.String()}, "\n")))
	return fmt.Sprintf("%x@velada", sum[:12])
}

// NewAddress makes somebody's secret address; an earlier one ends. It returns its token.
func NewAddress(ctx context.Context, h *house.House, a house.Actor) (token string, err error) {
	token = identity.Token()
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		tx.Log("", "house", "A secret address of their calendar is made.", "", "")
		return store.SaveCalendarAddress(ctx, tx, a.Who, sha256.Sum256([]byte(token)), tx.Now())
	})
	return token, err
}

// EndAddress ends somebody's secret address.
func EndAddress(ctx context.Context, h *house.House, a house.Actor) error {
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		tx.Log("", "house", "The secret address of their calendar is turned off.", "", "")
		return store.DropCalendarAddress(ctx, tx, a.Who)
	})
}

// Whose returns whose secret address a token stands for; false where it stands for nobody's
// who may still sign in.
func Whose(ctx context.Context, h *house.House, token string) (house.Actor, bool, error) {
	who, err := store.WhoseCalendar(ctx, h.Reader(), sha256.Sum256([]byte(token)))
	if err != nil || who == "" {
		return house.Actor{}, false, err
	}
	a, there := h.ActorOf(who)
	return a, there && !h.State().Blocked(who), nil
}
