package gate

import (
	"strings"
	"testing"
	"time"

	"velada/app/pages"
	"velada/core/access"
	"velada/house"
	"velada/store"
)

// What a page brings in is asked like a page, for whoever reads and whoever wrote.
func TestWhatAPageBringsInIsAskedLikeAPage(t *testing.T) {
	d := open(t)
	ctx := t.Context()
	ines, katya := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"}), d.house.Actor(access.Address{Local: "katya-cifuentes", Domain: "cerroalcor.example"})
	if _, err := pages.SaveFile(ctx, d.house, ines, "variable-stars", "/crew/corvus/plan.csv", "text/csv", []byte("name,secret\nzanzibar,quokka\n"), ""); err != nil {
		t.Fatal(err)
	}
	if _, err := pages.SaveFile(ctx, d.house, ines, "variable-stars", "/crew/corvus/days.ics", "text/calendar", []byte("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//test//EN\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART:20261224T180000Z\r\nDTEND:20261224T190000Z\r\nSUMMARY:Numbat\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"), ""); err != nil {
		t.Fatal(err)
	}
	own := func() store.Page {
		list, err := store.WorkingCopy(ctx, d.house.Reader(), d.house.SiteID("variable-stars"))
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range list {
			if p.Path == "/crew/antlia" {
				return p
			}
		}
		t.Fatal("no section")
		return store.Page{}
	}
	p := own()
	text := p.Body + "\n\n[[table theirs: /crew/corvus/plan.csv]]\n"
	if _, err := pages.SavePage(ctx, d.house, katya, "variable-stars", p.ID, p.Version, p.Title, text, false); err == nil || !strings.Contains(err.Error(), "not yours to change") {
		t.Errorf("a section shows another's file: %v", err)
	}
	double := p.Body + "\n\n[[table ours: /crew/antlia/own.csv]]\n\n[[table ours: /crew/corvus/plan.csv]]\n"
	if _, err := pages.SavePage(ctx, d.house, katya, "variable-stars", p.ID, p.Version, p.Title, double, false); err == nil || !strings.Contains(err.Error(), "not yours to change") {
		t.Errorf("a section shows another's file behind a table of the same name: %v", err)
	}
	if _, err := pages.NewPage(ctx, d.house, katya, "variable-stars", house.PageDraft{Path: "/crew/antlia/x", Title: "X", Body: text}); err == nil {
		t.Error("so does a new page")
	}
	const hidden = "# How to join\n\nAll are welcome.\n\n[[table theirs: /crew/corvus/plan.csv]]\n\n::: files /crew/corvus\n:::\n\n::: dates /crew/corvus/days.ics\n:::\n\n" +
		"::: cards\n- **[Wombat](/crew/corvus)** card\n:::\n\n::: dates\n- 2026-12-24 **[Bandicoot](/crew/corvus/plan.csv)**\n\n- [Dugong](/crew/corvus/plan.csv)\n:::\n"
	d.says("variable-stars", "/how-to-join", hidden)
	d.describe("variable-stars", store.Details{Search: true}, nil)
	steward := d.visiting("ines@cerroalcor.example", "variable-stars")
	words := []string{"quokka", "zanzibar", "Numbat", "Wombat", "Bandicoot", "Dugong", "plan.csv", "/crew/corvus<"}
	for range 2 {
		if text := body(t, d.ask(asked{site: "variable-stars", path: "/how-to-join", cookies: []string{steward}})); !strings.Contains(text, "quokka") || !strings.Contains(text, "Wombat") || !strings.Contains(text, "Numbat") {
			t.Errorf("who may read it all does not: %s", text)
		}
		text := d.text("variable-stars", "/how-to-join")
		for _, word := range words {
			if strings.Contains(text, word) {
				t.Errorf("a stranger reads %q", word)
			}
		}
		for _, path := range []string{"/", "/velada/feed"} {
			if text := d.text("variable-stars", path); strings.Contains(text, "Wombat") || strings.Contains(text, "quokka") {
				t.Errorf("%s tells of it", path)
			}
		}
		for _, word := range []string{"wombat", "bandicoot", "dugong", "quokka", "corvus"} {
			if _, found := d.found("variable-stars", word); strings.Contains(found, "How to join") {
				t.Errorf("a search for %s finds it", word)
			}
		}
	}
	if _, err := pages.Publish(ctx, d.house, ines, "variable-stars", "", time.Time{}); err == nil {
		t.Error("nothing was to be published")
	}
}
