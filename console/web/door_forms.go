package web

import (
	"time"

	"velada/core/access"
)

// Window reads the two dates of a form.
func (f *Form) Window(zone *time.Location) (from, until access.Instant) {
	read := func(field string) access.Instant {
		if f.Values[field] == "" {
			return access.Instant{}
		}
		t, err := ReadLocal(f.Values[field], zone)
		if err != nil {
			f.Wrong[field] = NoDate
			return access.Instant{}
		}
		return access.At(t)
	}
	from, until = read("from"), read("until")
	if !from.IsZero() && !until.IsZero() && !from.Before(until) {
		f.Wrong["until"] = "It would end before it begins."
	}
	return from, until
}
