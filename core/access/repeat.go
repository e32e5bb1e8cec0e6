package access

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// maxRepeatHours is how long after its beginning a holding page may go on coming
// again: three years and a few days. With every day that is 1,100 occurrences.
const maxRepeatHours = 26_400

// days is how many days lie between the beginnings of two occurrences.
func (r *Repeat) days() int {
	if r.Unit == "week" {
		return 7 * r.Every
	}
	return r.Every
}

// Equal reports whether a holding page comes again, or does not, as by another.
func (r *Repeat) Equal(o *Repeat) bool { return r == o || r != nil && o != nil && *r == *o }

// occurrences are the windows in which a holding page is within its dates, in
// order: one where it does not come again.
func (h *Holding) occurrences(zone *time.Location) []window {
	first := newWindow(h.From, h.Until)
	if h.Repeat == nil {
		return []window{first}
	}
	list := []window{first}
	lasts := h.Until.Time().Sub(h.From.Time())
	start := h.From.Time().In(zone)
	year, month, day := start.Date()
	for n := 1; ; n++ {
		local := time.Date(year, month, day+n*h.Repeat.days(), start.Hour(), start.Minute(), start.Second(), start.Nanosecond(), time.UTC)
		from := At(fromLocal(local, zone))
		if !from.Before(h.Repeat.Until) {
			return list
		}
		if last := &list[len(list)-1]; from.Before(last.until) {
			last.until = from
		}
		list = append(list, window{from, At(from.Time().Add(lasts))})
	}
}

// fromLocal returns the instant at which the clocks of a zone show a date and a
// time of day, which local has as if it were UTC. What a change of the clocks skips
// takes the offset from before it, and what it shows twice is the first of the two:
// time.Date promises neither.
func fromLocal(local time.Time, zone *time.Location) time.Time {
	const furthest = 30 * time.Hour // from UTC, with room
	at := local.Add(-furthest).In(zone)
	for {
		_, offset := at.Zone()
		found := local.Add(-time.Duration(offset) * time.Second)
		_, end := at.ZoneBounds()
		if end.IsZero() || found.Before(end) {
			return found
		}
		_, next := end.Zone()
		if local.Add(-time.Duration(next) * time.Second).Before(end) {
			return found // skipped
		}
		at = end
	}
}

// holds reports whether the holding page is within its dates at an instant.
func (h *holding) holds(t Instant) bool {
	if len(h.wins) == 1 {
		return h.wins[0].holds(t)
	}
	i := h.last(t)
	return i >= 0 && h.wins[i].holds(t)
}

// last returns the last occurrence that has begun at an instant, -1 where none has.
func (h *holding) last(t Instant) int {
	i, found := slices.BinarySearchFunc(h.wins, t, func(w window, t Instant) int { return w.from.Compare(t) })
	for found && i+1 < len(h.wins) && h.wins[i+1].from == t {
		i++
	}
	if found {
		return i
	}
	return i - 1
}

// until returns the end of the last of the occurrences that follow without a gap on
// the one within which an instant is; everAfter where there is none or no end.
func (h *holding) until(t Instant) Instant {
	i := h.last(t)
	if i < 0 || !h.wins[i].holds(t) {
		return everAfter
	}
	for i+1 < len(h.wins) && !h.wins[i].until.Before(h.wins[i+1].from) {
		i++
	}
	return h.wins[i].until
}

// HoldingUntil returns the instant at which the holding page comes down, where it is
// up at t and comes down by itself.
func (s *CompiledSite) HoldingUntil(t Instant) (Instant, bool) {
	if !s.HoldingUp(t) {
		return Instant{}, false
	}
	if until := s.holding.until(t); until != everAfter {
		return until, true
	}
	return Instant{}, false
}

// HoldingDates returns the first occurrences of the holding page that end after t, at
// most n of them; none where it is off or does not come again.
func (s *CompiledSite) HoldingDates(t Instant, n int) (dates [][2]Instant) {
	if s == nil || !s.holding.on || s.doc.Holding.Repeat == nil {
		return nil
	}
	for _, w := range s.holding.wins {
		if len(dates) < n && t.Before(w.until) && w.from.Before(w.until) {
			dates = append(dates, [2]Instant{w.from, w.until})
		}
	}
	return dates
}

// RepeatProblem returns what is wrong with how a holding page comes again, and with
// which of from, until, repeat.every and repeat.until; "" where nothing is.
func (h *Holding) RepeatProblem() (field, text string) {
	switch r := h.Repeat; {
	case r == nil:
		return "", ""
	case r.Every < 1 || r.Every > 366:
		return "repeat.every", fmt.Sprintf("%d is not from 1 to 366", r.Every)
	case !h.From.set:
		return "from", "it is missing: what comes again begins at a date and a time"
	case !h.Until.set:
		return "until", "it is missing: what comes again ends at a date and a time"
	case !r.Until.set:
		return "repeat.until", "it must come again for the last time"
	case h.Until.Time().Sub(h.From.Time()) > time.Duration(r.days())*24*time.Hour:
		return "until", "it lasts longer than until it comes again"
	case !h.From.Before(r.Until):
		return "repeat.until", "it is not after the first time"
	case At(h.From.Time().Add(maxRepeatHours * time.Hour)).Before(r.Until):
		return "repeat.until", fmt.Sprintf("it is more than %d days after the first time", maxRepeatHours/24)
	}
	return "", ""
}

func (v *validator) repeat(h *Holding, where *place) {
	if field, text := h.RepeatProblem(); field != "" {
		if part, inner, nested := strings.Cut(field, "."); nested {
			where, field = where.field(part), inner
		}
		v.refuse(where.field(field), "%s", text)
	}
}

// Dates returns from when to when the holding page is within its dates, once and again, in a
// zone; nil where how it comes again is not as RepeatProblem wants it.
func (h *Holding) Dates(zone *time.Location) (dates [][2]Instant) {
	if _, problem := h.RepeatProblem(); problem != "" {
		return nil
	}
	for _, w := range h.occurrences(zone) {
		dates = append(dates, [2]Instant{w.from, w.until})
	}
	return dates
}
