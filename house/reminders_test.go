package house_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/reminders"
	"velada/core/access"
	"velada/house"
	"velada/store"
	"velada/words"
)

// reminded returns what somebody was reminded of, the newest first.
func reminded(t *testing.T, h *house.House, who store.Who) (list []string) {
	t.Helper()
	notices, err := store.Notices(ctx, h.DB(), who, 99)
	if err != nil {
		t.Fatal(err)
	}
	for _, n := range notices {
		if n.Kind == "reminder" {
			list = append(list, words.AsSeen(n.What, h.Now().In(h.State().Zone)))
			if !strings.HasPrefix(n.URL, "/") {
				t.Errorf("%s leads to %q", n.What, n.URL)
			}
		}
	}
	return list
}

func tell(t *testing.T, h *house.House) {
	t.Helper()
	if err := reminders.Tell(ctx, h); err != nil {
		t.Fatal(err)
	}
}

// has reports whether one of some texts has all of some words.
func has(list []string, words ...string) bool {
	return slices.ContainsFunc(list, func(text string) bool {
		return !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
	})
}

func TestPeopleAreRemindedOnceOfWhatIsTheirs(t *testing.T) {
	h, now := clockedHouse(t)
	tell(t, h)
	pilar := reminded(t, h, "pilar")
	if len(pilar) != 1 || !has(pilar, "Founders Fund Dossier", "“Fundación Ribera” ends tomorrow 18:00") {
		t.Errorf("Pilar: %q", pilar)
	}
	if list := reminded(t, h, "bram"); len(list) > 0 {
		t.Errorf("Bram: %q", list)
	}
	tell(t, h)
	if again := reminded(t, h, "pilar"); len(again) != len(pilar) {
		t.Errorf("told twice: %q", again)
	}
	was := *now
	for hours, says := range map[int]string{22: "ends today 18:00", 46: "ends yesterday 18:00", 24 * 7: "ends on 25 Nov 2026 18:00"} { // in the words of whenever it is read
		*now = was.Add(time.Duration(hours) * time.Hour)
		if list := reminded(t, h, "pilar"); !has(list, says) {
			t.Errorf("%d hours later: %q", hours, list)
		}
	}
	*now = was
	*now = time.Date(2026, 12, 10, 9, 0, 0, 0, time.UTC)
	tell(t, h)
	ines := reminded(t, h, "ines")
	for _, words := range [][]string{
		{"Variable Stars on Thursdays", "12 Dec 2026 20:00", "“Show night panel” let in"}, {"Crew Antlia", "editor until 12 Dec 2026 20:00"},
	} {
		if !has(ines, words...) {
			t.Errorf("Inés lacks %q: %q", words, ines)
		}
	}
	*now = time.Date(2026, 12, 16, 9, 0, 0, 0, time.UTC)
	tell(t, h)
	if ines := reminded(t, h, "ines"); !has(ines, "The group Variable Stars class ends on 18 Dec 2026 23:00") {
		t.Errorf("of a group: %q", ines)
	}
}

func TestAMaintenancePageLeftUpIsToldOf(t *testing.T) {
	h, now := clockedHouse(t)
	pilar := who(t, h, "pilar@cerroalcor.example")
	applyTo(t, h, pilar, "society", func(s *access.Site) { s.Holding = access.Holding{On: true, Kind: "maintenance"} })
	*now = now.Add(23 * time.Hour)
	tell(t, h)
	if has(reminded(t, h, "pilar"), "still shown") {
		t.Error("told too soon")
	}
	*now = now.Add(2 * time.Hour)
	tell(t, h)
	if list := reminded(t, h, "pilar"); !has(list, "the maintenance page is still shown, since 24 Nov 2026 18:00") {
		t.Errorf("%q", list)
	}
}

// A role's end is told to whoever has it, and to those who look after the team.
func TestTheEndOfARoleIsTold(t *testing.T) {
	h, now := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	until := access.At(now.Add(48 * time.Hour))
	applyTo(t, h, ines, "society", func(s *access.Site) {
		s.Team = append(s.Team, access.TeamEntry{Person: "mirela", Role: "editor", Under: "/", Accepted: true, Until: until})
	})
	tell(t, h)
	if list := reminded(t, h, "mirela"); !has(list, "your role as editor ends on 26 Nov 2026 18:00") {
		t.Errorf("Mirela: %q", list)
	}
	if list := reminded(t, h, "pilar"); !has(list, "Mirela Stanciu is editor until") {
		t.Errorf("Pilar: %q", list)
	}
}

// One mail a day, or a week, of what was in none before; none where there is nothing to say.
func TestRemindersByMail(t *testing.T) {
	h, now := clockedHouse(t)
	*now = time.Date(2026, 11, 24, 17, 0, 0, 0, time.UTC) // a Tuesday
	pilar, ines := who(t, h, "pilar@cerroalcor.example"), who(t, h, "ines@cerroalcor.example")
	if err := reminders.Set(ctx, h, pilar, "hourly"); err == nil {
		t.Error("every hour")
	}
	for a, every := range map[store.Who]string{"pilar": reminders.EachDay, "ines": reminders.EachWeek} {
		actor := map[store.Who]house.Actor{"pilar": pilar, "ines": ines}[a]
		if err := reminders.Set(ctx, h, actor, every); err != nil {
			t.Fatal(err)
		}
	}
	mails := func(to string) (list []string) {
		all, err := h.Outbox.Mails(ctx, to, 99)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range all {
			list = append(list, m.Text)
		}
		return list
	}
	tell(t, h)
	tell(t, h)
	if list := mails("pilar@"); len(list) != 1 || !strings.Contains(list[0], "“Fundación Ribera” ends on 25 Nov 2026 18:00") || !strings.Contains(list[0], "/sites/dossier/passes?pass=ribera") {
		t.Errorf("Pilar gets %q", list)
	}
	*now = now.Add(12 * time.Hour) // before seven in the morning
	tell(t, h)
	*now = now.Add(12 * time.Hour)
	tell(t, h)
	if list := mails("pilar@"); len(list) != 1 {
		t.Errorf("nothing new, and %d mails", len(list))
	}
	first := len(mails("ines@"))
	*now = time.Date(2026, 12, 6, 17, 0, 0, 0, time.UTC) // Sunday
	tell(t, h)
	*now = time.Date(2026, 12, 7, 8, 0, 0, 0, time.UTC) // Monday
	tell(t, h)
	list := mails("ines@")
	if len(list) != first+1 || !strings.Contains(list[0], "“Show night panel” let in") {
		t.Errorf("Inés gets %d and then %q", first, list)
	}
	if err := reminders.Set(ctx, h, pilar, reminders.Never); err != nil {
		t.Fatal(err)
	}
	*now = time.Date(2026, 12, 20, 8, 0, 0, 0, time.UTC)
	n := len(mails("pilar@"))
	tell(t, h)
	if len(mails("pilar@")) != n {
		t.Error("a mail to somebody who wants none")
	}
}
