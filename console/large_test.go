package console

import (
	"fmt"
	"strings"
	"testing"

	"velada/app/pages"
	"velada/core/access"
	"velada/core/content"
)

// What a view shows does not grow with the site: differences come page by page, and so does the menu.
func TestViewsOfALargeSite(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	ines, err := access.ParseAddress("ines@cerroalcor.example")
	if err != nil {
		t.Fatal(err)
	}
	size := func(n int) (publish, list int) {
		a := &content.Archive{Pages: []content.ArchivePage{{Path: "/", Title: "Front", Body: "# Front\n", InMenu: true, Listing: true}}}
		for i := range n {
			a.Pages = append(a.Pages, content.ArchivePage{Path: fmt.Sprintf("/part/page-%04d", i), Title: fmt.Sprintf("Page %04d", i), Body: strings.Repeat("Words of a page. ", 20) + "[lost](/nowhere)", InMenu: true, Listing: true})
			a.Files = append(a.Files, content.ArchiveFile{Path: fmt.Sprintf("/files/p-%04d.png", i), Data: fmt.Appendf(nil, "\x89PNG\r\n\x1a\n%d", i)})
		}
		if _, err := pages.ImportArchive(t.Context(), d.house, d.house.Actor(ines), "society", a); err != nil {
			t.Fatal(err)
		}
		body := d.shows("/sites/society/publish", "Page 0001", "What edition")
		if n > 100 && strings.Contains(body, "Page 0099") {
			t.Error("all differences are on one page")
		}
		return len(body), len(d.shows("/sites/society/settings"))
	}
	few, listed := size(120)
	many, still := size(900)
	if many > few+few/10 || still > listed+listed/10 {
		t.Errorf("the view of publishing grows from %d to %d bytes, of results from %d to %d", few, many, listed, still)
	}
	d.shows("/sites/society/publish?rows=3&files=2", "Page 0110", "p-0055.png")
}
