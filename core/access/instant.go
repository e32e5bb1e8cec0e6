package access

import (
	"fmt"
	"math"
	"strings"
	"time"
)

// Instant is a point in time to the nanosecond. The zero Instant is none at
// all: as a from it means "since ever", as an until "for ever".
type Instant struct {
	sec  int64
	nsec int32
	set  bool
}

var (
	everBefore = Instant{sec: math.MinInt64, set: true}
	everAfter  = Instant{sec: math.MaxInt64, set: true}
)

// At turns a time into an Instant; the zero time gives the zero Instant.
func At(t time.Time) Instant {
	if t.IsZero() {
		return Instant{}
	}
	return Instant{t.Unix(), int32(t.Nanosecond()), true}
}

// ParseInstant reads RFC 3339, strictly.
func ParseInstant(s string) (Instant, error) {
	var t time.Time
	if err := t.UnmarshalText([]byte(strings.ToUpper(s))); err != nil {
		return Instant{}, fmt.Errorf("%q is not an instant as in 2026-12-12T20:00:00+01:00", s)
	}
	return Instant{t.Unix(), int32(t.Nanosecond()), true}, nil
}

// IsZero reports whether the Instant is none at all.
func (i Instant) IsZero() bool { return !i.set }

// Time is the Instant as a time in UTC, or the zero time.
func (i Instant) Time() time.Time {
	if !i.set {
		return time.Time{}
	}
	return time.Unix(i.sec, int64(i.nsec)).UTC()
}

// String writes the Instant in UTC, with a fraction only where it has one.
func (i Instant) String() string {
	if !i.set {
		return ""
	}
	return i.Time().Format(time.RFC3339Nano)
}

// MarshalText writes the Instant as String does.
func (i Instant) MarshalText() ([]byte, error) { return []byte(i.String()), nil }

// Before reports whether i is earlier than o; both must be set.
func (i Instant) Before(o Instant) bool {
	return i.sec < o.sec || i.sec == o.sec && i.nsec < o.nsec
}

// Compare orders two Instants as cmp.Compare does.
func (i Instant) Compare(o Instant) int {
	switch {
	case i.Before(o):
		return -1
	case o.Before(i):
		return 1
	}
	return 0
}

// justBefore is the last Instant before i.
func (i Instant) justBefore() Instant {
	if i.nsec > 0 {
		return Instant{i.sec, i.nsec - 1, true}
	}
	return Instant{i.sec - 1, 999_999_999, true}
}

// window is the half-open interval [from, until).
type window struct{ from, until Instant }

func newWindow(from, until Instant) window {
	if !from.set {
		from = everBefore
	}
	if !until.set {
		until = everAfter
	}
	return window{from, until}
}

func (w *window) holds(t Instant) bool { return !t.Before(w.from) && t.Before(w.until) }

// cuts appends the window's ends, where it has any.
func (w *window) cuts(to []Instant) []Instant {
	if w.from != everBefore {
		to = append(to, w.from)
	}
	if w.until != everAfter {
		to = append(to, w.until)
	}
	return to
}
