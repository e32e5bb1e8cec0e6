package house_test

import (
	"bytes"
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/pages"
	"velada/core/access"
	"velada/core/content"
	"velada/demo/demotest"
	"velada/house"
	"velada/store"
)

func pageAt(t *testing.T, h *house.House, site, path string) store.Page {
	t.Helper()
	pages, err := store.WorkingCopy(ctx, h.DB(), h.State().ID(site))
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(pages, func(p store.Page) bool { return p.Path == path })
	if i < 0 {
		t.Fatalf("no page %s", path)
	}
	return pages[i]
}

func TestSavingOnTopOfEachOther(t *testing.T) {
	h, _ := clockedHouse(t)
	ines, jonas := who(t, h, "ines@cerroalcor.example"), who(t, h, "jonas@cerroalcor.example")
	p := pageAt(t, h, "society", "/open-nights")
	first, err := pages.SavePage(ctx, h, ines, "society", p.ID, p.Version, p.Title, strings.Replace(p.Body, "Wear more", "Wear much more", 1), false)
	if err != nil || first.Merged {
		t.Fatal(first, err)
	}
	second, err := pages.SavePage(ctx, h, jonas, "society", p.ID, p.Version, p.Title, p.Body+"\nBring tea.", false)
	if err != nil || !second.Merged || !strings.Contains(second.Page.Body, "Wear much more") || !strings.Contains(second.Page.Body, "Bring tea.") {
		t.Errorf("%+v %v", second, err)
	}
	_, err = pages.SavePage(ctx, h, jonas, "society", p.ID, p.Version, p.Title, strings.Replace(p.Body, "Wear more", "Wear less", 1), false)
	var conflict pages.Conflict
	if !errors.As(err, &conflict) || !strings.Contains(conflict.Theirs.Body, "much more") || !strings.Contains(conflict.Mine.Body, "less") {
		t.Errorf("the same line twice: %v", err)
	}
	if now := pageAt(t, h, "society", "/open-nights"); now.Body != second.Page.Body {
		t.Error("something was overwritten")
	}
	saves, err := store.PageSaves(ctx, h.DB(), h.State().ID("society"), p.ID, 10)
	if err != nil || len(saves) != 2 {
		t.Fatalf("earlier states: %d %v", len(saves), err)
	}
	if first, err := store.PageSaved(ctx, h.DB(), h.State().ID("society"), p.ID, saves[1].Version); err != nil || first.Body != p.Body {
		t.Errorf("%+v %v", first, err)
	}
	if n := h.State().Site("society").Working.Changes; n != 1 {
		t.Errorf("%d changes", n)
	}
}

// What is not live yet is counted as the difference before publishing shows it.
func TestWhatIsNotLiveYetIsCounted(t *testing.T) {
	h, now := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	count := func(what string, want int) {
		t.Helper()
		plan, err := pages.PlanPublication(ctx, h, "society")
		if err != nil {
			t.Fatal(err)
		}
		shown := len(plan.Pages) + len(plan.Files)
		if slices.Contains(plan.Menu, "The order of the menu changes.") {
			shown++
		}
		if n := h.State().Site("society").Working.Changes; n != want || shown != want {
			t.Errorf("%s: %d counted, %d shown, want %d: %+v", what, n, shown, want, plan.Menu)
		}
	}
	must := func(_ any, err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
	}
	count("at first", 0)
	must(pages.SaveFile(ctx, h, ines, "society", "/files/sky.png", "image/png", demotest.Dot, ""))
	count("a picture", 1)
	must(pages.SaveFile(ctx, h, ines, "society", "/hill.svg", "image/svg+xml", []byte("<svg xmlns='http://www.w3.org/2000/svg'/>"), ""))
	count("a picture in the place of another", 2)
	must(nil, pages.DropFile(ctx, h, ines, "society", "/hill.svg"))
	count("that one deleted", 2)
	p := pageAt(t, h, "society", "/visit")
	must(pages.SavePage(ctx, h, ines, "society", p.ID, p.Version, p.Title, p.Body+"\nMore.", false))
	count("a page", 3)
	must(pages.NewPage(ctx, h, ines, "society", house.PageDraft{Path: "/new", Title: "New", Body: "# New"}))
	count("a new page", 4)
	must(pages.MovePage(ctx, h, ines, "society", pageAt(t, h, "society", "/telescope").ID, "/the-forty", true, true))
	moved := h.State().Site("society").Working.Changes // links to it are put right too
	count("a page moved", moved)
	must(nil, pages.DropPage(ctx, h, ines, "society", pageAt(t, h, "society", "/privacy").ID))
	count("a page deleted", moved+1)
	must(nil, pages.ShiftPage(ctx, h, ines, "society", p.ID, 1))
	count("another order", moved+2)
	must(pages.Publish(ctx, h, ines, "society", "", time.Time{}))
	count("published", 0)
	*now = now.Add(time.Hour)
	must(nil, pages.PublishAgain(ctx, h, ines, "society", 31))
	count("gone back", moved+2)
}

// Every save of a day is kept; of what is older, one in ten minutes for each of
// those who wrote.
func TestOldSavesAreThinnedOut(t *testing.T) {
	h, now := clockedHouse(t)
	ines, jonas := who(t, h, "ines@cerroalcor.example"), who(t, h, "jonas@cerroalcor.example")
	*now = now.Truncate(time.Hour)
	id := pageAt(t, h, "society", "/visit").ID
	save := func(a house.Actor, text string) {
		t.Helper()
		p := pageAt(t, h, "society", "/visit")
		if _, err := pages.SavePage(ctx, h, a, "society", id, p.Version, p.Title, text, false); err != nil {
			t.Fatal(err)
		}
	}
	kept := func() (texts []string) {
		saves, err := store.PageSaves(ctx, h.DB(), h.State().ID("society"), id, 100)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range saves {
			whole, err := store.PageSaved(ctx, h.DB(), h.State().ID("society"), id, s.Version)
			if err != nil {
				t.Fatal(err)
			}
			texts = append(texts, whole.Body)
		}
		slices.Reverse(texts)
		return texts[1:] // after what it said first
	}
	for i, text := range []string{"a", "ab", "abc", "J", "abcd"} {
		a := ines
		if i == 3 {
			a = jonas
		}
		save(a, text)
		*now = now.Add(time.Minute)
	}
	*now = now.Add(10 * time.Minute)
	save(ines, "later")
	if got := kept(); !slices.Equal(got, []string{"a", "ab", "abc", "J", "abcd"}) {
		t.Errorf("on the same day: %q", got)
	}
	*now = now.Add(25 * time.Hour)
	save(ines, "next day")
	if got := kept(); !slices.Equal(got, []string{"J", "abcd", "later"}) {
		t.Errorf("the day after: %q", got)
	}
}

func TestWritingKeepsToOnesSection(t *testing.T) {
	h, now := clockedHouse(t)
	crew := who(t, h, "katya-cifuentes@cerroalcor.example")
	inside, outside := pageAt(t, h, "variable-stars", "/crew/antlia"), pageAt(t, h, "variable-stars", "/notes")
	save := func(p store.Page) error {
		_, err := pages.SavePage(ctx, h, crew, "variable-stars", p.ID, p.Version, p.Title, p.Body+"\nMore.", false)
		return err
	}
	if err := save(inside); err != nil {
		t.Errorf("inside: %v", err)
	}
	for name, err := range map[string]error{
		"outside": save(outside),
		"a new page": func() error {
			_, err := pages.NewPage(ctx, h, crew, "variable-stars", house.PageDraft{Path: "/notes/ours", Title: "Ours", Body: ""})
			return err
		}(),
		"moving out": func() error {
			_, err := pages.MovePage(ctx, h, crew, "variable-stars", inside.ID, "/antlia", true, true)
			return err
		}(),
		"a file": func() error {
			_, err := pages.SaveFile(ctx, h, crew, "variable-stars", "/files/a.png", "image/png", demotest.Dot, "")
			return err
		}(),
		"dropping": pages.DropPage(ctx, h, crew, "variable-stars", outside.ID),
	} {
		if err == nil {
			t.Errorf("%s is let through", name)
		}
	}
	if _, err := pages.NewPage(ctx, h, crew, "variable-stars", house.PageDraft{Path: "/crew/antlia/plan", Title: "Plan", Body: ""}); err != nil {
		t.Errorf("a new page inside: %v", err)
	}
	if _, err := pages.Publish(ctx, h, crew, "variable-stars", "", time.Time{}); err == nil {
		t.Error("published from a section")
	}
	*now = now.AddDate(0, 0, 19) // the entry ends on show night
	if err := save(pageAt(t, h, "variable-stars", "/crew/antlia")); err == nil {
		t.Error("written after the entry ended")
	}
}

func TestMovingAPage(t *testing.T) {
	h, _ := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	front := pageAt(t, h, "society", "/")
	if _, err := pages.SavePage(ctx, h, ines, "society", front.ID, front.Version, front.Title, front.Body+"\n[Minutes](/members/minutes) and [all](/members).", false); err != nil {
		t.Fatal(err)
	}
	members := pageAt(t, h, "society", "/members")
	links, err := pages.MovePage(ctx, h, ines, "society", members.ID, "/inside", true, true)
	if err != nil || links != 5 { // two here, three on the page itself
		t.Fatalf("%d links: %v", links, err)
	}
	pageAt(t, h, "society", "/inside/minutes")
	if body := pageAt(t, h, "society", "/").Body; !strings.Contains(body, "(/inside/minutes) and [all](/inside)") {
		t.Error(body)
	}
	for to, want := range map[string]string{"/visit": "There is a page at that path already", "/velada/x": "Velada itself", "/inside/below": "below itself", "/go/x": "Velada itself"} {
		if _, err := pages.MovePage(ctx, h, ines, "society", members.ID, to, true, true); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", to, err)
		}
	}
	plan, err := pages.PlanPublication(ctx, h, "society")
	if err != nil {
		t.Fatal(err)
	}
	if strings.Join(plan.Moved, " ") != "The door of /members moves along to /inside." || len(plan.Sees) != 0 {
		t.Errorf("%v %+v", plan.Moved, plan.Sees)
	}
	if _, err := pages.Publish(ctx, h, ines, "society", "", time.Time{}); err != nil {
		t.Fatal(err)
	}
	if d := h.State().Policy.Site("society").Decide("/inside/minutes", &access.Visitor{}, access.At(h.Now())); d.Outcome != access.Challenge {
		t.Errorf("the door did not move along: %v", d.Outcome)
	}
	if h.State().Site("society").Moved["/members"] != members.ID {
		t.Error("nobody knows where it stood")
	}
}

func TestPublishing(t *testing.T) {
	h, now := clockedHouse(t)
	ines, jonas := who(t, h, "ines@cerroalcor.example"), who(t, h, "jonas@cerroalcor.example")
	if _, err := pages.Publish(ctx, h, ines, "society", "", time.Time{}); !errors.Is(err, pages.ErrNothingNew) {
		t.Errorf("nothing new: %v", err)
	}
	p, err := pages.NewPage(ctx, h, jonas, "society", house.PageDraft{Path: "/sky", Title: "Sky", Body: "# Sky\n\n[gone](/nowhere)"})
	if err != nil {
		t.Fatal(err)
	}
	if _, err := pages.SaveFile(ctx, h, jonas, "society", "/files/sky.png", "image/png", demotest.Dot, ""); err != nil {
		t.Fatal(err)
	}
	if err := pages.DropPage(ctx, h, jonas, "society", pageAt(t, h, "society", "/history").ID); err != nil {
		t.Fatal(err)
	}
	plan, err := pages.PlanPublication(ctx, h, "society")
	if err != nil {
		t.Fatal(err)
	}
	kinds := ""
	for _, d := range plan.Pages {
		kinds += d.Kind + " " + d.Path + " "
	}
	if kinds != "added /sky deleted /history " || len(plan.Broken) != 3 || plan.Broken[2].To != "/nowhere" || len(plan.Pictures) != 1 || plan.Sees[0].Who != "stranger" || plan.Sees[0].Pages[0] != "/sky" || plan.Listed[0] != "/sky" {
		t.Errorf("%s %+v %+v %+v %v", kinds, plan.Broken, plan.Pictures, plan.Sees, plan.Listed)
	}
	if _, err := pages.Publish(ctx, h, jonas, "society", "", time.Time{}); !errors.Is(err, house.ErrMayNot) {
		t.Errorf("by an editor: %v", err)
	}
	if err := pages.AskToPublish(ctx, h, jonas, "society", "please"); err != nil {
		t.Error(err)
	}
	due := now.Add(time.Hour)
	number, err := pages.Publish(ctx, h, ines, "society", "Sky", due)
	if err != nil || number != 32 {
		t.Fatal(number, err)
	}
	if requests, err := store.Requests(ctx, h.DB(), h.State().ID("society")); err != nil || len(requests) != 0 {
		t.Errorf("%v %v", requests, err)
	}
	if _, err := pages.SavePage(ctx, h, jonas, "society", p.ID, p.Version, "Sky", "# Sky\n\nToo late.", false); err != nil {
		t.Fatal(err)
	}
	opens := func(path string) access.Outcome {
		if err := applyDue(h); err != nil {
			t.Fatal(err)
		}
		return h.State().Policy.Site("society").Decide(path, &access.Visitor{}, access.At(h.Now())).Outcome
	}
	*now = due.Add(-time.Second)
	if opens("/sky") != access.Missing || opens("/history") != access.Open {
		t.Error("live a second early")
	}
	*now = due
	if opens("/sky") != access.Open || opens("/history") != access.Missing {
		t.Error("not live when due")
	}
	live := h.State().Site("society").Live
	if text, err := h.PageHTML(ctx, live, live.Pages["/sky"]); err != nil || strings.Contains(text, "Too late") {
		t.Errorf("%q %v", text, err)
	}
	if err := pages.PublishAgain(ctx, h, ines, "society", 31); err != nil {
		t.Fatal(err)
	}
	if opens("/sky") != access.Missing || opens("/history") != access.Open || h.State().Site("society").Live.Number != 31 {
		t.Error("not gone back")
	}
	if err := pages.Unpublish(ctx, h, ines, pages.Unpublishing{Site: "society", Down: true, SayGone: true}); err != nil || opens("/") != access.Gone {
		t.Errorf("taken down: %v", err)
	}
	if err := pages.Unpublish(ctx, h, ines, pages.Unpublishing{Site: "society"}); err != nil || opens("/") != access.Open {
		t.Errorf("put back: %v", err)
	}
	again, err := house.Open(ctx, h.DB(), func() time.Time { return *now })
	if err != nil || again.State().Site("society").Live.Number != 31 {
		t.Errorf("after a restart: %v", err)
	}
}

func TestAddresses(t *testing.T) {
	h, _ := clockedHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	s := h.State()
	for to, want := range map[string]string{"dossier": "Another site", "velada": "kept", "-x": "hyphen at either end", "Hill": "a to z", "": "has an address", "hill": ""} {
		if got := pages.AddressProblem(s, "society", to); want == "" && got != "" || !strings.Contains(got, want) {
			t.Errorf("%q: %q", to, got)
		}
	}
	if free := pages.FreeAddresses(s, "society", "Dossier!"); len(free) != 3 || free[0] != "dossier-site" {
		t.Error(free)
	}
	token := ""
	err := rehearse(h, ines, "society", func(s *access.Site) { s.Links = []access.Link{{ID: "l", Under: "/"}} })
	if err == nil {
		err = h.Trays.Apply(ctx, ines, "society", true)
	}
	if err != nil {
		t.Fatal(err)
	}
	token = h.Keys.LinkToken("society", "l", 1)
	if err := pages.ChangeAddress(ctx, h, ines, "society", "hill"); err != nil {
		t.Fatal(err)
	}
	s = h.State()
	if s.SiteDocument("society") != nil || s.SiteDocument("hill") == nil || s.LedTo("society") != "hill" || s.Site("hill").Live.Number != 31 || s.Policy.Document().Promises[4].Site != "hill" {
		t.Error("not all of it moved")
	}
	if h.Keys.LinkToken("hill", "l", 1) != token {
		t.Error("links lead nowhere after a change of the address")
	}
	if err := pages.MakeSite(ctx, h, ines, pages.NewSite{Title: "Society", Address: "society"}); err == nil {
		t.Error("an address that leads elsewhere is given away")
	}
	if err := pages.ReleaseAddress(ctx, h, ines, "hill", "society"); err != nil || h.State().LedTo("society") != "" {
		t.Error(err)
	}
	if err := pages.MakeSite(ctx, h, ines, pages.NewSite{Title: "Society again", Address: "society"}); err != nil {
		t.Error(err)
	}
	if d := h.State().Policy.Site("society").Decide("/", &access.Visitor{}, access.At(h.Now())); d.Outcome != access.Absent {
		t.Errorf("a new site is met: %v", d.Outcome)
	}
}

func TestArchivesOfASite(t *testing.T) {
	h, _ := clockedHouse(t)
	ines, crew := who(t, h, "ines@cerroalcor.example"), who(t, h, "katya-cifuentes@cerroalcor.example")
	var b bytes.Buffer
	if err := pages.ExportArchive(ctx, h, ines, "variable-stars", 0, &b); err != nil {
		t.Fatal(err)
	}
	all, err := content.ReadArchive(bytes.NewReader(b.Bytes()), int64(b.Len()))
	if err != nil || len(all.Pages) != 11 {
		t.Fatalf("%d pages: %v", len(all.Pages), err)
	}
	b.Reset()
	if err := pages.ExportArchive(ctx, h, crew, "variable-stars", 0, &b); err != nil {
		t.Fatal(err)
	}
	if own, err := content.ReadArchive(bytes.NewReader(b.Bytes()), int64(b.Len())); err != nil || len(own.Pages) != 1 || own.Pages[0].Title != "Crew Antlia" {
		t.Errorf("a crew takes out what is not theirs: %v %v", own, err)
	}
	before := pageAt(t, h, "variable-stars", "/notes")
	all.Pages = append(all.Pages, content.ArchivePage{Path: "/poster", Title: "Poster", HTML: true, Body: "<h1 style='color:red'>Poster</h1>"})
	if done, err := pages.ImportArchive(ctx, h, ines, "variable-stars", all); err != nil || done.Pages != 12 {
		t.Fatal(done, err)
	}
	if after := pageAt(t, h, "variable-stars", "/notes"); after.ID != before.ID || pageAt(t, h, "variable-stars", "/poster").Kind != "html" {
		t.Error("pages are not known again")
	}
	if _, err := pages.ImportArchive(ctx, h, crew, "variable-stars", all); !errors.Is(err, house.ErrSection) {
		t.Errorf("by a crew: %v", err)
	}
	if _, err := pages.ImportArchive(ctx, h, ines, "variable-stars", &content.Archive{Pages: []content.ArchivePage{{Path: "/velada/x", Title: "x"}}}); !errors.Is(err, content.ErrArchive) {
		t.Errorf("on Velada's own paths: %v", err)
	}
}

// A draft that is shown many times is read once, and anew once anything of it changes.
func TestADraftIsReadOnceUntilItChanges(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	draft := func() *house.LiveEdition {
		e, _, err := pages.WorkingEdition(ctx, h, "society")
		if err != nil {
			t.Fatal(err)
		}
		return e
	}
	one := draft()
	if draft() != one {
		t.Error("it is read again")
	}
	if other, _, err := pages.WorkingEdition(ctx, h, "dossier"); err != nil || other.Page("/budget") == nil {
		t.Errorf("another site's: %v", err)
	}
	list, err := store.WorkingCopy(ctx, h.Reader(), h.SiteID("society"))
	if err != nil {
		t.Fatal(err)
	}
	says := func() string {
		e := draft()
		text, err := h.PageHTML(ctx, e, e.Page(list[0].Path))
		if err != nil {
			t.Fatal(err)
		}
		return text
	}
	says()
	if _, err := pages.SavePage(ctx, h, ines, "society", list[0].ID, list[0].Version, list[0].Title, "Other words", false); err != nil {
		t.Fatal(err)
	}
	if text := says(); !strings.Contains(text, "Other words") {
		t.Error(text)
	}
	if _, err := pages.SaveFile(ctx, h, ines, "society", "/files/new.txt", "text/plain", []byte("new"), ""); err != nil || draft().Files["/files/new.txt"] == nil {
		t.Errorf("a new file is not in it: %v", err)
	}
}
