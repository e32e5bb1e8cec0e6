package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"time"

	"velada/core/access"
	"velada/core/content"
	"velada/store"
)

// LiveEdition is what visitors of a site see, ready to be served.
type LiveEdition struct {
	Number int
	At     time.Time
	Pages  map[string]*LivePage // by path
	Menu   []*LivePage          // in order
	Files  map[string]*LiveFile // by path
}

// LivePage is a page of the live edition.
type LivePage struct {
	Path, Title, HTML string
	InMenu            bool
}

// LiveFile is a picture or another file of the live edition.
type LiveFile struct {
	Type string
	Data []byte
	Tag  string // of its contents
}

// Working says how a working copy differs from what is live.
type Working struct {
	Titles  map[string]string // by path
	Order   []string          // the paths, in the order of the working copy
	Changes int               // pages added, changed or deleted since the live edition
}

func (s *State) readEditions(ctx context.Context, q store.Queryer) error {
	live, err := store.LiveEditions(ctx, q)
	if err != nil {
		return err
	}
	working, err := store.WorkingPages(ctx, q)
	if err != nil {
		return fmt.Errorf("reading working copies: %w", err)
	}
	s.Editions, s.Working = map[string]*LiveEdition{}, map[string]Working{}
	for site, e := range live {
		s.Editions[site] = liveEdition(e)
	}
	for site, pages := range working {
		w := Working{Titles: map[string]string{}}
		for _, p := range pages {
			w.Titles[p.Path] = p.Title
			w.Order = append(w.Order, p.Path)
		}
		w.Changes = changesSince(live[site], pages)
		s.Working[site] = w
	}
	return nil
}

func liveEdition(e *store.Edition) *LiveEdition {
	l := &LiveEdition{Number: e.Number, At: e.At, Pages: map[string]*LivePage{}, Files: map[string]*LiveFile{}}
	for _, p := range e.Pages {
		page := &LivePage{p.Path, p.Title, p.HTML, p.InMenu}
		l.Pages[p.Path] = page
		if p.InMenu {
			l.Menu = append(l.Menu, page)
		}
	}
	for _, f := range e.Files {
		sum := sha256.Sum256(f.Data)
		l.Files[f.Path] = &LiveFile{f.Type, f.Data, hex.EncodeToString(sum[:12])}
	}
	return l
}

// changesSince counts the pages that differ between an edition and a working copy.
func changesSince(live *store.Edition, working []store.Page) int {
	if live == nil {
		return 0
	}
	type sight struct{ title, body string }
	before := map[string]sight{}
	for _, p := range live.Pages {
		before[p.Path] = sight{p.Title, p.Body}
	}
	changes := 0
	for _, p := range working {
		was, there := before[p.Path]
		if !there || was != (sight{p.Title, p.Body}) {
			changes++
		}
		delete(before, p.Path)
	}
	return changes + len(before)
}

// Title is what a page is called: in the working copy, or else live, or its path.
func (s *State) Title(site, path string) string {
	if title := s.Working[site].Titles[path]; title != "" {
		return title
	}
	if e := s.Editions[site]; e != nil && e.Pages[path] != nil {
		return e.Pages[path].Title
	}
	return path
}

// PutEdition makes an edition live within a transaction of the caller's: pages
// are rendered, and the site's document lists just these pages from then on.
// Which tables and listing a page has is taken over from the site by path.
func PutEdition(ctx context.Context, q store.Queryer, site *access.Site, e *store.Edition, position int) (*access.Site, error) {
	for i := range e.Pages {
		html, err := content.Render(e.Pages[i].Body)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", e.Pages[i].Path, err)
		}
		e.Pages[i].HTML = html
	}
	live := *site
	live.State, live.Pages = "live", nil
	for _, p := range e.Pages {
		page := access.Page{Path: p.Path, Listing: true}
		if i := slices.IndexFunc(site.Pages, func(old access.Page) bool { return old.Path == p.Path }); i >= 0 {
			page = site.Pages[i]
		}
		live.Pages = append(live.Pages, page)
	}
	if err := store.SaveSite(ctx, q, &live, position); err != nil {
		return nil, err
	}
	return &live, store.SaveEdition(ctx, q, e)
}
