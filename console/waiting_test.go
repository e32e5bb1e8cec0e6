package console

import (
	"strings"
	"testing"

	"velada/core/access"
	"velada/house"
)

// Whoever looks at something does not wait until somebody else's change is through.
func TestLookingWaitsForNobody(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/people")
	began, goOn, ended := make(chan struct{}), make(chan struct{}), make(chan error)
	go func() {
		ended <- d.house.Change(t.Context(), house.Velada, house.Needs{}, func(tx *house.Tx) error {
			close(began)
			<-goOn
			return nil
		})
	}()
	<-began
	for _, path := range []string{"/people", "/sites", "/sites/society/door", "/ledger"} {
		d.shows(path) // in a change that never ends it would never answer
	}
	close(goOn)
	if err := <-ended; err != nil {
		t.Fatal(err)
	}
}

// What is kept in a session is there for the next request, and goes with the sign-in.
func TestSessionsAreKeptAsTheyAre(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.post("/sites/society/door/start", "start", "team")
	for range 3 {
		d.shows("/sites/society/rehearsal")
	}
	d.post("/put-in-group", "into", "Crew Antlia") // its complaint is shown once
	if d.shows("/people", "Choose at least one of them."); strings.Contains(d.shows("/people"), "Choose at least one of them.") {
		t.Error("a message is shown twice")
	}
	d.post("/sign-out")
	if status, _, _ := d.get("/people"); status != 303 {
		t.Errorf("signed out, and answered with %d", status)
	}
	other := d.another().signIn("pilar@cerroalcor.example")
	a, err := access.ParseAddress("pilar@cerroalcor.example")
	if err != nil {
		t.Fatal(err)
	}
	other.shows("/account")
	if err := d.house.Sessions.SignOutEverywhere(t.Context(), d.house.Actor(a).Who, ""); err != nil {
		t.Fatal(err)
	}
	if status, _, _ := other.get("/account"); status != 303 {
		t.Errorf("signed out by others, and answered with %d", status)
	}
}
