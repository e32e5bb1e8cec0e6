package pages

import (
	"context"
	"fmt"

	"velada/core/access"
	"velada/core/content"
	"velada/identity"
	"velada/store"
)

// PutEdition makes an edition live within a transaction of the caller's: pages
// are rendered, and the site's document lists just these pages from then on.
// Which tables a page has is taken over from the site by path.
func PutEdition(ctx context.Context, q store.Queryer, site *access.Site, e *store.Edition, position int) (*access.Site, error) {
	if err := renderPages(ctx, e.Pages); err != nil {
		return nil, err
	}
	live := withPages(site, e.Pages)
	e.Files = keepTables(e.Pages, e.Files)
	if err := store.SaveSite(ctx, q, live, position); err != nil {
		return nil, err
	}
	if err := store.SaveEdition(ctx, q, e); err != nil {
		return nil, err
	}
	return live, store.SetLive(ctx, q, e.Site, e.Number)
}

// placed returns where the pages of a site stand, for the links in them.
func placed(pages []store.Page) func(p store.Page) content.Place {
	byFile := map[string]string{}
	for _, p := range pages {
		if p.File != "" {
			byFile[p.File] = p.Path
		}
	}
	return func(p store.Page) content.Place {
		return content.Place{File: p.File, Page: func(file string) (string, bool) {
			path, there := byFile[file]
			return path, there
		}}
	}
}

// rendering returns what renders the pages of an edition.
func rendering(pages []store.Page) func(p store.Page) (string, error) {
	place := placed(pages)
	return func(p store.Page) (string, error) {
		if p.Kind == "html" { // served in a sandbox that runs nothing
			return p.Body, nil
		}
		html, err := content.RenderAt(p.Body, place(p))
		if err != nil {
			return "", fmt.Errorf("%s: %w", p.Path, err)
		}
		return html, nil
	}
}

func renderPages(ctx context.Context, pages []store.Page) (err error) {
	nameAll(pages)
	render := rendering(pages)
	for i := range pages {
		if err := ctx.Err(); err != nil {
			return err
		}
		if pages[i].HTML, err = render(pages[i]); err != nil {
			return err
		}
	}
	return nil
}

// nameAll puts an id to pages that have none.
func nameAll(pages []store.Page) {
	for i := range pages {
		if pages[i].ID == "" {
			pages[i].ID = identity.Token()[:16]
		}
	}
}

// withPages is the site as it is once just these pages are live. Doors, passes,
// exemptions and the like move along with a page that has moved.
func withPages(site *access.Site, pages []store.Page) *access.Site {
	live := *site
	live.State, live.Pages = "live", make([]access.Page, 0, len(pages))
	before := make(map[string][]access.Table, len(site.Pages))
	for i := range site.Pages {
		before[site.Pages[i].Path] = site.Pages[i].Tables
	}
	for _, p := range pages {
		page := access.Page{Path: p.Path, Listing: p.Listing}
		page.Tables = tablesOf(p, before[p.Path])
		live.Pages = append(live.Pages, page)
	}
	return &live
}
