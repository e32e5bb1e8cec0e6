package console

import (
	"encoding/csv"
	"slices"
	"strconv"
	"strings"
	"testing"

	"velada/core/access"
	"velada/house"
	"velada/store"
)

// table reads a list as a table, and returns the column with a head.
func (d *desk) table(path, head string) (cells []string) {
	d.Helper()
	status, body, h := d.get(path)
	rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
	if status != 200 || err != nil || !strings.HasPrefix(h.Get("Content-Type"), "text/csv") || !strings.HasSuffix(h.Get("Content-Disposition"), `.csv"`) {
		d.Fatalf("%s: %d, %v, %v", path, status, err, h)
	}
	at := slices.Index(rows[0], head)
	for _, row := range rows[1:] {
		cells = append(cells, row[at])
	}
	return cells
}

// What a list finds is counted, stands in the order that is asked for, and is a table too.
func TestListsAreSearchedSortedAndTaken(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/people?find=katya+c", "1 person<", `href="/people?as=csv&amp;find=katya`)
	names := d.table("/people?as=csv&sort=name", "Name")
	if len(names) < 60 || !slices.IsSortedFunc(names, func(a, b string) int { return strings.Compare(strings.ToLower(a), strings.ToLower(b)) }) {
		t.Errorf("%d names, %v", len(names), names[:5])
	}
	if last := d.table("/people?as=csv&sort=new", "Name"); last[0] != d.table("/people?as=csv", "Name")[len(names)-1] {
		t.Error("those who were added last are not first")
	}
	for path, want := range map[string]int{
		"/people?as=csv&find=katya+c": 1, "/sites?as=csv&find=dome": 1, "/ledger?as=csv&find=nothing+of+the+kind": 0, "/outbox?as=csv&find=nobody.at.all": 0,
		"/sites/society/members.csv?find=nobody+at+all": 0, "/sites/society/members.csv?of=comments&find=nobody+at+all": 0, "/traffic?as=csv&find=dome": 1, "/sites/society/editions?as=csv&find=nothing+such": 0,
	} {
		head := "Name"
		switch {
		case strings.HasPrefix(path, "/sites?"), strings.HasPrefix(path, "/traffic"):
			head = "Address"
		case strings.HasPrefix(path, "/ledger"):
			head = "what"
		case strings.HasPrefix(path, "/outbox"), strings.Contains(path, "editions"):
			head = "When"
		}
		if got := d.table(path, head); len(got) != want {
			t.Errorf("%s: %q", path, got)
		}
	}
	if all := d.table("/sites/society/editions?as=csv&sort=old", "Number"); len(all) < 2 || !slices.IsSorted(all) {
		t.Errorf("editions: %v", all)
	}
	d.shows("/groups/antlia?find=katya&sort=name", "Katya", "1 person<")
	d.shows("/people?groups=antlia", "Crew Antlia")
	if body := d.shows("/people?groups=no+such", "No group is called that."); strings.Contains(body, ">Crew Antlia<") {
		t.Error("groups are not searched")
	}
	d.shows("/ledger?find=zzz", "Nothing matches.")
	d.shows("/traffic?find=dome&sort=turned", "1 site<")
}

// All that a list finds is chosen at once, and what is shown is what is done.
func TestAllThatIsFoundIsChosen(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	at := func() *access.Site { return d.house.State().SiteDocument("society") }
	count := func(status string) (n int) {
		for _, m := range at().Members {
			if m.Status == status {
				n++
			}
		}
		return n
	}
	seenIn := func(body string) string {
		_, rest, _ := strings.Cut(body, `name="seen" value="`)
		mark, _, _ := strings.Cut(rest, `"`)
		if mark == "" {
			t.Fatalf("nothing says what was seen:\n%s", body)
		}
		return mark
	}
	approved := count("approved")
	d.shows("/sites/society/members/list?find=a&sort=name", `name="status" value="approved"`)
	_, body, _ := d.post("/sites/society/members", "change", "block", "all", "yes", "status", "approved", "find", "a", "sort", "name")
	if count("approved") != approved {
		t.Fatal("it was done before it was seen")
	}
	seen := seenIn(body)
	if strings.Contains(body, `name="who"`) {
		t.Error("everybody is named in the form")
	}
	d.post("/sites/society/members", "change", "block", "all", "yes", "status", "approved", "find", "b", "sort", "name", "seen", seen, "meant", "yes")
	d.shows("/sites/society/members", "The list has changed since you looked")
	if count("approved") != approved {
		t.Fatal("others than those that were seen were blocked")
	}
	// members of the team are among them: nobody is blocked then
	d.post("/sites/society/members", "change", "remove", "all", "yes", "status", "approved", "find", "a", "sort", "name", "seen", seen, "meant", "yes")
	if left := d.table("/sites/society/members.csv?find=a", "Status"); count("approved") >= approved || slices.Contains(left, "approved") {
		t.Errorf("%d of %d are left, %q", count("approved"), approved, left)
	}

	_, body, _ = d.post("/put-in-group", "into", "Crew Antlia", "all", "yes", "find", "okafor")
	seen = seenIn(body)
	_, body, _ = d.post("/put-in-group", "into", "Crew Antlia", "all", "yes", "find", "", "seen", seen, "meant", "yes")
	d.shows("/people", "The list has changed since you looked")
	d.post("/put-in-group", "into", "Crew Antlia", "all", "yes", "find", "okafor", "seen", seen, "meant", "yes")
	if !d.inGroup("antlia", "tobias") {
		t.Error("who was found is not in the group", body)
	}
	for _, pairs := range [][]string{{"into", "Crew Antlia"}, {"into", "No Such Group", "all", "yes"}} {
		if status, _, _ := d.post("/put-in-group", pairs...); status != 303 {
			t.Errorf("%v: %d", pairs, status)
		}
	}
}

// Comments are approved and removed many at once.
func TestManyCommentsAtOnce(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	id := d.house.State().ID("society")
	who := d.house.State().SiteDocument("society").Members[0].Who
	err := d.house.Change(t.Context(), house.Velada, house.Needs{}, func(tx *house.Tx) error {
		for i := range 70 {
			c := store.Comment{Site: id, Path: "/members", Person: who, At: tx.Now(), Status: []string{"held", "shown"}[i%2], Text: "Clear skies over there."}
			if err := store.SaveComment(t.Context(), tx, &c, tx.Now()); err != nil {
				return err
			}
		}
		tx.Renew(id, house.Comments)
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	count := func(status string) (n int) {
		for _, c := range d.house.State().Site("society").Comments["/members"] {
			if c.Status == status && strings.Contains(c.Text, "Clear skies") {
				n++
			}
		}
		return n
	}
	here := "/sites/society/members/comments"
	d.shows(here+"?find=clear+skies&which=held", "35 comments<", "Clear skies")
	d.shows(here+"?find=clear+skies&sort=old", "70 comments<", `name="all"`)
	if len(d.table("/sites/society/members.csv?of=comments&find=clear+skies&which=shown", "Text")) != 35 {
		t.Error("the table has others than the list")
	}
	_, body, _ := d.post(here, "action", "show", "all", "yes", "find", "clear skies")
	if !strings.Contains(body, "Approve 35 comments") || count("held") != 35 {
		t.Fatalf("%d wait: %s", count("held"), body)
	}
	_, rest, _ := strings.Cut(body, `name="seen" value="`)
	seen, _, _ := strings.Cut(rest, `"`)
	d.post(here, "action", "remove", "all", "yes", "find", "clear skies", "seen", seen, "meant", "yes")
	d.shows(here, "The list has changed since you looked")
	d.post(here, "action", "show", "all", "yes", "find", "clear skies", "seen", seen, "meant", "yes")
	if count("held") != 0 || count("shown") != 70 {
		t.Errorf("%d wait, %d are shown", count("held"), count("shown"))
	}
	d.post(here, "action", "remove")
	d.shows(here, "Choose at least one of them.")
}

// What is chosen by an id that is another site's, or nobody's, is not done.
func TestWhatIsChosenIsOfThisSite(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	was := d.house.State()
	comment := was.Site("society").Comments["/members"][0]
	d.post("/sites/variable-stars/members/comments", "action", "remove", "ids", strconv.FormatInt(comment.ID, 10), "seen", "x", "meant", "yes")
	_, body, _ := d.post("/sites/variable-stars/members/comments", "action", "remove", "ids", strconv.FormatInt(comment.ID, 10))
	_, rest, _ := strings.Cut(body, `name="seen" value="`)
	seen, _, _ := strings.Cut(rest, `"`)
	d.post("/sites/variable-stars/members/comments", "action", "remove", "ids", strconv.FormatInt(comment.ID, 10), "seen", seen, "meant", "yes")
	d.post("/sites/variable-stars/members/comments", "action", "remove", "id", strconv.FormatInt(comment.ID, 10))
	d.post("/put-in-group", "into", "Crew Antlia", "who", "nobody-at-all", "meant", "yes")
	d.shows("/people", "That does not go together")
	d.post("/sites/variable-stars/members", "who", was.SiteDocument("society").Members[0].Who, "change", "block", "meant", "yes")
	is := d.house.State()
	if !slices.ContainsFunc(is.Site("society").Comments["/members"], func(c store.Comment) bool { return c.ID == comment.ID }) {
		t.Error("a comment of another site was removed")
	}
	if is.Policy != was.Policy {
		t.Error("something was changed")
	}
	// a keeper of a group puts nobody into another, and chooses nobody from the whole house
	if status, _, _ := d.another().signIn("pilar@cerroalcor.example").post("/put-in-group", "into", "Crew Antlia", "all", "yes", "find", ""); status != 404 {
		t.Errorf("who is no steward: %d", status)
	}
}
