package house_test

import (
	"errors"
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/calendar"
	"velada/app/teams"
	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/limits"
)

// A rule of recurrence of some hundred bytes costs no more than a calendar that is meant.
func TestTheWorstCalendarIsBounded(t *testing.T) {
	list := func(n int) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, ",%d", i)
		}
		return b.String()[1:]
	}
	event := func(rule string) string {
		return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//test//EN\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Works\r\nDTSTART:20261201T020000Z\r\nDTEND:20261201T030000Z\r\nRRULE:" + rule + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	}
	for _, rule := range []string{
		"FREQ=DAILY;BYHOUR=" + list(24) + ";BYMINUTE=" + list(60) + ";BYSECOND=" + list(60), "FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR,SA,SU;BYHOUR=" + list(24),
		"FREQ=DAILY;COUNT=1000000000", "FREQ=DAILY;BYMONTH=2;BYMONTHDAY=31", "FREQ=DAILY;BYSETPOS=366;BYYEARDAY=" + list(300), "FREQ=DAILY;INTERVAL=1000000000", "FREQ=WEEKLY;UNTIL=99991231T000000Z",
		"FREQ=DAILY;BYDAY=" + strings.Repeat("MO,", 400) + "MO",
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := calendar.Read(event(rule), time.UTC)
		runtime.ReadMemStats(&after)
		if err != nil {
			t.Errorf("%.60s: %v", rule, err)
		}
		if took := after.TotalAlloc - before.TotalAlloc; took > 4<<20 {
			t.Errorf("%.60s takes %d kB", rule, took>>10)
		}
	}
}

// Nobody keeps a letter from somebody by asking in their name.
func TestNobodySuppressesAnothersLetter(t *testing.T) {
	h := demoHouse(t)
	a := access.Address{Local: "pilar", Domain: "cerroalcor.example"}
	for range 300 {
		h.MayWriteTo(a, "member")
		h.MayWriteTo(a, house.LinkSignIn)
	}
	if !h.MayWriteTo(a, house.LinkReset) {
		t.Error("a letter to set a new password is kept from her by asking for others")
	}
	if h.MayWriteTo(a, "member") {
		t.Error("letters are written without end")
	}
}

// Guesses at many accounts from one source are refused, and a browser that was here before goes on.
func TestGuessesAtManyAccountsFromOneSource(t *testing.T) {
	h := demoHouse(t)
	from := house.From{IP: "203.0.113.9"}
	known, err := h.Sessions.KnowBrowser(ctx, "pilar", "")
	if err != nil {
		t.Fatal(err)
	}
	h.Throttles.Sources.Most, h.Throttles.Accounts.Most = 0, 0 // what only waits is not waited for
	if g := h.Throttles.Guesses; g.Burst != limits.GuessesBySource || g.Every != limits.GuessPause {
		t.Errorf("so many wrong passwords: %+v", g)
	}
	const some = 12 // of so many, since each takes long; none comes back meanwhile
	h.Throttles.Guesses = &identity.Throttle{Every: time.Hour, Burst: some}
	tried := 0
	var later identity.TryLater
	for tried < 3*some {
		_, err := accounts.SignIn(ctx, h, fmt.Sprintf("nobody%d@cerroalcor.example", tried/3), "wrong", from)
		if errors.As(err, &later) {
			break
		}
		tried++
	}
	if tried != some {
		t.Errorf("%d guesses at %d accounts", tried, tried/3)
	}
	if _, err := accounts.SignIn(ctx, h, "pilar@cerroalcor.example", "wrong", house.From{IP: from.IP, Browser: known}); errors.As(err, &later) {
		t.Error("a browser that was here before is refused for others")
	}
}

// Invitations have a pace and an end.
func TestInvitationsAreBounded(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	sent := 0
	for n := range 20 {
		in := teams.Invitation{Sites: []string{"society"}, Role: "viewer"}
		for i := range 60 {
			in.Addresses = append(in.Addresses, fmt.Sprintf("p%d-%d@post.example", n, i))
		}
		_, err := teams.Invite(ctx, h, ines, in)
		var wrong house.FieldErrors
		if errors.As(err, &wrong) && wrong["list"] != "" {
			break
		}
		if err != nil {
			t.Fatal(err)
		}
		sent += 60
	}
	if sent == 0 || sent > limits.InvitationsAnHour {
		t.Errorf("%d invitations within an hour", sent)
	}
}
