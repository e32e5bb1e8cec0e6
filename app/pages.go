package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"mime"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/content"
	"velada/identity"
	"velada/store"
)

// LongestPage is the most bytes that a page may have.
const LongestPage = 1 << 20

// MostFile is the most bytes that a file of a working copy may have.
const MostFile = 16 << 20

// ErrNoPage says that there is no such page in the working copy.
var ErrNoPage = errors.New("there is no such page in the working copy")

// ErrSection says that somebody may not change this part of the working copy.
var ErrSection = errors.New("this page is outside the part of the site that you may change")

// Conflict says that somebody else changed the same lines meanwhile: nothing was
// saved.
type Conflict struct {
	Mine, Theirs store.Page // Theirs is what is saved now
}

func (Conflict) Error() string { return "somebody else changed the same lines meanwhile" }

// Saved is a page as it was saved, with what others changed meanwhile put in.
type Saved struct {
	Page   store.Page
	Merged bool
}

// mayWrite checks that somebody may change the working copy at a path.
func (h *House) mayWrite(a Actor, site, path string) error {
	switch caps := h.Can(a, site, path); {
	case caps.Has(access.Write):
		return nil
	case h.CanAnywhere(a, site) == 0:
		return ErrNoSite
	}
	return ErrSection
}

// SavePage saves what somebody wrote on a page from a version of it. What others
// saved since then is merged in line by line; where that is not safe nothing is
// saved and a Conflict is given. force saves over it, knowing it.
func (h *House) SavePage(ctx context.Context, a Actor, site, id string, version int, title, body string, force bool) (Saved, error) {
	title, body = strings.TrimSpace(title), strings.ReplaceAll(body, "\r\n", "\n")
	for range 5 {
		now, err := store.FindPage(ctx, h.DB, h.id(site), id)
		switch {
		case err != nil:
			return Saved{}, err
		case now == nil:
			return Saved{}, ErrNoPage
		}
		if err := h.mayWrite(a, site, now.Path); err != nil {
			return Saved{}, err
		}
		switch {
		case title == "":
			return Saved{}, FieldErrors{"title": "A page has a title."}
		case len(body) > LongestPage:
			return Saved{}, FieldErrors{"body": "A page has at most 1 MB of text."}
		}
		saved := Saved{Page: *now}
		saved.Page.Title, saved.Page.Body = title, body
		if version != now.Version && !force { // put together by no lock: it may take a while
			if saved, err = h.putTogether(ctx, site, *now, version, title, body); err != nil {
				return Saved{}, err
			}
		}
		again, err := h.keepPage(ctx, a, site, *now, &saved)
		if !again {
			return saved, err
		}
	}
	return Saved{}, ErrBusy
}

// putTogether merges what somebody wrote from an earlier version of a page into what
// it says now.
func (h *House) putTogether(ctx context.Context, site string, now store.Page, version int, title, body string) (Saved, error) {
	base, err := store.PageSaved(ctx, h.DB, h.id(site), now.ID, version)
	if err != nil {
		return Saved{}, err
	}
	mine := now
	mine.Title, mine.Body = title, body
	if base == nil {
		return Saved{}, Conflict{mine, now}
	}
	merged, safe := content.Merge(base.Body, body, now.Body)
	if !safe || title != base.Title && now.Title != base.Title && title != now.Title {
		return Saved{}, Conflict{mine, now}
	}
	if title == base.Title {
		title = now.Title
	}
	saved := Saved{Page: now, Merged: merged != body || title != mine.Title}
	saved.Page.Title, saved.Page.Body = title, merged
	return saved, nil
}

// keepPage saves a page that was worked out from what it was; again says that
// somebody else has saved it since.
func (h *House) keepPage(ctx context.Context, a Actor, site string, was store.Page, saved *Saved) (again bool, err error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	now, err := store.FindPage(ctx, h.DB, h.id(site), was.ID)
	switch {
	case err != nil:
		return false, err
	case now == nil:
		return false, ErrNoPage
	}
	if err := h.mayWrite(a, site, now.Path); err != nil {
		return false, err
	}
	if now.Version != was.Version {
		return true, nil
	}
	title, body := saved.Page.Title, saved.Page.Body
	if title == now.Title && body == now.Body {
		saved.Page = *now
		return false, nil
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return store.SavePage(ctx, tx, h.id(site), *now, title, body, a.Who, h.now())
	})
	if err != nil {
		return false, fmt.Errorf("saving %s: %w", now.Path, err)
	}
	saved.Page = *now
	saved.Page.Title, saved.Page.Body, saved.Page.Version = title, body, now.Version+1
	saved.Page.SavedAt, saved.Page.SavedBy = h.now(), a.Who
	return false, h.reloadWorking(ctx, site)
}

// reloadWorking reads what changed of one site's working copy, which no visitor
// sees; the caller holds writing.
func (h *House) reloadWorking(ctx context.Context, site string) error {
	next := *h.State()
	if err := next.readEditions(ctx, h.DB, site); err != nil {
		return err
	}
	h.swapUnseen(&next)
	return nil
}

var notInPath = regexp.MustCompile(`[^\p{L}\p{N}._~-]+`)

// PathFor makes a path for a title below another page.
func PathFor(under, title string) string {
	name := strings.Trim(notInPath.ReplaceAllString(strings.ToLower(title), "-"), "-.")
	if name == "" {
		name = "page"
	}
	return path.Join(under, name)
}

// checkPath normalises where a page is to stand and checks that it is free.
func checkPath(pages []store.Page, id, to string) (string, error) {
	if !strings.HasPrefix(to, "/") {
		to = "/" + to
	}
	normal, err := access.DocumentPath(to)
	switch {
	case err != nil:
		return "", FieldErrors{"path": capital(err.Error()) + "."}
	case access.Covers("/velada", normal) || normal == "/robots.txt" || normal == "/sitemap.xml" || access.Covers("/go", normal):
		return "", FieldErrors{"path": "Velada itself answers there: choose another path."}
	case slices.ContainsFunc(pages, func(p store.Page) bool { return p.Path == normal && p.ID != id }):
		return "", FieldErrors{"path": "Another page stands there already."}
	}
	return normal, nil
}

// NewPage adds a page to the working copy.
func (h *House) NewPage(ctx context.Context, a Actor, site, to, title, body string) (store.Page, error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	pages, err := store.WorkingCopy(ctx, h.DB, h.id(site))
	if err != nil {
		return store.Page{}, err
	}
	title = strings.TrimSpace(title)
	if title == "" {
		return store.Page{}, FieldErrors{"title": "Call the page something."}
	}
	normal, err := checkPath(pages, "", to)
	if err != nil {
		return store.Page{}, err
	}
	if err := h.mayWrite(a, site, normal); err != nil {
		return store.Page{}, err
	}
	if body == "" {
		body = "# " + title + "\n"
	}
	p := store.Page{ID: identity.Token()[:16], Path: normal, Title: title, Body: body, Listing: true, Version: 1, SavedAt: h.now(), SavedBy: a.Who}
	if err := store.AddPage(ctx, h.DB, h.id(site), p); err != nil {
		return store.Page{}, err
	}
	return p, h.reloadWorking(ctx, site)
}

// MovePage gives a page another path, with the pages below it, and keeps the
// links of the working copy right; and sets how it stands there. It gives the
// number of links that were changed.
func (h *House) MovePage(ctx context.Context, a Actor, site, id, to string, inMenu, listing bool) (links int, err error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	pages, err := store.WorkingCopy(ctx, h.DB, h.id(site))
	if err != nil {
		return 0, err
	}
	i := slices.IndexFunc(pages, func(p store.Page) bool { return p.ID == id })
	if i < 0 {
		return 0, ErrNoPage
	}
	from := pages[i].Path
	normal, err := checkPath(pages, id, to)
	if err != nil {
		return 0, err
	}
	if err := errors.Join(h.mayWrite(a, site, from), h.mayWrite(a, site, normal)); err != nil {
		return 0, err
	}
	moved := func(p string) string { // the root takes nothing along
		if p == from || from != "/" && access.Covers(from, p) {
			return normal + strings.TrimPrefix(p, from)
		}
		return p
	}
	if normal != from && from != "/" && access.Covers(from, normal) {
		return 0, FieldErrors{"path": "A page cannot stand below itself."}
	}
	for _, p := range pages {
		if to := moved(p.Path); to != p.Path && slices.ContainsFunc(pages, func(o store.Page) bool { return o.Path == to && moved(o.Path) == o.Path }) {
			return 0, FieldErrors{"path": fmt.Sprintf("Another page stands at %s already.", to)}
		}
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		// first out of each other's way: a path stands once
		for _, p := range pages {
			if moved(p.Path) != p.Path {
				if err := store.SetPage(ctx, tx, h.id(site), p.ID, "\x00"+p.ID, p.InMenu, p.Listing); err != nil {
					return err
				}
			}
		}
		for _, p := range pages {
			switch {
			case p.ID == id:
				err = store.SetPage(ctx, tx, h.id(site), id, normal, inMenu, listing)
			case moved(p.Path) != p.Path:
				err = store.SetPage(ctx, tx, h.id(site), p.ID, moved(p.Path), p.InMenu, p.Listing)
			}
			if err != nil {
				return err
			}
			if from == normal || !strings.Contains(p.Body, from) { // a link names it
				continue
			}
			body := content.Relink(p.Body, func(path string) string {
				if to := moved(path); to != path {
					links++
					return to
				}
				return path
			})
			if body != p.Body {
				if err := store.SavePage(ctx, tx, h.id(site), p, p.Title, body, a.Who, h.now()); err != nil {
					return err
				}
			}
		}
		return nil
	})
	if err != nil {
		return 0, fmt.Errorf("moving %s: %w", from, err)
	}
	return links, h.reloadWorking(ctx, site)
}

// ShiftPage puts a page before or after the one beside it in the order of the
// working copy.
func (h *House) ShiftPage(ctx context.Context, a Actor, site, id string, by int) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	pages, err := store.WorkingCopy(ctx, h.DB, h.id(site))
	if err != nil {
		return err
	}
	i := slices.IndexFunc(pages, func(p store.Page) bool { return p.ID == id })
	if i < 0 {
		return ErrNoPage
	}
	if err := h.mayWrite(a, site, pages[i].Path); err != nil {
		return err
	}
	above := path.Dir(pages[i].Path)
	beside := i
	for k := i + by; k >= 0 && k < len(pages); k += by {
		if path.Dir(pages[k].Path) == above && (pages[k].Path == "/") == (pages[i].Path == "/") {
			beside = k
			break
		}
	}
	if beside == i {
		return nil
	}
	pages[i], pages[beside] = pages[beside], pages[i]
	ids := make([]string, len(pages))
	for k, p := range pages {
		ids[k] = p.ID
	}
	if err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error { return store.OrderPages(ctx, tx, h.id(site), ids) }); err != nil {
		return err
	}
	return h.reloadWorking(ctx, site)
}

// DropPage takes a page out of the working copy. Visitors lose it with the next
// edition.
func (h *House) DropPage(ctx context.Context, a Actor, site, id string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	p, err := store.FindPage(ctx, h.DB, h.id(site), id)
	if err != nil {
		return err
	}
	if p == nil {
		return ErrNoPage
	}
	if err := h.mayWrite(a, site, p.Path); err != nil {
		return err
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(store.SavePage(ctx, tx, h.id(site), *p, p.Title, p.Body, a.Who, h.now()), store.DropPage(ctx, tx, h.id(site), id))
	})
	if err != nil {
		return err
	}
	return h.reloadWorking(ctx, site)
}

// SaveFile adds a picture or another file to the working copy, or replaces the
// one at its path.
func (h *House) SaveFile(ctx context.Context, a Actor, site, to, kind string, data []byte) (store.File, error) {
	normal, err := access.DocumentPath(to)
	switch {
	case err != nil:
		return store.File{}, FieldErrors{"file": capital(err.Error()) + "."}
	case len(data) > MostFile:
		return store.File{}, FieldErrors{"file": "A file has at most 16 MB."}
	case len(data) == 0:
		return store.File{}, FieldErrors{"file": "This file is empty."}
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayWrite(a, site, normal); err != nil {
		return store.File{}, err
	}
	f := store.File{Path: normal, Type: kind, Size: len(data)}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		if f.Blob, err = store.SaveBlob(ctx, tx, data); err != nil {
			return err
		}
		return store.SaveFile(ctx, tx, h.id(site), f)
	})
	if err != nil {
		return store.File{}, fmt.Errorf("saving %s: %w", normal, err)
	}
	return f, h.reloadWorking(ctx, site)
}

// DropFile takes a file out of the working copy.
func (h *House) DropFile(ctx context.Context, a Actor, site, at string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayWrite(a, site, at); err != nil {
		return err
	}
	err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(store.DropFile(ctx, tx, h.id(site), at), store.DropLooseBlobs(ctx, tx))
	})
	if err != nil {
		return fmt.Errorf("dropping %s: %w", at, err)
	}
	return h.reloadWorking(ctx, site)
}

// WorkingEdition is the working copy as an edition that is not published, to be
// looked at.
func (h *House) WorkingEdition(ctx context.Context, site string) (*LiveEdition, []store.Page, error) {
	pages, err := store.WorkingCopy(ctx, h.DB, h.id(site))
	if err != nil {
		return nil, nil, err
	}
	if err := renderPages(ctx, pages); err != nil {
		return nil, nil, err
	}
	files, err := store.WorkingFiles(ctx, h.DB, h.id(site))
	if err != nil {
		return nil, nil, err
	}
	e := liveEdition(&store.Edition{Site: h.id(site), Pages: pages, Files: keepTables(pages, files)})
	for i := range pages {
		e.Pages[pages[i].Path].html = &pages[i].HTML
	}
	return e, pages, nil
}

var notInName = regexp.MustCompile(`[^\p{L}\p{N}._-]+`)

// FileName makes a name that stands in an address from that of a file.
func FileName(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	name = strings.Trim(notInName.ReplaceAllString(strings.ToLower(name), "-"), "-.")
	if name == "" {
		return "file"
	}
	return name
}

// FileType is the media type by which a file is served. What browsers would run
// is served as what is downloaded.
func FileType(name string, data []byte) string {
	kind := mime.TypeByExtension(strings.ToLower(path.Ext(name)))
	if kind == "" {
		kind = http.DetectContentType(data)
	}
	switch base, _, _ := strings.Cut(kind, ";"); base {
	case "text/html", "application/xhtml+xml", "text/javascript", "application/javascript", "text/xml", "application/xml":
		return "application/octet-stream"
	}
	return kind
}
