package console

import (
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"

	"velada/core/access"
)

// keyOfLane returns the key under which a view of the calendar draws a lane, by its name.
func keyOfLane(body, name string) string {
	for _, lane := range regexp.MustCompile(`(?s)data-key="([^"]+)" data-site="[^"]*".*?</g>`).FindAllStringSubmatch(body, -1) {
		if strings.Contains(lane[0], name) {
			return lane[1]
		}
	}
	return ""
}

func TestTheCalendarShowsWhatOneMayKnow(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/calendar", "Variable Stars class", "Password “Show night panel”", "Maintenance, every Tuesday 02:00–04:00", "Coming soon page", "promise broken from here", "House rule: records after signing in")
	d.shows("/calendar?as=list", "broken from here", "1 Dec 2026 02:00")
	d.shows("/sites/variable-stars/calendar?show=people", "Everyone in Crew Antlia, editor")
	if body := d.shows("/sites/variable-stars/calendar?show=people"); strings.Contains(body, "Password “Show night panel”") {
		t.Error("a password is among the people")
	}
	if body := d.shows("/calendar?q=builders&span=term"); strings.Contains(body, "Show night") || !strings.Contains(body, "Builders") {
		t.Error("the search finds something else")
	}
	d.shows("/calendar?from=2027-03-01&span=2", "March")
	bram := d.another().signIn("bram@cerroalcor.example")
	body := bram.shows("/calendar", "Coming soon page")
	for _, of := range []string{"Show night panel", "Variable Stars", "Council", "Founders"} {
		if strings.Contains(body, of) {
			t.Errorf("an owner of another site reads of %s", of)
		}
	}
	if status, _, _ := bram.get("/sites/dossier/calendar"); status != 404 {
		t.Errorf("of another site: %d", status)
	}
	if status, _, _ := d.another().signIn("tobias@lens.example").get("/calendar"); status != 404 {
		t.Errorf("somebody who looks after nothing: %d", status)
	}
}

// An end that is moved is rehearsed, by the right of whoever moves it.
func TestAnEndThatIsMovedIsRehearsed(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	key := keyOfLane(d.shows("/sites/variable-stars/calendar"), "Guest list")
	move := []string{"site", "variable-stars", "key", key, "edge", "until", "days", "3", "hours", "-2", "back", "/sites/variable-stars/calendar"}
	if status, _, _ := d.another().signIn("aiko@cerroalcor.example").post("/calendar/move", move...); status != 403 {
		t.Errorf("a publisher moves an end of a door: %d", status)
	}
	if status, _, _ := d.another().signIn("bram@cerroalcor.example").post("/calendar/move", move...); status != 404 {
		t.Errorf("somebody of another site: %d", status)
	}
	status, _, h := d.post("/calendar/move", move...)
	if status != http.StatusSeeOther || h.Get("Location") != "/sites/variable-stars/calendar" {
		t.Fatalf("%d %s", status, h.Get("Location"))
	}
	i := slices.IndexFunc(d.draft("variable-stars").Door.Ways, func(w access.Way) bool { return w.Way == "people" })
	if until := d.draft("variable-stars").Door.Ways[i].Until.String(); until != "2026-12-21T20:00:00Z" {
		t.Errorf("until %s", until)
	}
	if until := d.siteDoor("variable-stars").Ways[i].Until.String(); until != "2026-12-18T22:00:00Z" {
		t.Errorf("it is applied at once: %s", until)
	}
	d.shows("/sites/variable-stars/calendar", "Changes not applied yet", `class="lane outline"`)
	if status, _, _ := d.post("/calendar/move", move...); status != http.StatusSeeOther {
		t.Errorf("%d", status)
	}
	d.shows("/sites/variable-stars/calendar", "This was changed meanwhile")
	for _, bad := range [][]string{{"days", "x"}, {"days", "99999999"}, {"hours", "40"}} {
		values := slices.Clone(move)
		values[slices.Index(values, bad[0])+1] = bad[1]
		if status, _, _ := d.post("/calendar/move", values...); status >= 500 {
			t.Errorf("%v: %d", bad, status)
		}
	}
	if _, body, _ := d.post("/calendar/move", "key", "group:variable-stars", "edge", "until", "days", "-30", "hours", "0"); !strings.Contains(body, "Variable Stars class ends on 18 Nov 2026") || !strings.Contains(body, "Can open less") {
		t.Error("what an earlier end of a group does is not seen first")
	}
	if status, _, _ := d.another().signIn("aiko@cerroalcor.example").post("/calendar/move", "key", "group:variable-stars", "edge", "until", "days", "-30", "hours", "0", "meant", "yes"); status != 404 {
		t.Errorf("no steward: %d", status)
	}
}

// A secret address tells what its owner may know, and nothing once it is turned off, made
// anew, or its owner is blocked.
func TestASecretAddressOfTheCalendar(t *testing.T) {
	d := openDesk(t).signIn("aiko@cerroalcor.example")
	address := regexp.MustCompile(`/calendar/of/[\w-]+\.ics`)
	made := func() string {
		t.Helper()
		d.post("/calendar/address", "action", "make")
		at := address.FindString(d.shows("/calendar/exchange"))
		if at == "" || address.MatchString(d.shows("/calendar/exchange")) {
			t.Fatal("the address is not shown once")
		}
		return at
	}
	program := d.another()
	first := made()
	status, body, _ := program.get(first)
	if status != 200 || !strings.Contains(body, "BEGIN:VCALENDAR") || !strings.Contains(body, "Show night") || strings.Contains(body, "Builders") || strings.Contains(body, "Council") {
		t.Errorf("%d %s", status, body)
	}
	second := made()
	if status, _, _ := program.get(first); status != 404 {
		t.Errorf("the old address: %d", status)
	}
	for _, none := range []string{"/calendar/of/nothing.ics", "/calendar/of/.ics", strings.TrimSuffix(second, ".ics")} {
		if status, _, _ := program.get(none); status != 404 {
			t.Errorf("%s: %d", none, status)
		}
	}
	ines := d.another().signIn("ines@cerroalcor.example")
	ines.post("/people/aiko", "name", "Aiko Tanabe", "address", "aiko@cerroalcor.example", "blocked", "yes", "meant", "yes")
	if status, _, _ := program.get(second); status != 404 {
		t.Errorf("of somebody blocked: %d", status)
	}
	ines.post("/people/aiko", "name", "Aiko Tanabe", "address", "aiko@cerroalcor.example", "meant", "yes")
	d = d.another().signIn("aiko@cerroalcor.example")
	third := made()
	if status, _, _ := program.get(third); status != 200 {
		t.Errorf("made again: %d", status)
	}
	d.post("/calendar/address", "action", "end")
	if status, _, _ := program.get(third); status != 404 {
		t.Errorf("turned off: %d", status)
	}
}

// A calendar file proposes; nothing holds before it was seen and applied.
func TestACalendarFileProposes(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	file := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//EN\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Works\r\nDTSTART:20261203T020000\r\nDTEND:20261203T030000\r\nRRULE:FREQ=WEEKLY;COUNT=3\r\nEND:VEVENT\r\n" +
		"BEGIN:VEVENT\r\nUID:2\r\nSUMMARY:Monthly\r\nDTSTART:20261203T020000\r\nDTEND:20261203T030000\r\nRRULE:FREQ=MONTHLY\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	status, body := d.send("/sites/society/calendar/read", "file", "works.ics", []byte(file))
	if status != 200 || !strings.Contains(body, "Every Thursday from 02:00 to 03:00, the first time on 3 Dec 2026") || !strings.Contains(body, "line 12") && !strings.Contains(body, "line 11") || !strings.Contains(body, "FREQ=MONTHLY cannot be expressed") {
		t.Fatalf("%d %s", status, body)
	}
	if status, body := d.send("/calendar/read", "file", "works.ics", []byte("nothing")); status != 422 || !strings.Contains(body, "This is no calendar file") {
		t.Errorf("%d", status)
	}
	propose := []string{"target", "holding:society", "from", "2026-12-03T01:00:00Z", "until", "2026-12-03T02:00:00Z", "every", "1", "unit", "week", "last", "2026-12-18T00:00:00+01:00"}
	if status, _, _ := d.another().signIn("jonas@cerroalcor.example").post("/sites/society/calendar/propose", propose...); status != 403 {
		t.Errorf("an editor proposes maintenance: %d", status)
	}
	d.post("/sites/society/calendar/propose", propose...)
	if h := d.draft("society").Holding; !h.On || h.Repeat == nil || h.Repeat.Unit != "week" || d.house.State().SiteDocument("society").Holding.On {
		t.Errorf("%+v", h)
	}
	d.shows("/sites/society/holding", "Changes not applied yet")
	if _, body, _ := d.post("/calendar/propose", "target", "group:council", "from", "2026-12-03T01:00:00Z", "until", "2026-12-20T02:00:00Z"); !strings.Contains(body, "The group Council holds 3 Dec 2026 02:00 to 20 Dec 2026 03:00") {
		t.Error("a term is not seen first")
	}
	for _, bad := range [][]string{{"target", "x:y", "from", "2026-12-03T01:00:00Z", "until", "2026-12-20T02:00:00Z"}, {"target", "holding:society", "from", "x"}, {"target", "holding:none", "from", "2026-12-03T01:00:00Z", "until", "2026-12-20T02:00:00Z"}} {
		if status, _, _ := d.post("/calendar/propose", bad...); status != 404 {
			t.Errorf("%v: %d", bad, status)
		}
	}
}

// What cannot be is said of the thing that was moved.
func TestAMoveThatCannotBeNamesTheThing(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.post("/sites/dossier/door/pass", "action", "new", "label", "Short", "password", "quartz beacon lantern", "under", "/", "from", "2026-12-01T10:00", "until", "2026-12-02T10:00")
	key := keyOfLane(d.shows("/sites/dossier/calendar"), "Short")
	d.post("/calendar/move", "site", "dossier", "key", key, "edge", "until", "days", "-2", "hours", "0", "back", "/sites/dossier/calendar")
	body := d.shows("/sites/dossier/calendar", "Founders Fund Dossier, the password “Short”: it would end on 30 Nov 2026 10:00 and begin on 1 Dec 2026 10:00.")
	if strings.Contains(body, "passes[") {
		t.Error("a move that cannot be is said of a place in the document")
	}
}
