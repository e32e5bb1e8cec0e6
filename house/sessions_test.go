package house_test

import (
	"testing"
	"time"

	"velada/store"
)

// Visits and sign-ins that have expired are forgotten, in memory and in the file; a sign-in that a visit
// goes on from is kept.
func TestWhatHasExpiredIsForgotten(t *testing.T) {
	h := demoHouse(t)
	var values []string
	for _, id := range []string{"over", "idle", "old", "goes on", "fresh"} {
		if err := h.Sessions.BeginSession(ctx, id, "mateo", "a browser", "a password"); err != nil {
			t.Fatal(err)
		}
	}
	for _, console := range []string{"over", "goes on"} {
		value, err := h.Sessions.SiteSessionFrom(ctx, h.State().ID("society"), console)
		if err != nil {
			t.Fatal(err)
		}
		values = append(values, value)
	}
	now := time.Now()
	for _, q := range []string{`UPDATE visits SET expires = ?1 - 1 WHERE console = 'over'`, `UPDATE signed_in SET used = ?1 - 100000 WHERE id IN ('idle', 'over', 'goes on')`, `UPDATE signed_in SET began = ?1 - 700000 WHERE id = 'old'`} {
		if _, err := h.DB().ExecContext(ctx, q, now.Unix()); err != nil {
			t.Fatal(err)
		}
	}
	h.Sessions.ExpireVisits("over")
	if err := h.Sessions.EndExpired(ctx); err != nil {
		t.Fatal(err)
	}
	if n := h.Sessions.Visits(); n != 1 {
		t.Errorf("%d visits in memory", n)
	}
	left, err := store.SessionsOf(ctx, h.DB(), "mateo")
	if err != nil || len(left) != 2 {
		t.Errorf("%+v %v", left, err)
	}
	if _, in := h.Sessions.SiteSession(values[1], h.State().ID("society")); !in {
		t.Error("a visit that goes on is forgotten")
	}
}
