package store

import (
	"context"
	"database/sql"
	"fmt"
	"time"
)

// Page is a page of a working copy or of an edition.
type Page struct {
	Path, Title string
	Body        string // Markdown
	HTML        string // rendered and sanitised; editions only
	InMenu      bool
}

// File is a picture or another file beside the pages.
type File struct {
	Path, Type string
	Data       []byte
}

// Edition is a published state of a site.
type Edition struct {
	Site   string
	Number int
	At     time.Time
	Who    string
	Note   string
	Pages  []Page
	Files  []File
}

// SaveEdition writes an edition with its pages and files.
func SaveEdition(ctx context.Context, q Queryer, e *Edition) error {
	err := exec(ctx, q, `INSERT INTO editions (site, number, at, who, note) VALUES (?, ?, ?, ?, ?)`, e.Site, e.Number, e.At.Unix(), e.Who, e.Note)
	for i, p := range e.Pages {
		if err == nil {
			err = exec(ctx, q, `INSERT INTO edition_pages (site, number, path, title, body, html, position, in_menu) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
				e.Site, e.Number, p.Path, p.Title, p.Body, p.HTML, i, p.InMenu)
		}
	}
	for _, f := range e.Files {
		if err == nil {
			err = exec(ctx, q, `INSERT INTO edition_files (site, number, path, type, data) VALUES (?, ?, ?, ?, ?)`, e.Site, e.Number, f.Path, f.Type, f.Data)
		}
	}
	if err != nil {
		return fmt.Errorf("writing edition %d of %s: %w", e.Number, e.Site, err)
	}
	return nil
}

// LiveEditions reads the newest edition of each site.
func LiveEditions(ctx context.Context, q Queryer) (map[string]*Edition, error) {
	newest, err := collect(ctx, q, func(r *sql.Rows) (*Edition, error) {
		e := &Edition{}
		var at int64
		err := r.Scan(&e.Site, &e.Number, &at, &e.Who, &e.Note)
		e.At = time.Unix(at, 0)
		return e, err
	}, `SELECT site, number, at, who, note FROM editions AS e WHERE number = (SELECT max(number) FROM editions WHERE site = e.site)`)
	if err != nil {
		return nil, fmt.Errorf("reading editions: %w", err)
	}
	bySite := map[string]*Edition{}
	for _, e := range newest {
		bySite[e.Site] = e
		e.Pages, err = collect(ctx, q, func(r *sql.Rows) (p Page, err error) {
			return p, r.Scan(&p.Path, &p.Title, &p.Body, &p.HTML, &p.InMenu)
		}, `SELECT path, title, body, html, in_menu FROM edition_pages WHERE site = ? AND number = ? ORDER BY position`, e.Site, e.Number)
		if err != nil {
			return nil, fmt.Errorf("reading pages: %w", err)
		}
		e.Files, err = collect(ctx, q, func(r *sql.Rows) (f File, err error) {
			return f, r.Scan(&f.Path, &f.Type, &f.Data)
		}, `SELECT path, type, data FROM edition_files WHERE site = ? AND number = ?`, e.Site, e.Number)
		if err != nil {
			return nil, fmt.Errorf("reading files: %w", err)
		}
	}
	return bySite, nil
}

// SaveWorkingPages makes the working copy of a site hold just these pages.
func SaveWorkingPages(ctx context.Context, q Queryer, site string, pages []Page) error {
	if err := exec(ctx, q, `DELETE FROM pages WHERE site = ?`, site); err != nil {
		return err
	}
	for i, p := range pages {
		err := exec(ctx, q, `INSERT INTO pages (site, path, title, body, position, in_menu) VALUES (?, ?, ?, ?, ?, ?)`, site, p.Path, p.Title, p.Body, i, p.InMenu)
		if err != nil {
			return fmt.Errorf("writing the page %s: %w", p.Path, err)
		}
	}
	return nil
}

// WorkingPages reads the working copy of every site.
func WorkingPages(ctx context.Context, q Queryer) (map[string][]Page, error) {
	bySite := map[string][]Page{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site string
		var p Page
		if err = r.Scan(&site, &p.Path, &p.Title, &p.Body, &p.InMenu); err == nil {
			bySite[site] = append(bySite[site], p)
		}
		return
	}, `SELECT site, path, title, body, in_menu FROM pages ORDER BY site, position`)
	return bySite, err
}
