package main

import (
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"
)

// asksMachine are the files of tests that ask the machine for its time, how often, and what for.
// A test takes the house's time otherwise, which it sets: it runs alike on every day.
var asksMachine = map[string]struct {
	times int
	why   string
}{
	"cmd/velada/behind_neighbour_test.go": {2, "deadlines"},
	"cmd/velada/https_test.go":            {6, "deadlines, and certificates, which end by the real clock"},
	"cmd/velada/leaks_test.go":            {4, "houses with nothing in them that is dated"},
	"cmd/velada/neighbours_test.go":       {2, "a certificate"},
	"cmd/velada/proxies_test.go":          {1, "a house with nothing in it that is dated"},
	"console/entering_test.go":            {2, "codes of a second step, which count by the real clock"},
	"console/leaks_test.go":               {5, "sign-ins, which end by the real clock"},
	"gate/pace_test.go":                   {3, "a time of the test's own, see testing/synctest"},
	"identity/throttle_test.go":           {5, "a time of the test's own, see testing/synctest"},
	"house/sessions_test.go":              {1, "sign-ins go by the machine's"},
	"core/content/bounds_test.go":         {2, "how long something may take"},
	"e2e/people.test.mjs":                 {1, "codes of a second step"},
	"gate/gate_test.go":                   {3, "tickets, which count by the real clock"},
	"gate/leaks_test.go":                  {1, "deadlines"},
	"gate/wire_test.go":                   {1, "deadlines"},
	"house/invitation_test.go":            {1, "codes of a second step"},
	"house/migrate_test.go":               {1, "a house that does not open"},
	"house/rehearsal_test.go":             {1, "a house that was ended"},
	"house/site_leaks_test.go":            {2, "how long something may take"},
	"house/throttle_test.go":              {1, "throttles, which count by the real clock"},
	"identity/provider_test.go":           {1, "tokens, whose ends are relative to it"},
	"post/post_test.go":                   {2, "the date of a letter, which is not looked at"},
	"store/plan_test.go":                  {1, "an argument of queries that are only explained"},
}

var askingMachine = regexp.MustCompile(`\btime\.Now\b|\bnew Date\(\)|\bDate\.now\b`)

func TestTestsDoNotAskTheMachineWhatDayItIs(t *testing.T) {
	list, err := exec.Command("git", "-C", "../..", "ls-files", "-co", "--exclude-standard", "*_test.go", "demo/demotest/*.go", "e2e/*.mjs").Output()
	if err != nil {
		t.Fatal(err)
	}
	for name := range strings.FieldsSeq(string(list)) {
		text, err := os.ReadFile("../../" + name)
		if os.IsNotExist(err) || name == "cmd/velada/clock_test.go" {
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		if is, may := len(askingMachine.FindAll(text, -1)), asksMachine[name].times; is != may {
			t.Errorf("%s asks the machine for its time %d times, not %d as is written down here: use the house's", name, is, may)
		}
	}
}
