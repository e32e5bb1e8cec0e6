package console

import (
	"crypto/sha256"
	"database/sql"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"

	"velada/core/access"
	"velada/house"
	"velada/store"
)

// holds is a mark of what each table of the database holds, but for what a browser's session does.
func holds(t testing.TB, db *sql.DB) map[string][32]byte {
	t.Helper()
	rows, err := db.QueryContext(t.Context(), `SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT IN ('sessions', 'sign_ins')`)
	if err != nil {
		t.Fatal(err)
	}
	var tables []string
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			t.Fatal(err)
		}
		tables = append(tables, name)
	}
	rows.Close()
	marks := map[string][32]byte{}
	for _, table := range tables {
		marks[table] = tableMark(t, db, table)
	}
	return marks
}

func tableMark(t testing.TB, db *sql.DB, table string) [32]byte {
	t.Helper()
	rows, err := db.QueryContext(t.Context(), `SELECT * FROM "`+table+`"`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	columns, err := rows.Columns()
	if err != nil {
		t.Fatal(err)
	}
	var lines []string
	for rows.Next() {
		values := make([]any, len(columns))
		for i := range values {
			values[i] = new(any)
		}
		if err := rows.Scan(values...); err != nil {
			t.Fatal(err)
		}
		line := ""
		for _, v := range values {
			line += fmt.Sprintf("%v|", *v.(*any))
		}
		lines = append(lines, line)
	}
	slices.Sort(lines)
	return sha256.Sum256([]byte(strings.Join(lines, "\n")))
}

// What only shows what it would do writes nothing and sends nothing, whatever it is.
func TestPreviewsWriteNothing(t *testing.T) {
	d := openDesk(t)
	d.signIn("ines@cerroalcor.example")
	var waiting string
	for _, m := range d.house.State().SiteDocument("society").Members {
		if m.Status == "pending" {
			waiting = m.Who
		}
	}
	approved := []string{}
	for _, m := range d.house.State().SiteDocument("society").Members {
		if m.Status == "approved" {
			approved = append(approved, m.Who)
		}
	}
	if waiting == "" || len(approved) == 0 {
		t.Fatal("the demo has no members to preview changes of")
	}
	members := func(who, change string) []string {
		return []string{"/sites/society/members", "who", who, "change", change, "word", "Hello"}
	}
	person := func(pairs ...string) []string {
		return append([]string{"/people/aiko", "name", "Aiko Tanabe", "address", "aiko@cerroalcor.example"}, pairs...)
	}
	d.post("/house-rules", "rule", "records-need-sign-in", "scope", "only", "sites", "society", "meant", "yes")
	rule := d.house.State().Policy.Document().Rules[0].ID
	for _, c := range []struct {
		what  string
		pairs []string
		says  string
	}{
		{"approving", members(waiting, "admit"), `name="meant"`},
		{"declining", members(waiting, "refuse"), `name="meant"`},
		{"blocking", members(approved[0], "block"), `name="meant"`},
		{"removing", members(approved[0], "remove"), `name="meant"`},
		{"all that a search finds", []string{"/sites/society/members", "change", "block", "all", "yes", "status", "approved", "find", "", "sort", "name"}, `name="meant"`},
		{"into a group", []string{"/sites/society/members", "who", approved[0], "change", "group", "group", "Crew Antlia"}, `name="meant"`},
		{"a person changed", person("blocked", "yes"), `name="meant"`},
		{"another address", []string{"/people/aiko", "name", "Aiko Tanabe", "address", "aiko.t@cerroalcor.example"}, `name="meant"`},
		{"a steward", person("steward", "yes"), `name="meant"`},
		{"a new person", []string{"/people", "name", "Somebody New", "address", "somebody@cerroalcor.example"}, `name="meant"`},
		{"leaving the house", []string{"/people/aiko/leave"}, `name="meant"`},
		{"merging", []string{"/people/aiko/merge", "with", "bram@cerroalcor.example", "stands", "this"}, `name="meant"`},
		{"into a group, a person", []string{"/people/aiko/group", "into", "Crew Antlia"}, `name="meant"`},
		{"a rule", []string{"/house-rules", "rule", "sign-in-required", "scope", "all"}, `name="meant"`},
		{"a rule removed", []string{"/house-rules/remove", "id", rule}, `name="meant"`},
		{"a group changed", []string{"/groups/antlia", "name", "Crew Antlia", "until", "30 Nov 2026"}, `name="meant"`},
		{"a group deleted", []string{"/groups/antlia/delete"}, `name="meant"`},
		{"people put in", []string{"/groups/antlia/people", "list", "bram@cerroalcor.example"}, `name="meant"`},
		{"many put in", []string{"/put-in-group", "into", "Crew Antlia", "all", "yes", "find", "okafor"}, `name="meant"`},
		{"a roster", []string{"/groups/antlia/roster", "text", "name,address\nNew One,new.one@cerroalcor.example\n"}, "new.one"},
		{"unpublishing", []string{"/sites/society/unpublish"}, `name="meant"`},
		{"search engines", []string{"/sites/society/settings/search-engines", "listing", "no"}, `name="meant"`},
		{"a move in the calendar", []string{"/calendar/move", "key", "group:variable-stars", "edge", "until", "days", "-30", "hours", "0"}, `name="meant"`},
		{"the house", []string{"/settings", "name", "Cerro Otro", "zone", "Europe/Lisbon", "domains", "cerroalcor.example"}, `name="meant"`},
		{"stewards", []string{"/settings/stewards", "who", "aiko@cerroalcor.example"}, `name="meant"`},
	} {
		before, policy := holds(t, d.db), d.house.State()
		status, body, h := d.post(c.pairs[0], c.pairs[1:]...)
		if strings.Contains(h.Get("Location"), "/roster?take=") { // where it is shown
			status, body, _ = d.get(h.Get("Location"))
		}
		if status != http.StatusOK || !strings.Contains(body, c.says) {
			t.Errorf("%s: %d, it is not shown what it would do", c.what, status)
		}
		for table, mark := range holds(t, d.db) {
			if mark != before[table] {
				t.Errorf("%s, only shown, changed the table %s", c.what, table)
			}
		}
		if d.house.State() != policy {
			t.Errorf("%s, only shown, put another state in force", c.what)
		}
	}
	if list, err := store.Mails(t.Context(), d.db, store.MailsLike{}, 0, 10); err != nil || len(list) > 0 && strings.Contains(list[0].Subject, "You are a member") {
		t.Errorf("a letter was written: %v %v", err, list[0].Subject)
	}
}

// A query that writes is refused in a preview by SQLite itself.
func TestAPreviewCannotWrite(t *testing.T) {
	d := openDesk(t)
	before := holds(t, d.db)
	ines := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	err := previewThatWrites(d, ines)
	if err == nil || !strings.Contains(err.Error(), "readonly") {
		t.Errorf("a query that writes: %v", err)
	}
	for table, mark := range holds(t, d.db) {
		if mark != before[table] {
			t.Errorf("the table %s was written to", table)
		}
	}
	if err := d.house.Outbox.SendWaiting(t.Context()); err != nil {
		t.Errorf("the connection cannot write afterwards: %v", err)
	}
}

func previewThatWrites(d *desk, a house.Actor) error {
	_, err := d.house.Preview(d.Context(), a, house.Needs{Steward: true}, func(tx *house.Tx) error {
		_, err := store.SaveMail(tx.Context(), tx, store.Mail{Address: "a@b.example", Status: store.MailKept})
		return err
	})
	return err
}
