package reminders

import (
	"testing"
	"time"

	"velada/store"
)

// Mails are due from seven in the morning, once a day or once a week, whatever the clocks do.
func TestWhenAMailIsDue(t *testing.T) {
	zone, err := time.LoadLocation("Europe/Madrid")
	if err != nil {
		t.Fatal(err)
	}
	at := func(text string) time.Time {
		t.Helper()
		v, err := time.ParseInLocation("2006-01-02 15:04", text, zone)
		if err != nil {
			t.Fatal(err)
		}
		return v
	}
	for _, c := range []struct {
		every, sent, now string
		due              bool
	}{
		{EachDay, "2026-11-24 07:01", "2026-11-24 18:00", false}, {EachDay, "2026-11-24 07:01", "2026-11-25 06:59", false}, {EachDay, "2026-11-24 07:01", "2026-11-25 07:00", true},
		{EachDay, "2026-11-20 07:00", "2026-11-24 12:00", true}, {EachDay, "2027-03-27 07:00", "2027-03-28 07:00", true}, {EachDay, "2027-03-28 07:00", "2027-03-28 23:00", false},
		{EachDay, "2026-10-24 07:00", "2026-10-25 07:00", true},
		{EachWeek, "2026-11-23 07:00", "2026-11-29 23:00", false}, {EachWeek, "2026-11-23 07:00", "2026-11-30 06:00", false}, {EachWeek, "2026-11-23 07:00", "2026-11-30 07:00", true},
		{EachWeek, "2026-11-18 09:00", "2026-11-24 09:00", true}, {EachWeek, "2026-11-23 06:00", "2026-11-29 06:00", true},
	} {
		if got := due(store.Reminders{Every: c.every, Sent: at(c.sent)}, at(c.now)); got != c.due {
			t.Errorf("every %s, sent %s, now %s: %v", c.every, c.sent, c.now, got)
		}
	}
	if !due(store.Reminders{Every: EachDay}, at("2026-11-24 12:00")) {
		t.Error("the first one")
	}
}
