package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"velada/app/pages"
	"velada/core/access"
	"velada/house"
	"velada/store"
)

// starting measures how long a large house takes to start, and what it holds.
func starting(ctx context.Context, folder string) {
	const sites, perSite = 1000, 100
	file := filepath.Join(folder, "large.db")
	db, err := store.Open(ctx, file)
	check(err)
	doc := &access.Document{Velada: 1, House: access.House{Name: "House", Zone: "UTC", Domains: []string{"house.example"}}}
	tx, err := db.BeginTx(ctx, nil)
	check(err)
	for i := range sites {
		site := access.NewSite(fmt.Sprintf("site-%d", i), fmt.Sprintf("Site %d", i))
		site.Door.Ways = []access.Way{{Way: "anyone"}}
		doc.Sites = append(doc.Sites, site)
	}
	check(store.SaveDocument(ctx, tx, doc))
	ids, err := store.SiteIDs(ctx, tx)
	check(err)
	body := strings.Repeat("A clear night over the hill, and nobody to see it but us. ", 30)
	for i, site := range doc.Sites {
		e := &store.Edition{Site: ids[site.Address], Number: 1, At: time.Now()}
		for n := range perSite {
			path := "/"
			if n > 0 {
				path = fmt.Sprintf("/part-%d/page-%d", n/10, n)
			}
			e.Pages = append(e.Pages, store.Page{ID: fmt.Sprintf("p%d", n), Path: path, Title: fmt.Sprintf("Page %d", n), Body: body, InMenu: n < 5, Listing: true})
		}
		_, err := pages.PutEdition(ctx, tx, site, e, i)
		check(err)
		check(store.SaveWorkingPages(ctx, tx, ids[site.Address], e.Pages))
	}
	check(tx.Commit())
	var times []float64
	var heap int64
	for range 5 {
		before := liveHeap()
		begin := time.Now()
		house, err := house.Open(ctx, db, time.Now)
		check(err)
		times = append(times, time.Since(begin).Seconds())
		heap = liveHeap() - before
		runtime.KeepAlive(house)
	}
	info, err := os.Stat(file)
	check(err)
	fmt.Printf("A house of %d sites with %d pages each, %d MB on disk: starts in %.2f s (median of 5), and holds %d MB then.\n", sites, perSite, info.Size()>>20, median(times), heap>>20)
}

func liveHeap() int64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc)
}
