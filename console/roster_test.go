package console

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"testing"
	"time"

	"golang.org/x/text/encoding/charmap"

	"velada/app/people"
	"velada/core/access"
	"velada/core/roster"
	"velada/house"
	"velada/store"
)

// rosterAt sends a roster, and returns where it is looked at.
func (d *desk) rosterAt(group, text string) string {
	d.Helper()
	_, _, h := d.sendFor("/groups/"+group+"/roster", "file", "class.csv", []byte(text))
	if !strings.Contains(h.Get("Location"), "?take=") {
		d.Fatalf("led to %q", h.Get("Location"))
	}
	return h.Get("Location")
}

// moved follows where a roster is led to when it is read otherwise.
func (d *desk) moved(to string) string {
	d.Helper()
	status, body, h := d.get(to)
	if h.Get("Location") == "" {
		d.Fatalf("%s: %d %.200s", to, status, body)
	}
	return h.Get("Location")
}

func TestARosterIsReadAsOneSays(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	raw, err := charmap.Macintosh.NewEncoder().String("School list;;\nname;mail;class\nIñigo Peña;inigo@aula.cerroalcor.example;Osa\n")
	if err != nil {
		t.Fatal(err)
	}
	at := d.rosterAt("variable-stars", raw)
	d.shows(at, "read as Windows-1252, Western Europe (guessed)", `name="head" type="number" min="0" max="20" value="2"`)
	at = d.moved(at + "&said=yes&charset=macintosh&head=2&column0=name&column1=address&column2=group")
	d.shows(at, "read as Mac Roman, older Macs.", "Iñigo Peña")
	at = d.moved(at + "&charset=macintosh&head=1")
	if body := d.shows(at, "2 rows of", "School list"); !strings.Contains(body, "<td>mail</td>") {
		t.Error("the second row is not one of people")
	}
	if to := d.moved(at + "&charset=utf-7"); to != at {
		t.Errorf("a charset that is none leads to %s", to)
	}
	d.shows(at, "nothing is known of the charset")
}

func TestColumnsCorrectedByHandAreRemembered(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	list := func(n int) string {
		return fmt.Sprintf("Pupil;Login;Room\nAda Sol %d;ada%d@aula.cerroalcor.example;Osa\n", n, n)
	}
	take := func(group string, n int) string {
		t.Helper()
		at := d.rosterAt(group, list(n))
		u, err := url.Parse(at)
		if err != nil {
			t.Fatal(err)
		}
		return u.Query().Get("take")
	}
	token := take("variable-stars", 1)
	if body := d.shows("/groups/variable-stars/roster?take="+token, "Room"); strings.Contains(body, "as you corrected them") {
		t.Error("it is remembered before it was corrected")
	}
	if status, _, _ := d.post("/groups/variable-stars/roster", "take", token, "said", "yes", "column0", "name", "column1", "address", "column2", "group", "teams", "yes"); status != 303 {
		t.Fatal(status)
	}
	for _, group := range []string{"variable-stars", "antlia"} { // in another group too
		body := d.shows("/groups/"+group+"/roster?take="+take(group, 2), "Its columns are taken as you corrected them last time.")
		if !strings.Contains(body, `<option value="group" selected>`) {
			t.Errorf("%s: the room is not taken for the group", group)
		}
	}
}

// The page of a group does not grow with it.
func TestTheViewOfALargeGroup(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	takeRoster(t, d, largeRoster(400))
	_, body, _ := d.get("/groups/variable-stars")
	if !strings.Contains(body, "411 people") || len(body) > 200_000 {
		t.Errorf("%d bytes", len(body))
	}
}

// A large roster comes in stretch by stretch: others change something between, and what was
// done is told.
func TestALargeRosterComesInStretches(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	const many = 2100
	count := func() int {
		return len(d.house.State().Policy.GroupMembers("variable-stars", access.At(d.house.Now())))
	}
	before := count()
	takeRoster(t, d, largeRoster(many))
	if count() < many || count() > before+many {
		t.Errorf("%d people of %d are in", count(), many)
	}
	var told []string
	entries, err := store.Ledger(t.Context(), d.db, store.LedgerFilter{Words: "roster came into"})
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		told = append(told, e.What)
	}
	if len(told) < 3 || !strings.Contains(told[0], "2001 to 2100 of 2100") {
		t.Errorf("%q", told)
	}
	is := count()
	takeRoster(t, d, largeRoster(many)) // again, and nothing is to be done
	if again, err := store.Ledger(t.Context(), d.db, store.LedgerFilter{Words: "roster came into"}); err != nil || len(again) > len(told)+1 || count() != is {
		t.Errorf("%d entries, %d people, %v", len(again), count(), err)
	}
	// those who are not on it any more leave, stretch by stretch too
	_, _, h := d.sendFor("/groups/variable-stars/roster", "file", "class.csv", []byte(largeRoster(100)))
	take := strings.TrimPrefix(h.Get("Location"), "/groups/variable-stars/roster?take=")
	columns := []string{"take", take, "said", "yes", "column0", "given", "column1", "family", "column2", "address", "column3", "group", "teams", "yes", "gone", "yes"}
	d.post("/groups/variable-stars/roster", columns...)
	d.post("/groups/variable-stars/roster", columns...) // once is enough
	for !strings.Contains(d.shows("/groups/variable-stars/roster/state?take="+take), "Go to the group") {
		time.Sleep(5 * time.Millisecond)
	}
	d.shows("/groups/variable-stars/roster?take="+take, "no longer there", "Go to the group")
	if n := count(); n != 100 {
		t.Errorf("%d are left", n)
	}
	if status, _, _ := d.another().signIn("pilar@cerroalcor.example").get("/groups/variable-stars/roster/state?take=" + take); status != 404 {
		t.Errorf("somebody else sees how far it is: %d", status)
	}
}

// Whoever is no steward any more adds nobody with a mailbox, also where their roster is on its way in.
func TestARosterAsksAnewWhoBringsIt(t *testing.T) {
	for _, many := range []int{3, 1100} { // at once, and in stretches
		d := openDesk(t)
		a, err := access.ParseAddress("pilar@cerroalcor.example")
		if err != nil {
			t.Fatal(err)
		}
		me := d.house.Actor(a)
		stewards := func(yes bool) error {
			return d.house.Change(t.Context(), house.Velada, house.Needs{}, func(tx *house.Tx) error {
				tx.Document().Person(string(me.Who)).Steward = yes
				return store.SaveKeepers(t.Context(), tx, "variable-stars", []store.Who{me.Who})
			})
		}
		var text strings.Builder
		text.WriteString("Name;E-mail\n")
		for i := range many {
			fmt.Fprintf(&text, "Somebody %d;s%d@mailbox.example\n", i, i)
		}
		sheet, err := roster.Read([]byte(text.String()), roster.Options{Head: -1})
		if err != nil {
			t.Fatal(err)
		}
		f := people.RosterForm{Sheet: sheet, Fields: sheet.Fields, Group: "variable-stars"}
		if err := stewards(true); err != nil {
			t.Fatal(err)
		}
		plan, err := people.PlanRoster(t.Context(), d.house, me, f)
		if err != nil || len(plan.New) != many || plan.InStretches() != (many > 1000) {
			t.Fatalf("%d new, %v", len(plan.New), err)
		}
		if err := stewards(false); err != nil {
			t.Fatal(err)
		}
		before := len(d.house.State().Policy.Document().People)
		err = people.TakeRoster(t.Context(), d.house, me, f, plan, func(int, int) {})
		if now := len(d.house.State().Policy.Document().People); now != before {
			t.Errorf("%d were added by who is no steward any more: %v", now-before, err)
		}
	}
}

// What a roster brought in before it was cut off is in, and the same roster brings in the rest.
func TestARosterThatIsCutOffIsGoneOnWith(t *testing.T) {
	d := openDesk(t)
	a, err := access.ParseAddress("ines@cerroalcor.example")
	if err != nil {
		t.Fatal(err)
	}
	me := d.house.Actor(a)
	sheet, err := roster.Read([]byte(largeRoster(1300)), roster.Options{Head: -1})
	if err != nil {
		t.Fatal(err)
	}
	f := people.RosterForm{Sheet: sheet, Fields: sheet.Fields, Group: "variable-stars", Teams: true}
	take := func(ctx context.Context, told func(done, of int)) (*people.RosterPlan, error) {
		plan, err := people.PlanRoster(t.Context(), d.house, me, f)
		if err != nil {
			t.Fatal(err)
		}
		return plan, people.TakeRoster(ctx, d.house, me, f, plan, told)
	}
	before := len(d.house.State().Policy.Document().People)
	added := func() int { return len(d.house.State().Policy.Document().People) - before }
	ctx, cut := context.WithCancel(t.Context())
	defer cut()
	if _, err := take(ctx, func(done, of int) { cut() }); err == nil || added() != 1000 {
		t.Fatalf("%d are in, %v", added(), err)
	}
	plan, err := take(t.Context(), func(int, int) {})
	if err != nil || plan.Changes() != 300 || added() != 1300 {
		t.Errorf("%d changes, %d are in, %v", plan.Changes(), added(), err)
	}
}
