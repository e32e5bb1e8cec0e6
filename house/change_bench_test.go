package house_test

import (
	"database/sql"
	"fmt"
	"testing"

	"velada/app/pages"
	"velada/core/access"
	"velada/house"
	"velada/store"
)

// manySites is the demo house with more sites, each with a live edition and a working
// copy of as many pages.
func manySites(b testing.TB, sites, perSite int) *house.House {
	b.Helper()
	h := demoHouseFor(b)
	err := store.InTx(ctx, h.DB(), func(tx *sql.Tx) error {
		for n := range sites {
			address := fmt.Sprintf("site-%d", n)
			site := access.NewSite(address, address)
			if err := store.SaveSite(ctx, tx, site, 100+n); err != nil {
				return err
			}
			ids, err := store.SiteIDs(ctx, tx)
			if err != nil {
				return err
			}
			e := &store.Edition{Site: ids[address], Number: 1, At: h.Now(), Who: "ines"}
			for p := range perSite {
				path := "/"
				if p > 0 {
					path = fmt.Sprintf("/page-%d", p)
				}
				e.Pages = append(e.Pages, store.Page{ID: fmt.Sprintf("page-%d", p), Path: path, Title: path, Body: "# A page\n\nWith a little text.\n", Listing: true, InMenu: p < 8})
			}
			if _, err := pages.PutEdition(ctx, tx, site, e, 100+n); err != nil {
				return err
			}
			if err := store.SaveWorkingPages(ctx, tx, e.Site, e.Pages); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		err = h.Reload(ctx)
	}
	if err != nil {
		b.Fatal(err)
	}
	return h
}

// A save of a page in a house of 300 sites of 100 pages each.
func BenchmarkSavingAPage(b *testing.B) {
	h := manySites(b, 300, 100)
	ines := h.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	version := 1
	b.ResetTimer()
	for n := 0; b.Loop(); n++ {
		saved, err := pages.SavePage(ctx, h, ines, "site-7", "page-3", version, "A page", fmt.Sprintf("# A page\n\nText %d.\n", n), false)
		if err != nil {
			b.Fatal(err)
		}
		version = saved.Page.Version
	}
}
