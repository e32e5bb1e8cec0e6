package house

import (
	"cmp"
	"slices"
	"strings"

	"velada/core/access"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// ToWrite is what it takes to change the working copy at a path.
func ToWrite(site, path string) Needs {
	return Needs{Site: site, Path: cmp.Or(path, "/"), Cap: access.Write}
}

// CheckPath normalises where a page is to stand and checks that it is free.
func CheckPath(pages []store.Page, id, to string) (string, error) {
	if !strings.HasPrefix(to, "/") {
		to = "/" + to
	}
	normal, err := access.DocumentPath(to)
	switch {
	case err != nil:
		return "", FieldErrors{"path": words.Capital(err.Error()) + "."}
	case access.Covers("/velada", normal) || normal == "/robots.txt" || normal == "/sitemap.xml" || access.Covers("/go", normal):
		return "", FieldErrors{"path": "Velada itself answers there: choose another path."}
	case slices.ContainsFunc(pages, func(p store.Page) bool { return p.Path == normal && p.ID != id }):
		return "", FieldErrors{"path": "There is a page at that path already."}
	}
	return normal, nil
}

// PageDraft is a page to be made. An empty body begins with the title; it is in the menu
// unless NoMenu.
type PageDraft struct {
	Path, Title, Body string
	NoMenu            bool
}

// NewPage adds a page to the working copy of a site, where the one who makes the
// change may write there.
func NewPage(tx *Tx, site string, new PageDraft) (store.Page, error) {
	to, title, body := new.Path, new.Title, new.Body
	id := tx.State().ID(site)
	pages, err := store.WorkingCopy(tx.Context(), tx, id)
	if err != nil {
		return store.Page{}, err
	}
	if title = strings.TrimSpace(title); title == "" {
		return store.Page{}, FieldErrors{"title": "Enter a title for the page."}
	}
	normal, err := CheckPath(pages, "", to)
	if err != nil {
		return store.Page{}, err
	}
	if err := tx.Require(ToWrite(site, normal)); err != nil {
		return store.Page{}, err
	}
	if body == "" {
		body = "# " + title + "\n"
	}
	p := store.Page{
		ID: identity.Token()[:16], Path: normal, Title: title, Body: body, InMenu: !new.NoMenu, Listing: true, Version: 1,
		SavedAt: tx.Now(), SavedBy: tx.By().Who,
	}
	tx.Renew(id, WorkingCopy)
	return p, store.AddPage(tx.Context(), tx, id, p)
}
