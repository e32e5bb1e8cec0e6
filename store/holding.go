package store

import (
	"context"
	"database/sql"
)

// HoldingPage is what a site's holding page says and how it looks.
type HoldingPage struct {
	Site        SiteID
	Design      string // see the gate's designs; own is a page of their own
	Heading     string
	Words       string
	Contact     string
	Countdown   bool
	HTML        string
	Picture     []byte
	PictureType string
}

// HoldingPages reads the holding pages that were written.
func HoldingPages(ctx context.Context, q Reader, site SiteID) ([]HoldingPage, error) {
	return collectOf(ctx, q, func(r *sql.Rows) (p HoldingPage, err error) {
		return p, r.Scan(&p.Site, &p.Design, &p.Heading, &p.Words, &p.Contact, &p.Countdown, &p.HTML, &p.Picture, &p.PictureType)
	}, `SELECT site, design, heading, words, contact, countdown, html, picture, picture_type FROM holding_pages`, "site", site, "")
}

// SaveHoldingPage writes a site's holding page.
func SaveHoldingPage(ctx context.Context, q Queryer, p HoldingPage) error {
	return exec(ctx, q, `INSERT INTO holding_pages (site, design, heading, words, contact, countdown, html, picture, picture_type) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET design = excluded.design, heading = excluded.heading, words = excluded.words, contact = excluded.contact,
		countdown = excluded.countdown, html = excluded.html, picture = excluded.picture, picture_type = excluded.picture_type`,
		p.Site, p.Design, p.Heading, p.Words, p.Contact, p.Countdown, p.HTML, p.Picture, p.PictureType)
}
