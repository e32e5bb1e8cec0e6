package gate

import (
	"strings"
	"testing"

	"velada/core/access"
	"velada/core/parts"
	"velada/demo/demotest"
)

func TestTablesOfRecords(t *testing.T) {
	d := open(t)
	crew := d.visiting("bram@cerroalcor.example", "instrument-log")
	page := func(query string, cookies ...string) string {
		return demotest.CloseUp(body(t, d.ask(asked{site: "instrument-log", path: "/" + query, cookies: cookies})))
	}
	first := page("", crew)
	if !strings.Contains(first, "120 rows") || strings.Count(first, "<tr>") != 51 || !strings.Contains(first, "Further rows") || strings.Contains(first, "[[table") {
		t.Errorf("%.3000s", first)
	}
	if last := page("?nights.page=3", crew); strings.Count(last, "<tr>") != 21 || !strings.Contains(last, "Earlier rows") {
		t.Error("the last rows")
	}
	if found := page("?nights.find=algol&other.find=x", crew); strings.Contains(found, ">Mira<") || !strings.Contains(found, ">Algol<") || !strings.Contains(found, `name="other.find" value="x"`) {
		t.Error("finding in it")
	}
	sorted := page("?nights.sort=3&nights.order=down", crew)
	cells := strings.Split(sorted, "<tr><td>")[1:]
	if len(cells) != 50 || !strings.Contains(cells[0], "<td>9.0<") && !strings.Contains(cells[0], "<td>8.") || !strings.Contains(sorted, `aria-sort="descending"`) {
		t.Error("sorting", cells[:1])
	}
	for _, path := range []string{"/files/nights.csv", "/files//nights.csv", "/files/nights.csv?x"} {
		if r := d.ask(asked{site: "instrument-log", path: path, cookies: []string{crew}}); strings.Contains(body(t, r), "Algol") {
			t.Errorf("%s gives the rows away", path)
		}
	}
	d.change("instrument-log", func(s *access.Site) {
		parts.SetTable(s, parts.TableDoor("/", "nights"), []access.Way{{Way: "people", People: []string{"salma"}}})
	})
	if without := page("", crew); strings.Contains(without, "rows") || !strings.Contains(without, "Write down what you touched") {
		t.Error("the table's door does not hold")
	}
	if !strings.Contains(page("", d.visiting("salma@cerroalcor.example", "instrument-log")), "120 rows") {
		t.Error("whom the table's door lets in does not see it")
	}
	d.change("instrument-log", func(s *access.Site) {
		s.Door.Ways = []access.Way{{Way: "anyone"}}
		parts.SetTable(s, parts.TableDoor("/", "nights"), []access.Way{{Way: "signed-in"}})
	})
	if r := d.ask(asked{site: "instrument-log", path: "/"}); strings.Contains(body(t, r), "Algol") || r.Header.Get("Cache-Control") != "private, no-store" {
		t.Errorf("a stranger: %v", r.Header)
	}
}
