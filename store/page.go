package store

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// Page is a page of a working copy or of an edition.
type Page struct {
	ID          string // the same wherever the page moves
	Path, Title string
	Kind        string // markdown, or html with a look of its own
	Body        string
	HTML        string // rendered and sanitised; editions only
	InMenu      bool
	Listing     bool // whether search engines may list it, as far as the page goes
	Version     int  // working copies only: how often it was saved
	SavedAt     time.Time
	SavedBy     Who
	File        string    // what it was called in the archive that it came from; "" where it was written here
	Head        string    // the front matter that it had there
	Mark        string    // of its title and body, where it is read without them
	Changed     time.Time // when that was changed last, in editions that are read without their texts
}

// PageSave is one state that a page of a working copy had.
type PageSave struct {
	Version     int
	At          time.Time
	Who         Who
	Title, Body string
}

const pageColumns = `id, path, title, body, in_menu, listing, version, saved_at, saved_by, kind, file, head`

func scanPage(r *sql.Rows) (p Page, err error) {
	var at int64
	err = r.Scan(&p.ID, &p.Path, &p.Title, &p.Body, &p.InMenu, &p.Listing, &p.Version, &at, &p.SavedBy, &p.Kind, &p.File, &p.Head)
	if at > 0 {
		p.SavedAt = time.Unix(at, 0)
	}
	return p, err
}

// WorkingCopy reads the pages of a site's working copy, in order.
func WorkingCopy(ctx context.Context, q Reader, site SiteID) ([]Page, error) {
	pages, err := collect(ctx, q, scanPage, `SELECT `+pageColumns+` FROM pages WHERE site = ? ORDER BY position, rowid`, site)
	if err != nil {
		return nil, fmt.Errorf("reading the working copy of %s: %w", site, err)
	}
	return pages, nil
}

// FindPage reads a page of a working copy; nil where there is none.
func FindPage(ctx context.Context, q Reader, site SiteID, id string) (*Page, error) {
	list, err := collect(ctx, q, scanPage, `SELECT `+pageColumns+` FROM pages WHERE site = ? AND id = ?`, site, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// mark is of what a page says: the same for the same title and text.
func mark(title, body string) string {
	sum := sha256.Sum256([]byte(title + "\x00" + body))
	return hex.EncodeToString(sum[:16])
}

// AddPage adds a page at the end of a working copy.
func AddPage(ctx context.Context, q Queryer, site SiteID, p Page) error {
	err := exec(ctx, q, `INSERT INTO pages (site, id, path, title, body, position, in_menu, listing, version, saved_at, saved_by, kind, mark, file, head)
		VALUES (?1, ?2, ?3, ?4, ?5, (SELECT coalesce(max(position), -1) + 1 FROM pages WHERE site = ?1), ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13, ?14)`,
		site, p.ID, p.Path, p.Title, p.Body, p.InMenu, p.Listing, max(1, p.Version), p.SavedAt.Unix(), p.SavedBy, cmp.Or(p.Kind, "markdown"), mark(p.Title, p.Body), p.File, p.Head)
	if err != nil {
		return fmt.Errorf("writing the page %s: %w", p.Path, err)
	}
	return nil
}

// How long every single save of a page is kept, and the stretches of which the
// last save of each person is kept after that.
const (
	keepEverySave = 24 * time.Hour
	saveStretch   = 10 * time.Minute
)

// thinEvery is after how many saves of a page its earlier ones are thinned out, while
// somebody goes on writing; when they come back to it they are too.
const thinEvery = 16

// SavePage keeps what a page says in its working copy, and what it was before.
// What is saved while somebody types is many states, and is thinned out later.
func SavePage(ctx context.Context, q Queryer, site SiteID, was Page, title, body string, who Who, at time.Time) error {
	err := errors.Join(
		exec(ctx, q, `INSERT INTO page_saves (site, page, version, at, who, title, body) VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
			site, was.ID, was.Version, was.SavedAt.Unix(), was.SavedBy, was.Title, was.Body),
		exec(ctx, q, `UPDATE pages SET title = ?, body = ?, mark = ?, version = version + 1, saved_at = ?, saved_by = ? WHERE site = ? AND id = ?`,
			title, body, mark(title, body), at.Unix(), who, site, was.ID),
	)
	if err != nil || was.Version%thinEvery != 0 && at.Sub(was.SavedAt) < saveStretch {
		return err
	}
	return exec(ctx, q, `DELETE FROM page_saves WHERE site = ?1 AND page = ?2 AND at < ?3 AND version NOT IN
		(SELECT max(version) FROM page_saves WHERE site = ?1 AND page = ?2 GROUP BY who, at / ?4)`,
		site, was.ID, at.Add(-keepEverySave).Unix(), int(saveStretch.Seconds()))
}

// SetPage changes how a page stands in the working copy: its path, and whether
// it is in the menu and may be listed.
func SetPage(ctx context.Context, q Queryer, site SiteID, id, path string, inMenu, listing bool) error {
	return exec(ctx, q, `UPDATE pages SET path = ?, in_menu = ?, listing = ? WHERE site = ? AND id = ?`, path, inMenu, listing, site, id)
}

// OrderPages puts the pages of a working copy into an order.
func OrderPages(ctx context.Context, q Queryer, site SiteID, ids []string) error {
	for i, id := range ids {
		if err := exec(ctx, q, `UPDATE pages SET position = ? WHERE site = ? AND id = ?`, i, site, id); err != nil {
			return err
		}
	}
	return nil
}

// DropPage takes a page out of a working copy; its saves stay, so that it can
// be brought back.
func DropPage(ctx context.Context, q Queryer, site SiteID, id string) error {
	return exec(ctx, q, `DELETE FROM pages WHERE site = ? AND id = ?`, site, id)
}

// PageSaves lists the earlier states of a page without what they say, the latest first.
func PageSaves(ctx context.Context, q Reader, site SiteID, id string, most int) ([]PageSave, error) {
	return collect(ctx, q, func(r *sql.Rows) (s PageSave, err error) {
		var at int64
		err = r.Scan(&s.Version, &at, &s.Who)
		s.At = time.Unix(at, 0)
		return s, err
	}, `SELECT version, at, who FROM page_saves WHERE site = ? AND page = ? ORDER BY version DESC LIMIT ?`, site, id, most)
}

// PageSaved reads one earlier state of a page; nil where there is none.
func PageSaved(ctx context.Context, q Reader, site SiteID, id string, version int) (*PageSave, error) {
	list, err := collect(ctx, q, func(r *sql.Rows) (s PageSave, err error) {
		return s, r.Scan(&s.Version, &s.Title, &s.Body)
	}, `SELECT version, title, body FROM page_saves WHERE site = ? AND page = ? AND version = ?`, site, id, version)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// SaveWorkingPages makes the working copy of a site hold just these pages.
func SaveWorkingPages(ctx context.Context, q Queryer, site SiteID, pages []Page) error {
	if err := exec(ctx, q, `DELETE FROM pages WHERE site = ?`, site); err != nil {
		return err
	}
	for _, p := range pages {
		if err := AddPage(ctx, q, site, p); err != nil {
			return err
		}
	}
	return nil
}

// WorkingOutlines reads the working copy of every site, or of one, without the
// pages' texts.
func WorkingOutlines(ctx context.Context, q Reader, site SiteID) (map[SiteID]*Edition, error) {
	bySite := map[SiteID]*Edition{}
	of := func(id SiteID) *Edition {
		e := bySite[id]
		if e == nil {
			e = &Edition{Site: id}
			bySite[id] = e
		}
		return e
	}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var id SiteID
		var p Page
		if err = r.Scan(&id, &p.ID, &p.Path, &p.Title, &p.InMenu, &p.Listing, &p.Mark); err == nil {
			e := of(id)
			e.Pages = append(e.Pages, p)
		}
		return
	}, `SELECT site, id, path, title, in_menu, listing, mark FROM pages INDEXED BY pages_outline`, "site", site, " ORDER BY site, position, id")
	if err != nil {
		return nil, fmt.Errorf("reading working copies: %w", err)
	}
	_, err = collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var id SiteID
		var f File
		if err = r.Scan(&id, &f.Path, &f.Blob, &f.Text); err == nil {
			e := of(id)
			e.Files = append(e.Files, f)
		}
		return
	}, `SELECT site, path, blob, text FROM files`, "site", site, "")
	if err != nil {
		return nil, fmt.Errorf("reading the files of working copies: %w", err)
	}
	_, err = collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var id SiteID
		var text []byte
		if err = r.Scan(&id, &text); err == nil {
			err = json.Unmarshal(text, &of(id).Look)
		}
		return
	}, `SELECT site, look FROM looks`, "site", site, "")
	if err != nil {
		return nil, fmt.Errorf("reading the looks of working copies: %w", err)
	}
	return bySite, nil
}

// ChangedBodies returns the ids of the pages of a working copy whose text differs
// from the live edition's.
func ChangedBodies(ctx context.Context, q Reader, site SiteID) (map[string]bool, error) {
	changed := map[string]bool{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var id string
		if err = r.Scan(&id); err == nil {
			changed[id] = true
		}
		return
	}, `SELECT p.id FROM pages p JOIN sites s ON s.id = p.site JOIN edition_pages e ON e.site = p.site AND e.id = p.id AND e.until > s.live AND e.since <= s.live
		WHERE p.site = ? AND e.mark <> p.mark`, site)
	return changed, err
}

// ChangedPages counts the pages of a working copy at or below a path that differ
// from the live edition.
func ChangedPages(ctx context.Context, q Reader, site SiteID, under string) (n int, err error) {
	err = q.QueryRowContext(ctx, `SELECT count(*) FROM pages p JOIN sites s ON s.id = p.site
		LEFT JOIN edition_pages e ON e.site = p.site AND e.id = p.id AND e.until > s.live AND e.since <= s.live
		WHERE p.site = ?1 AND (p.path = ?2 OR substr(p.path, 1, length(?2) + 1) = ?2 || '/')
		AND (e.id IS NULL OR e.mark <> p.mark OR e.path <> p.path OR e.in_menu <> p.in_menu OR e.listing <> p.listing)`, site, under).Scan(&n)
	return n, err
}
