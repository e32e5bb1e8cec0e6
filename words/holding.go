package words

import (
	"fmt"
	"time"

	"velada/core/access"
)

// HoldingTimes says when a holding page stands, and how it comes again.
func (w Wording) HoldingTimes(h access.Holding) string {
	r := h.Repeat
	if r == nil || h.From.IsZero() || h.Until.IsZero() {
		return w.Window(h.From, h.Until)
	}
	from, until := h.From.Time().In(w.Zone), h.Until.Time().In(w.Zone)
	return fmt.Sprintf("%s from %s %s, the first time on %s, until %s", every(r, from), from.Format("15:04"), lasting(from, until), from.Format("2 Jan 2006"), w.When(r.Until))
}

// Again says how a holding page comes again.
func (w Wording) Again(h access.Holding) string {
	return fmt.Sprintf("%s until %s", every(h.Repeat, h.From.Time().In(w.Zone)), w.When(h.Repeat.Until))
}

func every(r *access.Repeat, from time.Time) string {
	switch {
	case r.Unit == "week" && r.Every == 1:
		return "every " + from.Weekday().String()
	case r.Unit == "week":
		return fmt.Sprintf("every %d weeks on a %s", r.Every, from.Weekday())
	case r.Every == 1:
		return "every day"
	}
	return fmt.Sprintf("every %d days", r.Every)
}

// lasting says until when on the same day, or else how long.
func lasting(from, until time.Time) string {
	if from.YearDay() == until.YearDay() && from.Year() == until.Year() {
		return "to " + until.Format("15:04")
	}
	minutes := int(until.Sub(from).Minutes())
	switch hours := minutes / 60; {
	case minutes%60 != 0:
		return fmt.Sprintf("for %d h %d min", hours, minutes%60)
	case hours == 1:
		return "for an hour"
	default:
		return fmt.Sprintf("for %d hours", hours)
	}
}

// Span says from when to when, the day once where it is the same.
func (w Wording) Span(from, until access.Instant) string {
	a, b := from.Time().In(w.Zone), until.Time().In(w.Zone)
	if a.YearDay() == b.YearDay() && a.Year() == b.Year() {
		return a.Format("Mon 2 Jan 2006 15:04") + " to " + b.Format("15:04")
	}
	return a.Format("Mon 2 Jan 2006 15:04") + " to " + b.Format("Mon 2 Jan 15:04")
}
