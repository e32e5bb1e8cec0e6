package store

import (
	"fmt"
	"slices"
	"testing"
	"time"
)

func TestMadeAndWhereLinksAreFollowedFrom(t *testing.T) {
	db := database(t)
	one, two := site(t, db, "one"), site(t, db, "two")
	at := time.Unix(1_800_000_000, 0)
	for _, err := range []error{
		SaveMade(ctx, db, one, "pass:a", at.Add(-time.Hour)), SaveMade(ctx, db, one, "pass:a", at), SaveMade(ctx, db, two, "holding", at),
	} {
		if err != nil {
			t.Fatal(err)
		}
	}
	made, err := Made(ctx, db)
	if err != nil || !made[one]["pass:a"].Equal(at) || !made[two]["holding"].Equal(at) || len(made[one]) != 1 {
		t.Errorf("%v %v", made, err)
	}
	for i := range mostSources + 50 {
		source := []byte(fmt.Sprintf("%016d", i))
		for range 2 {
			if err := CountLinkSource(ctx, db, one, "l", source); err != nil {
				t.Fatal(err)
			}
		}
	}
	if err := CountLinkSource(ctx, db, two, "l", []byte("x")); err != nil {
		t.Fatal(err)
	}
	sources, err := LinkSources(ctx, db)
	if err != nil || sources[one]["l"] != mostSources || sources[two]["l"] != 1 {
		t.Errorf("%v %v", sources, err)
	}
	if err := ForgetLinkSources(ctx, db, one, "l"); err != nil {
		t.Fatal(err)
	}
	if sources, err := LinkSources(ctx, db); err != nil || sources[one]["l"] != 0 || sources[two]["l"] != 1 {
		t.Errorf("%v %v", sources, err)
	}
	if _, err := db.ExecContext(ctx, `DELETE FROM sites WHERE id = ?`, two); err != nil {
		t.Fatal(err)
	}
	if made, err := Made(ctx, db); err != nil || len(made[two]) > 0 {
		t.Errorf("of a site that is gone: %v %v", made, err)
	}
}

func TestLeftAsIs(t *testing.T) {
	db := database(t)
	one := site(t, db, "one")
	at := time.Unix(1_800_000_000, 0)
	for i, l := range []LeftAsIs{
		{"weak one p", one, "s1", "Weak", "ada", at, "Because"}, {"weak one p", one, "s2", "Weak still", "bo", at.Add(time.Hour), "Still"}, {"one-steward", "", "s", "One", "ada", at, "Soon two"},
	} {
		if err := SaveLeftAsIs(ctx, db, l); err != nil {
			t.Fatal(i, err)
		}
	}
	list, err := AllLeftAsIs(ctx, db)
	if err != nil || len(list) != 2 || list[0].State != "s2" || list[0].Who != "bo" || list[0].Site != one || list[1].Site != "" || !list[1].At.Equal(at) {
		t.Errorf("%+v %v", list, err)
	}
	if _, err := db.ExecContext(ctx, `DELETE FROM sites WHERE id = ?`, one); err != nil {
		t.Fatal(err)
	}
	if list, err := AllLeftAsIs(ctx, db); err != nil || len(list) != 1 {
		t.Errorf("of a site that is gone: %+v %v", list, err)
	}
	if err := DropLeftAsIs(ctx, db, "one-steward"); err != nil {
		t.Fatal(err)
	}
	if list, err := AllLeftAsIs(ctx, db); err != nil || len(list) > 0 {
		t.Errorf("%+v %v", list, err)
	}
}

func TestReminding(t *testing.T) {
	db := database(t)
	at := time.Unix(1_800_000_000, 0)
	for i, want := range []bool{true, false} {
		if first, err := Remind(ctx, db, "ada", "it", at); err != nil || first != want {
			t.Errorf("%d: %v %v", i, first, err)
		}
	}
	if first, err := Remind(ctx, db, "bo", "it", at.Add(time.Hour)); err != nil || !first {
		t.Errorf("another: %v %v", first, err)
	}
	if err := ForgetReminded(ctx, db, at.Add(time.Minute)); err != nil {
		t.Fatal(err)
	}
	for who, want := range map[Who]bool{"ada": false, "bo": true} {
		if there, err := Reminded(ctx, db, who, "it"); err != nil || there != want {
			t.Errorf("%s: %v %v", who, there, err)
		}
	}
	for _, r := range []Reminders{{"ada", "day", at}, {"bo", "week", at}, {"ada", "week", at.Add(time.Hour)}, {"cy", "", at}} {
		if err := SaveReminders(ctx, db, r); err != nil {
			t.Fatal(err)
		}
	}
	all, err := AllReminders(ctx, db)
	if err != nil || len(all) != 2 || all[0].Every != "week" || !all[0].Sent.Equal(at.Add(time.Hour)) {
		t.Errorf("%+v %v", all, err)
	}
	if r, err := RemindersOf(ctx, db, "nobody"); err != nil || r.Every != "" || !r.Sent.IsZero() {
		t.Errorf("%+v %v", r, err)
	}
}

func TestRuleNotesAndExceptions(t *testing.T) {
	db := database(t)
	one := site(t, db, "one")
	at := time.Unix(1_800_000_000, 0)
	for _, n := range []RuleNote{{"r", "ada", at, "First"}, {"r", "bo", at.Add(time.Hour), ""}} {
		if err := SaveRuleNote(ctx, db, n); err != nil {
			t.Fatal(err)
		}
	}
	notes, err := RuleNotes(ctx, db)
	if err != nil || len(notes) != 1 || notes["r"].Who != "bo" || notes["r"].Reason != "" {
		t.Errorf("%+v %v", notes, err)
	}
	for _, e := range []Exception{{Site: one, Rule: "r", Who: "ada", Word: "Please", At: at}, {Site: one, Rule: "r", Who: "ada", Word: "Once more", At: at}, {Site: one, Rule: "r", Who: "bo", Word: "Me too", At: at}} {
		if err := SaveException(ctx, db, e); err != nil {
			t.Fatal(err)
		}
	}
	list, err := Exceptions(ctx, db)
	words := []string{}
	for _, e := range list {
		words = append(words, e.Word)
	}
	if err != nil || !slices.Equal(words, []string{"Once more", "Me too"}) {
		t.Errorf("%q %v", words, err)
	}
	if err := SaveRules(ctx, db, nil); err != nil {
		t.Fatal(err)
	}
	if list, err := Exceptions(ctx, db); err != nil || len(list) > 0 {
		t.Errorf("from a rule that is gone: %+v %v", list, err)
	}
}

func TestSecretAddressesOfCalendars(t *testing.T) {
	db := database(t)
	at := time.Unix(1_800_000_000, 0)
	first, second := [32]byte{1}, [32]byte{2}
	if err := SaveCalendarAddress(ctx, db, "ada", first, at); err != nil {
		t.Fatal(err)
	}
	if err := SaveCalendarAddress(ctx, db, "ada", second, at.Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	for token, want := range map[[32]byte]Who{first: "", second: "ada", {3}: ""} {
		if who, err := WhoseCalendar(ctx, db, token); err != nil || who != want {
			t.Errorf("%q %v", who, err)
		}
	}
	if made, there, err := CalendarAddressMade(ctx, db, "ada"); err != nil || !there || !made.Equal(at.Add(time.Hour)) {
		t.Errorf("%v %v %v", made, there, err)
	}
	if err := DropCalendarAddress(ctx, db, "ada"); err != nil {
		t.Fatal(err)
	}
	if _, there, err := CalendarAddressMade(ctx, db, "ada"); err != nil || there {
		t.Errorf("%v %v", there, err)
	}
}
