package console

import (
	"html"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"velada/core/access"
	"velada/store"
)

// keyOfFinding returns the key of a finding on a view, by its title.
func keyOfFinding(t *testing.T, body, title string) string {
	t.Helper()
	for _, m := range regexp.MustCompile(`href="/rounds\?find=([^"]+)">([^<]+)<`).FindAllStringSubmatch(body, -1) {
		if strings.Contains(html.UnescapeString(m[2]), title) {
			key, err := url.QueryUnescape(html.UnescapeString(m[1]))
			if err != nil {
				t.Fatal(err)
			}
			return key
		}
	}
	t.Fatalf("nothing is called %s", title)
	return ""
}

func TestRoundsShowWhatNeedsAttention(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	body := d.shows("/rounds", "A promise is broken", "Let the group Council in", "too easy to guess", "Strangers open a page of a site that is shut to them", "A way in changes nothing", "A link leads nowhere", "/autumn", "There is one steward only", "Looked at just now")
	if n := strings.Count(body, `class="gravity"`); n < 6 || n > 12 {
		t.Errorf("%d findings in the demo", n)
	}
	d.shows("/sites/dossier", "A promise is broken", "/rounds/mend")
	pilar := d.another().signIn("pilar@cerroalcor.example")
	mine := pilar.shows("/rounds", "too easy to guess")
	for _, of := range []string{"one steward", "Variable Stars", "Instrument Log"} {
		if strings.Contains(mine, of) {
			t.Errorf("Pilar reads of %s", of)
		}
	}
	if status, _, _ := pilar.get("/rounds?site=variable-stars"); status != 404 {
		t.Errorf("of a site that is none of hers: %d", status)
	}
	key := keyOfFinding(t, body, "one steward")
	if status, body, _ := pilar.post("/rounds/leave", "key", key, "reason", "Mine"); status != 303 || strings.Contains(body, "Left as it is") {
		t.Errorf("%d", status)
	}
	d.shows("/rounds", "There is one steward only")
}

// Mending is a rehearsal: nothing changes before it is applied, and then the finding is gone.
func TestMendingIsRehearsed(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	key := keyOfFinding(t, d.shows("/rounds"), "A promise is broken")
	d.shows("/rounds?find="+url.QueryEscape(key), "Adds the group Council", "8 of 8 kept")
	_, _, h := d.post("/rounds/mend", "key", key)
	if h.Get("Location") != "/sites/dossier/rehearsal" || len(d.siteDoor("dossier").Ways) != 1 || len(d.draft("dossier").Door.Ways) != 2 {
		t.Fatalf("%s %+v", h.Get("Location"), d.draft("dossier").Door)
	}
	d.post("/sites/dossier/rehearsal/apply")
	if body := d.shows("/rounds"); strings.Contains(body, "A promise is broken") {
		t.Error("it is still broken")
	}
	key = keyOfFinding(t, d.shows("/rounds"), "Strangers open a page")
	promises := len(d.house.State().Policy.Document().Promises)
	if _, body, _ := d.post("/rounds/mend", "key", key); !strings.Contains(body, "Promises that strangers can open") || len(d.house.State().Policy.Document().Promises) != promises {
		t.Error("a promise is not seen first")
	}
	d.post("/rounds/mend", "key", key, "meant", "yes")
	if len(d.house.State().Policy.Document().Promises) != promises+1 {
		t.Error("the promise is not made")
	}
	editor := d.another().signIn("jonas@cerroalcor.example") // who publishes the dossier
	key = keyOfFinding(t, editor.shows("/rounds"), "too easy to guess")
	if status, _, _ := editor.post("/rounds/mend", "key", key); status != 303 {
		t.Errorf("%d", status)
	}
	key = keyOfFinding(t, d.shows("/rounds"), "A way in changes nothing")
	before := len(d.siteDoor("variable-stars").Ways)
	if status, _, h := d.another().signIn("aiko@cerroalcor.example").post("/rounds/mend", "key", key); status != 403 || len(d.siteDoor("variable-stars").Ways) != before {
		t.Errorf("a publisher mends a door: %d %s", status, h.Get("Location"))
	}
}

// What is left as it is stays away until the thing changes, with a reason that others read.
func TestLeavingAFindingAsItIs(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	key := keyOfFinding(t, d.shows("/rounds"), "too easy to guess")
	if status, body, _ := d.post("/rounds/leave", "key", key, "reason", " "); status != 422 || !strings.Contains(body, "Say why") {
		t.Errorf("%d", status)
	}
	if status, _, _ := d.another().signIn("jonas@cerroalcor.example").post("/rounds/leave", "key", "weak-password nowhere x", "reason", "x"); status != 303 {
		t.Errorf("what there is not: %d", status)
	}
	d.post("/rounds/leave", "key", key, "reason", "They asked for one that they can say.")
	body := d.shows("/rounds", "They asked for one that they can say.", "Left as it is, lately", "1 left as they are")
	if strings.Contains(body, "too easy to guess</a>") {
		t.Error("it is told of again")
	}
	d.shows("/ledger", "Left as it is: The password “Hollis Trust” is too easy to guess. They asked")
	d.post("/rounds/again", "key", key)
	if body := d.shows("/rounds"); strings.Contains(body, "Left as it is, lately") || !strings.Contains(body, "too easy to guess") {
		t.Error("it is not looked after again")
	}
	way := keyOfFinding(t, d.shows("/rounds"), "A way in changes nothing")
	d.post("/rounds/leave", "key", way, "reason", "It says who is meant.")
	if body := d.shows("/rounds"); strings.Contains(body, "A way in changes nothing</a>") {
		t.Error("it is told of again")
	}
	if err := rehearseDoor(d, "variable-stars", func(ways []access.Way) []access.Way {
		ways[0].Domains = append(ways[0].Domains, "lens.example")
		return ways
	}); err != nil {
		t.Fatal(err)
	}
	d.shows("/rounds", "A way in changes nothing</a>")
}

// rehearseDoor changes the ways of a site's door, and applies that.
func rehearseDoor(d *desk, site string, change func(ways []access.Way) []access.Way) error {
	ines, _ := d.house.ActorOf("ines")
	err := d.house.Trays.Rehearse(d.Context(), ines, site, func(draft *access.Site, _ map[string]store.NewSecret) error {
		draft.Door.Ways = change(slices.Clone(draft.Door.Ways))
		return nil
	})
	if err == nil {
		err = d.house.Trays.Apply(d.Context(), ines, site, true)
	}
	return err
}
