// Package pages holds working copies, editions, archives and where a site is found.
package pages

import (
	"context"
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/content"
	"velada/core/parts"
	"velada/house"
	"velada/limits"
	"velada/pictures"
	"velada/store"
	"velada/words"
)

// LongestPage is the most bytes that a page may have.
const LongestPage = 1 << 20

// MostFile is the most bytes that a file of a working copy may have.
const MostFile = 16 << 20

// ErrNoPage says that there is no such page in the draft.
var ErrNoPage = errors.New("there is no such page in the draft")

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

// SavePage saves what somebody wrote on a page from a version of it. What others saved
// since then is merged in line by line; where that is not safe nothing is saved and a
// Conflict is given. force saves over it, knowing it. It returns ErrNoPage,
// house.ErrSection, house.FieldErrors, or ErrBusy where others save each time.
func SavePage(ctx context.Context, h *house.House, a house.Actor, site, id string, version int, title, body string, force bool) (Saved, error) {
	title, body = strings.TrimSpace(title), strings.ReplaceAll(body, "\r\n", "\n")
	for range 5 {
		now, err := store.FindPage(ctx, h.Reader(), h.SiteID(site), id)
		switch {
		case err != nil:
			return Saved{}, err
		case now == nil:
			return Saved{}, ErrNoPage
		}
		if err := h.May(ctx, a, house.ToWrite(site, now.Path)); err != nil {
			return Saved{}, err
		}
		switch {
		case title == "":
			return Saved{}, house.FieldErrors{"title": "A page has a title."}
		case len(body) > LongestPage:
			return Saved{}, house.FieldErrors{"body": "A page has at most 1 MB of text."}
		}
		saved := Saved{Page: *now}
		saved.Page.Title, saved.Page.Body = title, body
		if version != now.Version && !force { // put together by no lock: it may take a while
			var conflict Conflict
			if saved, err = mergeSave(ctx, h, site, *now, version, title, body); errors.As(err, &conflict) {
				err = errors.Join(err, keepUnmerged(ctx, h, a, site, conflict.Mine))
			}
			if err != nil {
				return Saved{}, err
			}
		}
		again, err := keepPage(ctx, h, a, site, *now, &saved)
		if !again {
			return saved, err
		}
	}
	return Saved{}, ErrBusy
}

// putTogether merges what somebody wrote from an earlier version of a page into what
// it says now.
func mergeSave(ctx context.Context, h *house.House, site string, now store.Page, version int, title, body string) (Saved, error) {
	base, err := store.PageSaved(ctx, h.Reader(), h.SiteID(site), now.ID, version)
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

// keepUnmerged keeps what somebody wrote and was not saved, beside the history of the page: it is nowhere else
// once they leave it.
func keepUnmerged(ctx context.Context, h *house.House, a house.Actor, site string, mine store.Page) error {
	err := h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		if err := tx.Require(house.ToWrite(site, mine.Path)); err != nil {
			return err
		}
		return store.SaveUnmerged(ctx, tx, tx.State().ID(site), mine.ID, store.Unmerged{At: tx.Now(), Who: a.Who, Title: mine.Title, Body: mine.Body})
	})
	if err != nil {
		return fmt.Errorf("keeping what was not merged: %w", err)
	}
	return nil
}

// keepPage saves a page that was worked out from what it was; again says that
// somebody else has saved it since.
func keepPage(ctx context.Context, h *house.House, a house.Actor, site string, was store.Page, saved *Saved) (again bool, err error) {
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		id := tx.State().ID(site)
		now, err := store.FindPage(ctx, tx, id, was.ID)
		switch {
		case err != nil:
			return err
		case now == nil:
			return ErrNoPage
		}
		if err := tx.Require(house.ToWrite(site, now.Path)); err != nil {
			return err
		}
		if again = now.Version != was.Version; again {
			return nil
		}
		title, body := saved.Page.Title, saved.Page.Body
		saved.Page = *now
		if title == now.Title && body == now.Body {
			return nil
		}
		if err := mayBringIn(tx, site, now.Body, body); err != nil {
			return err
		}
		saved.Page.Title, saved.Page.Body, saved.Page.Version = title, body, now.Version+1
		saved.Page.SavedAt, saved.Page.SavedBy = tx.Now(), a.Who
		tx.Renew(id, house.WorkingCopy)
		return store.SavePage(ctx, tx, id, *now, title, body, a.Who, tx.Now())
	})
	if err != nil {
		return false, fmt.Errorf("saving the page: %w", err)
	}
	return again, nil
}

// PathFor makes a path for a title below another page.
func PathFor(under, title string) string {
	name := parts.PathSlug(title)
	if name == "" {
		name = "page"
	}
	return path.Join(under, name)
}

// NewPage adds a page to the working copy. It returns house.FieldErrors, or
// house.ErrSection.
func NewPage(ctx context.Context, h *house.House, a house.Actor, site string, new house.PageDraft) (page store.Page, err error) {
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		if err := mayBringIn(tx, site, "", new.Body); err != nil {
			return err
		}
		page, err = house.NewPage(tx, site, new)
		return err
	})
	if err != nil {
		return store.Page{}, err
	}
	return page, nil
}

// MovePage gives a page another path, with the pages below it, and keeps the links of
// the working copy right; and sets how it stands there. It returns the number of links
// that were changed. It returns ErrNoPage, house.ErrSection, or house.FieldErrors.
func MovePage(ctx context.Context, h *house.House, a house.Actor, site, id, to string, inMenu, listing bool) (links int, err error) {
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		of := tx.State().ID(site)
		pages, err := store.WorkingCopy(ctx, tx, of)
		if err != nil {
			return err
		}
		m, err := moving(pages, id, to)
		if err != nil {
			return err
		}
		if err := errors.Join(tx.Require(house.ToWrite(site, m.from)), tx.Require(house.ToWrite(site, m.to))); err != nil {
			return err
		}
		if err := m.free(pages); err != nil {
			return err
		}
		tx.Renew(of, house.WorkingCopy)
		if err := m.files(tx, of); err != nil {
			return err
		}
		for _, p := range pages { // first out of each other's way: a path stands once
			if m.of(p.Path) != p.Path {
				tx.Try(store.SetPage(ctx, tx, of, p.ID, "\x00"+p.ID, p.InMenu, p.Listing))
			}
		}
		for _, p := range pages {
			switch {
			case p.ID == id:
				tx.Try(store.SetPage(ctx, tx, of, id, m.to, inMenu, listing))
			case m.of(p.Path) != p.Path:
				tx.Try(store.SetPage(ctx, tx, of, p.ID, m.of(p.Path), p.InMenu, p.Listing))
			}
			body, n := m.relink(p)
			if links += n; body != p.Body {
				tx.Try(store.SavePage(ctx, tx, of, p, p.Title, body, a.Who, tx.Now()))
			}
		}
		return nil
	})
	if err != nil {
		return 0, fmt.Errorf("moving the page: %w", err)
	}
	return links, nil
}

// move is a page on its way to another path, with the pages below it.
type move struct{ from, to string }

// moving reads where a page stands and where it is to stand.
func moving(pages []store.Page, id, to string) (m move, err error) {
	i := slices.IndexFunc(pages, func(p store.Page) bool { return p.ID == id })
	if i < 0 {
		return m, ErrNoPage
	}
	m.from = pages[i].Path
	m.to, err = house.CheckPath(pages, id, to)
	return m, err
}

// of returns where a path is after the move; the root takes nothing along.
func (m move) of(path string) string {
	if path == m.from || m.from != "/" && access.Covers(m.from, path) {
		return m.to + strings.TrimPrefix(path, m.from)
	}
	return path
}

// free checks that nothing stands where the pages go.
func (m move) free(pages []store.Page) error {
	if m.to != m.from && m.from != "/" && access.Covers(m.from, m.to) {
		return house.FieldErrors{"path": "A page cannot stand below itself."}
	}
	for _, p := range pages {
		to := m.of(p.Path)
		taken := func(o store.Page) bool { return o.Path == to && m.of(o.Path) == o.Path }
		if to != p.Path && slices.ContainsFunc(pages, taken) {
			return house.FieldErrors{"path": fmt.Sprintf("There is a page at %s already.", to)}
		}
	}
	return nil
}

// files moves the files along that stand with the pages, so that they keep the doors of those, and
// what the look names of them.
func (m move) files(tx *house.Tx, of store.SiteID) error {
	files, err := store.WorkingFiles(tx.Context(), tx, of)
	if err != nil {
		return err
	}
	there := map[string]bool{}
	for _, f := range files {
		there[f.Path] = true
	}
	for _, f := range files {
		to := m.of(f.Path)
		if to == f.Path {
			continue
		}
		if there[to] {
			return house.FieldErrors{"path": fmt.Sprintf("There is a file at %s already.", to)}
		}
		tx.Try(store.MoveFile(tx.Context(), tx, of, f.Path, to))
	}
	look, err := store.WorkingLook(tx.Context(), tx, of)
	if err != nil {
		return err
	}
	moved := look
	moved.Picture, moved.Logo = m.of(look.Picture), m.of(look.Logo)
	if moved != look {
		tx.Try(store.SaveLook(tx.Context(), tx, of, moved))
	}
	return nil
}

// relink returns the text of a page with its links to what moves put right, and how
// many those were.
func (m move) relink(p store.Page) (body string, links int) {
	if m.from == m.to || !strings.Contains(p.Body, m.from) { // a link names it
		return p.Body, 0
	}
	body = content.Relink(p.Body, func(path string) string {
		to := m.of(path)
		if to != path {
			links++
		}
		return to
	})
	return body, links
}

// ShiftPage puts a page before or after the one beside it in the order of the working
// copy. It returns ErrNoPage, or house.ErrSection.
func ShiftPage(ctx context.Context, h *house.House, a house.Actor, site, id string, by int) error {
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		of := tx.State().ID(site)
		pages, err := store.WorkingCopy(ctx, tx, of)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(pages, func(p store.Page) bool { return p.ID == id })
		if i < 0 {
			return ErrNoPage
		}
		if err := tx.Require(house.ToWrite(site, pages[i].Path)); err != nil {
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
		tx.Renew(of, house.WorkingCopy)
		return store.OrderPages(ctx, tx, of, ids)
	})
}

// DropPage takes a page out of the working copy. Visitors lose it with the next edition.
// It returns ErrNoPage, or house.ErrSection.
func DropPage(ctx context.Context, h *house.House, a house.Actor, site, id string) error {
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		of := tx.State().ID(site)
		p, err := store.FindPage(ctx, tx, of, id)
		if err != nil {
			return err
		}
		if p == nil {
			return ErrNoPage
		}
		if err := tx.Require(house.ToWrite(site, p.Path)); err != nil {
			return err
		}
		tx.Renew(of, house.WorkingCopy)
		tx.Try(store.SavePage(ctx, tx, of, *p, p.Title, p.Body, a.Who, tx.Now()))
		return store.DropPage(ctx, tx, of, id)
	})
}

// SaveFile adds a picture or another file to the working copy, or replaces the one at
// its path: never what stands at the path of a page. It returns house.FieldErrors; a file has at
// most MostFile bytes.
func SaveFile(ctx context.Context, h *house.House, a house.Actor, site, to, kind string, data []byte, text string) (store.File, error) {
	normal, err := access.DocumentPath(to)
	switch {
	case err != nil:
		return store.File{}, house.FieldErrors{"file": words.Capital(err.Error()) + "."}
	case len(data) > MostFile:
		return store.File{}, house.FieldErrors{"file": "A file has at most 16 MB."}
	case len(data) == 0:
		return store.File{}, house.FieldErrors{"file": "This file is empty."}
	}
	if err := h.May(ctx, a, house.ToWrite(site, normal)); err != nil { // before a picture is opened
		return store.File{}, err
	}
	if data, err = pictures.Clean(kind, data); err != nil {
		return store.File{}, house.FieldErrors{"file": words.Capital(err.Error()) + "."}
	}
	f := store.File{Path: normal, Type: kind, Size: len(data), Text: strings.TrimSpace(text)}
	return f, h.Change(ctx, a, house.ToWrite(site, normal), func(tx *house.Tx) (err error) {
		if _, page := tx.State().Site(site).Working.Titles[normal]; page || access.Covers("/velada", normal) || access.Covers("/go", normal) {
			return house.FieldErrors{"file": fmt.Sprintf("A page has the address %s: give the file another name.", normal)}
		}
		if f.Blob, err = store.SaveBlob(ctx, tx, data); err != nil {
			return err
		}
		tx.Renew(tx.State().ID(site), house.WorkingCopy)
		return store.SaveFile(ctx, tx, tx.State().ID(site), f)
	})
}

// ErrNoFile says that there is no such file in the draft.
var ErrNoFile = errors.New("there is no such file in the draft")

// findFile reads a file of the draft by its path. It returns ErrNoFile.
func findFile(ctx context.Context, q store.Reader, of store.SiteID, at string) (store.File, error) {
	files, err := store.WorkingFiles(ctx, q, of)
	if err != nil {
		return store.File{}, err
	}
	i := slices.IndexFunc(files, func(f store.File) bool { return f.Path == at })
	if i < 0 {
		return store.File{}, ErrNoFile
	}
	return files[i], nil
}

// ReplaceFile puts another file in the place of one of the draft, wherever it stands; what a picture
// shows stays said. It returns ErrNoFile, and what SaveFile returns.
func ReplaceFile(ctx context.Context, h *house.House, a house.Actor, site, at, kind string, data []byte) (store.File, error) {
	was, err := findFile(ctx, h.Reader(), h.SiteID(site), at)
	if err != nil {
		return store.File{}, err
	}
	return SaveFile(ctx, h, a, site, was.Path, kind, data, was.Text)
}

// mostDescribed is how long it may be said what a picture shows, in letters.
const mostDescribed = 400

// DescribeFile says of a picture of the draft what it shows. It returns ErrNoFile, or house.FieldErrors.
func DescribeFile(ctx context.Context, h *house.House, a house.Actor, site, at, text string) error {
	normal, err := access.DocumentPath(at)
	if err != nil {
		return ErrNoFile
	}
	return h.Change(ctx, a, house.ToWrite(site, normal), func(tx *house.Tx) error {
		if text = strings.TrimSpace(text); limits.Longer(text, mostDescribed) {
			return house.FieldErrors{"text": "At most 400 characters."}
		}
		if _, err := findFile(ctx, tx, tx.State().ID(site), normal); err != nil {
			return err
		}
		tx.Renew(tx.State().ID(site), house.WorkingCopy)
		return store.DescribeFile(ctx, tx, tx.State().ID(site), normal, text)
	})
}

// DropFile takes a file out of the working copy.
func DropFile(ctx context.Context, h *house.House, a house.Actor, site, at string) error {
	return h.Change(ctx, a, house.ToWrite(site, at), func(tx *house.Tx) error {
		tx.Renew(tx.State().ID(site), house.WorkingCopy)
		tx.Try(store.DropFile(ctx, tx, tx.State().ID(site), at))
		return store.DropLooseBlobs(ctx, tx)
	})
}

// FileName makes a name that stands in an address from that of a file.
func FileName(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	name = parts.PathSlug(name)
	if name == "" {
		return "file"
	}
	return name
}
