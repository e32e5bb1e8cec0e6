package house_test

import (
	"errors"
	"slices"
	"testing"
	"time"

	"velada/app/calendar"
	"velada/app/rounds"
	"velada/core/access"
	lanes "velada/core/calendar"
	"velada/house"
)

// laneOf returns the key of a lane of a site that is meant.
func laneOf(t *testing.T, h *house.House, a house.Actor, site string, meant func(l lanes.Lane) bool) string {
	t.Helper()
	from, until := access.At(h.Now()), access.At(h.Now().AddDate(1, 0, 0))
	of, err := calendar.Site(ctx, h, a, h.State().Policy, site, from, until)
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(of.Lanes, meant)
	if i < 0 {
		t.Fatal("there is no such lane")
	}
	return of.Lanes[i].Key
}

// An end keeps its time of day when it is moved across a change of the clocks.
func TestAnEndKeepsItsTimeOfDay(t *testing.T) {
	h, _ := clockedHouse(t)
	pilar := who(t, h, "pilar@cerroalcor.example")
	zone := h.State().Zone
	until := time.Date(2027, 3, 27, 20, 0, 0, 0, zone) // the clocks change in the night that follows
	applyTo(t, h, pilar, "society", func(s *access.Site) {
		s.Links = append(s.Links, access.Link{ID: "press", Under: "/", Until: access.At(until)})
	})
	key := laneOf(t, h, pilar, "society", func(l lanes.Lane) bool { return l.Kind == lanes.Link })
	if err := calendar.Move(ctx, h, pilar, "society", key, false, calendar.Shift{Days: 1}); err != nil {
		t.Fatal(err)
	}
	tray, err := h.Trays.Tray(ctx, pilar, "society")
	if err != nil || tray == nil {
		t.Fatal(err)
	}
	if got := tray.Draft.Links[0].Until.Time().In(zone); !got.Equal(time.Date(2027, 3, 28, 20, 0, 0, 0, zone)) || got.Sub(until) != 23*time.Hour {
		t.Errorf("%v", got)
	}
	for what, err := range map[string]error{
		"an end that there is not": calendar.Move(ctx, h, pilar, "society", key, true, calendar.Shift{Days: 1}),
		"a lane that there is not": calendar.Move(ctx, h, pilar, "society", "link:none", false, calendar.Shift{Days: 1}),
		"too far":                  calendar.Move(ctx, h, pilar, "society", key, false, calendar.Shift{Days: 100_000}),
	} {
		if !errors.Is(err, calendar.ErrMoved) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if err := calendar.Move(ctx, h, who(t, h, "jonas@cerroalcor.example"), "society", key, false, calendar.Shift{Days: 1}); !errors.Is(err, house.ErrMayNot) {
		t.Errorf("by an editor: %v", err)
	}
	if err := calendar.Move(ctx, h, who(t, h, "bram@cerroalcor.example"), "society", key, false, calendar.Shift{Days: 1}); !errors.Is(err, house.ErrNoSite) {
		t.Errorf("by nobody of the site: %v", err)
	}
}

// A group's end that somebody else has moved is not moved from where it was shown.
func TestAGroupThatWasMovedMeanwhile(t *testing.T) {
	h, _ := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	change, err := calendar.MoveInHouse(h, "group:variable-stars", "The class", false, calendar.Shift{Days: 7})
	if err != nil {
		t.Fatal(err)
	}
	apply(t, h, ines, change, nil)
	if got := h.State().Policy.Document().Groups[5].Until.String(); got != "2026-12-25T22:00:00Z" {
		t.Errorf("until %s", got)
	}
	if err := h.ChangePeople(ctx, ines, change); !errors.Is(err, calendar.ErrMoved) {
		t.Errorf("once more: %v", err)
	}
	if _, err := calendar.MoveInHouse(h, "group:council", "Council", false, calendar.Shift{Days: 7}); !errors.Is(err, calendar.ErrMoved) {
		t.Errorf("an end that there is not: %v", err)
	}
	if err := h.ChangePeople(ctx, who(t, h, "pilar@cerroalcor.example"), change); !errors.Is(err, house.ErrMayNot) {
		t.Errorf("by nobody who may: %v", err)
	}
}

// Whatever rounds find in the demo house, now or later, mending it at the push of a button
// removes it, goes together with the rest, and breaks no promise that was kept.
func TestMendingTheDemoHouse(t *testing.T) {
	for _, days := range []int{0, 5, 20, 30, 120} {
		h, now := clockedHouse(t)
		*now = now.AddDate(0, 0, days)
		r := rounds.New(h)
		look, err := r.Look(ctx)
		if err != nil {
			t.Fatal(err)
		}
		mended := 0
		for _, f := range look.All {
			if f.Mend == nil {
				continue
			}
			mended++
			site := h.State().SiteDocument(f.Site).Clone()
			f.Mend(site)
			then, err := h.State().Policy.Replace(site)
			if err != nil {
				t.Errorf("after %d days %s: %v", days, f.Key(), err)
				continue
			}
			if sum := house.Compare(h.State().Policy, then, access.At(*now)); len(sum.Broken) > 0 {
				t.Errorf("after %d days %s breaks %v", days, f.Key(), sum.Broken)
			}
		}
		if mended == 0 {
			t.Errorf("after %d days nothing can be mended", days)
		}
	}
}
