package console

import (
	"slices"
	"strings"
	"testing"

	"velada/core/access"
	"velada/store"
)

// rules returns the house rules of the desk's house.
func (d *desk) rules() []access.HouseRule { return d.house.State().Policy.Document().Rules }

// A rule is seen first, then holds; a second of its kind changes nothing, and so does the end
// of one of the two.
func TestAHouseRuleIsSeenFirst(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	before := len(d.rules())
	set := []string{"rule", "sign-in-required", "scope", "except", "sites", "variable-stars", "sites", "new-dome", "sites", "instrument-log", "reason", "The council decided it."}
	status, body, _ := d.post("/house-rules", set...)
	if status != 200 || len(d.rules()) != before {
		t.Fatalf("%d, %d rules", status, len(d.rules()))
	}
	for _, wanted := range []string{"8 pages say that anyone may view it", "A stranger: a further step", "This breaks a promise", "Yes, I am sure", "Search engines are kept away"} {
		if !strings.Contains(body, wanted) {
			t.Errorf("what it does lacks %q", wanted)
		}
	}
	if _, body, _ := d.post("/house-rules", append(set, "meant", "yes")...); len(d.rules()) != before+1 {
		t.Fatalf("it is not set: %s", body)
	}
	d.shows("/house-rules", "Everyone signs in", "The council decided it.", "Inés Ortuño")
	d.shows("/sites/society", "House rule by Inés Ortuño: everyone signs in.")
	d.shows("/sites/society/door", "House rule “Everyone signs in”, set by Inés Ortuño", "nly those who sign in are let in by this")
	if _, body, _ := d.post("/house-rules", "rule", "sign-in-required", "scope", "only", "sites", "society"); !strings.Contains(body, "It changes nothing for anybody") {
		t.Error("a second of its kind is said to change something")
	}
	d.post("/house-rules", "rule", "sign-in-required", "scope", "only", "sites", "society", "meant", "yes")
	second := d.rules()[len(d.rules())-1].ID
	if _, body, _ := d.post("/house-rules/remove", "id", second); !strings.Contains(body, "Nobody gains or loses") {
		t.Error("the end of one of two is said to change something")
	}
	for field, bad := range map[string][]string{
		"Choose at least one site.":                  {"rule", "no-listing", "scope", "only"},
		"It would end before it begins.":             {"rule", "no-listing", "scope", "all", "from", "2 Jan 2027", "until", "1 Jan 2027"},
		"There is no site at nowhere.":               {"rule", "no-listing", "scope", "only", "sites", "nowhere"},
		"Choose where it applies.":                   {"rule", "no-listing"},
		"A reason has at most 300 letters":           {"rule", "no-listing", "scope", "all", "reason", strings.Repeat("long ", 80)},
		"This is no date and time, such as":          {"rule", "no-listing", "scope", "all", "until", "soon"},
		"name=\"reason\" type=\"text\" value=\"Kept": {"rule", "no-listing", "scope", "only", "reason", "Kept"},
	} {
		if status, body, _ := d.post("/house-rules", append(bad, "meant", "yes")...); status != 422 || !strings.Contains(body, field) {
			t.Errorf("%s: %d", field, status)
		}
	}
	if pilar := d.another().signIn("pilar@cerroalcor.example"); true {
		if status, _, _ := pilar.post("/house-rules", append(set, "meant", "yes")...); status != 404 {
			t.Errorf("somebody who is no steward sets a rule: %d", status)
		}
		pilar.shows("/house-rules", "Everyone signs in")
	}
}

// A rule that begins later is said to do something from then on.
func TestARuleOfTomorrowSaysWhen(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	_, body, _ := d.post("/house-rules", "rule", "sign-in-required", "scope", "only", "sites", "society", "from", "1 Dec 2099")
	if !strings.Contains(body, "From 1 Dec 2099:") || !strings.Contains(body, "A stranger: a further step") {
		t.Errorf("%s", body)
	}
}

// Whoever tries to work around a rule is told at the field, and may ask for an exception,
// which lands with the stewards beside what it would open.
func TestAnExceptionIsAskedForAndMade(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for _, rule := range []string{"house-domains-only", "inside-team-only"} {
		d.post("/house-rules", "rule", rule, "scope", "all", "meant", "yes")
	}
	d.post("/house-rules", "rule", "pass-must-end", "scope", "all", "meant", "yes")
	id := d.rules()[len(d.rules())-3].ID
	pilar := d.another().signIn("pilar@cerroalcor.example")
	at := func(path string, pairs ...string) (int, string) {
		status, body, _ := pilar.post("/sites/society/"+path, pairs...)
		return status, body
	}
	if status, body := at("door/add", "kind", "people", "list", "Mirela Stanciu"); status != 422 || !strings.Contains(body, "It keeps out Mirela Stanciu") && !strings.Contains(body, "it keeps out Mirela Stanciu") || !strings.Contains(body, "/sites/society/exception?rule="+id) {
		t.Errorf("a guest from outside: %d", status)
	}
	if status, body := at("door/pass", "action", "new", "label", "Press", "password", "quiet orbit lantern", "under", "/"); status != 422 || !strings.Contains(body, "wants an end date here") || !strings.Contains(body, "quiet orbit lantern") {
		t.Errorf("a password without an end: %d", status)
	}
	if status, body := at("passes/link", "label", "Press", "under", "/"); status != 422 || !strings.Contains(body, "wants an end date here") {
		t.Errorf("a link without an end: %d", status)
	}
	if status, body := at("team/invite", "list", "zoe@press.example", "role", "editor", "under", "/"); status != 422 || !strings.Contains(body, "counts no others on the team of Cerro Alcor Society") {
		t.Errorf("an outsider is invited: %d", status)
	}
	if status, body := at("exception", "rule", id, "word", " "); status != 422 || !strings.Contains(body, "Say why") {
		t.Errorf("no reason: %d", status)
	}
	if status, _ := at("exception", "rule", "nothing", "word", "Please"); status == 500 {
		t.Error("a rule that there is not")
	}
	at("exception", "rule", id, "word", "Everybody may read the society.")
	d.shows("/house-rules", "Everybody may read the society.", "8 pages open to strangers")
	notices, err := store.Notices(t.Context(), d.house.Reader(), "ines", 9)
	if err != nil || len(notices) == 0 || !strings.Contains(notices[0].What, "asks for an exception") {
		t.Errorf("the stewards are told: %+v %v", notices, err)
	}
	list, err := store.Exceptions(t.Context(), d.house.Reader())
	if err != nil || len(list) != 2 {
		t.Fatalf("%+v %v", list, err)
	}
	number := "2"
	if status, _, _ := pilar.post("/house-rules/exceptions", "id", number, "answer", "grant", "meant", "yes"); status != 404 {
		t.Errorf("she grants it herself: %d", status)
	}
	if _, body, _ := d.post("/house-rules/exceptions", "id", number, "answer", "grant"); !strings.Contains(body, "makes an exception of Cerro Alcor Society") || len(d.rules()[1].Sites.Except) > 0 {
		t.Error("granting is not seen first")
	}
	d.post("/house-rules/exceptions", "id", number, "answer", "grant", "meant", "yes")
	if i := slices.IndexFunc(d.rules(), func(r access.HouseRule) bool { return r.ID == id }); !slices.Equal(d.rules()[i].Sites.Except, []string{"society"}) {
		t.Errorf("%+v", d.rules())
	}
	d.post("/house-rules/exceptions", "id", "1", "answer", "decline", "word", "Set one for March, and we look again.")
	for who, wanted := range map[store.Who]string{"pilar": "makes an exception of Cerro Alcor Society, as you asked", "bram": "Inés Ortuño writes: Set one for March"} {
		notices, err := store.Notices(t.Context(), d.house.Reader(), who, 9)
		if err != nil || len(notices) == 0 || !strings.Contains(notices[0].What, wanted) {
			t.Errorf("%s is not told: %+v %v", who, notices, err)
		}
	}
}

// Stewards are made and unmade on Settings; the last one stays.
func TestStewardsAreSetOnSettings(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	if status, body, _ := d.post("/settings/stewards", "who", "nobody of them"); status != 422 || !strings.Contains(body, "Name one person") {
		t.Errorf("%d", status)
	}
	if _, body, _ := d.post("/settings/stewards", "who", "Pilar Quintero"); !strings.Contains(body, "Pilar Quintero becomes a steward") || d.steward("pilar") {
		t.Error("it is not seen first")
	}
	d.post("/settings/stewards", "remove", "ines", "meant", "yes")
	if !d.steward("ines") {
		t.Error("the last steward is gone")
	}
	d.post("/settings/stewards", "who", "Pilar Quintero", "meant", "yes")
	d.post("/settings/stewards", "remove", "ines", "meant", "yes")
	if !d.steward("pilar") || d.steward("ines") {
		t.Error("the house is not handed over")
	}
}

// steward reports whether a person looks after the house.
func (d *desk) steward(id string) bool {
	return slices.ContainsFunc(d.house.State().Policy.Document().People, func(p access.Person) bool { return p.ID == id && p.Steward })
}
