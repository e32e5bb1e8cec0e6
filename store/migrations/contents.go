package migrations

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
)

// stays is the edition until which a page stands that stands in the last one.
const stays = 1 << 40

// contentsOnce is migration 25: what pages of editions say is kept once, by its mark, and a
// page that is the same in several editions after each other is one row.
func contentsOnce(ctx context.Context, tx *sql.Tx) error {
	for _, statement := range []string{
		`ALTER TABLE edition_pages RENAME TO edition_pages_before`,
		`DROP INDEX edition_pages_outline`,
		`DROP INDEX edition_pages_marks`,
		`CREATE TABLE page_contents (
			id   INTEGER PRIMARY KEY,
			site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
			mark BLOB NOT NULL, -- SHA-256 over both, see contentMark
			body TEXT NOT NULL,
			html TEXT NOT NULL, -- rendered and sanitised
			UNIQUE (site, mark)
		)`,
		`CREATE TABLE edition_pages (
			site     TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
			path     TEXT NOT NULL,
			since    INTEGER NOT NULL, -- the first edition in which it stands so
			until    INTEGER NOT NULL, -- the first in which it does not any more
			id       TEXT NOT NULL,    -- of the page, wherever it moves
			title    TEXT NOT NULL,
			position INTEGER NOT NULL,
			in_menu  INTEGER NOT NULL,
			listing  INTEGER NOT NULL,
			kind     TEXT NOT NULL,
			mark     TEXT NOT NULL, -- of title and body
			file     TEXT NOT NULL,
			head     TEXT NOT NULL,
			changed  INTEGER NOT NULL, -- when what it says was changed last
			content  INTEGER NOT NULL REFERENCES page_contents (id),
			PRIMARY KEY (site, path, since)
		) WITHOUT ROWID`,
	} {
		if err := exec(ctx, tx, statement); err != nil {
			return fmt.Errorf("keeping contents once: %w", err)
		}
	}
	contents, err := contentNumbers(ctx, tx)
	if err != nil {
		return fmt.Errorf("keeping contents once: %w", err)
	}
	for row, content := range contents {
		if err := exec(ctx, tx, `INSERT INTO temp.numbered (row, content) VALUES (?, ?)`, row, content); err != nil {
			return err
		}
	}
	for _, statement := range []string{
		// Editions of a site after each other in which a page stands alike: the number of the
		// edition in its order less that of the page's row is the same for all of them.
		`WITH placed AS (
			SELECT site, number, row_number() OVER site AS place, lead(number) OVER site AS next FROM editions WINDOW site AS (PARTITION BY site ORDER BY number)
		), rows AS (
			SELECT p.*, n.content, e.number AS first, coalesce(e.next, ` + fmt.Sprint(stays) + `) AS last,
				e.place - row_number() OVER (PARTITION BY p.site, p.path, p.id, p.title, p.position, p.in_menu, p.listing, p.kind, p.file, p.head, n.content ORDER BY p.number) AS stretch
			FROM edition_pages_before p JOIN placed e ON e.site = p.site AND e.number = p.number JOIN temp.numbered n ON n.row = p.rowid
		) INSERT INTO edition_pages (site, path, since, until, id, title, position, in_menu, listing, kind, mark, file, head, changed, content)
			SELECT site, path, min(first), max(last), id, title, position, in_menu, listing, kind, max(mark), file, head, min(changed), content FROM rows
			GROUP BY site, path, id, title, position, in_menu, listing, kind, file, head, content, stretch`,
		`DROP TABLE temp.numbered`,
		`DROP TABLE edition_pages_before`,
		`CREATE INDEX edition_pages_outline ON edition_pages (site, until, since, position, id, path, title, in_menu, listing, kind, mark, file, changed)`,
		`CREATE INDEX edition_pages_marks ON edition_pages (site, id, until, since, path, in_menu, listing, mark)`,
	} {
		if err := exec(ctx, tx, statement); err != nil {
			return fmt.Errorf("keeping contents once: %w", err)
		}
	}
	return nil
}

// contentNumbers keeps what all rows of editions say, and returns its number by row.
func contentNumbers(ctx context.Context, tx *sql.Tx) (map[int64]int64, error) {
	if err := exec(ctx, tx, `CREATE TEMP TABLE numbered (row INTEGER PRIMARY KEY, content INTEGER NOT NULL)`); err != nil {
		return nil, err
	}
	numbers := map[int64]int64{}
	type row struct {
		at               int64
		site, body, html string
	}
	for after, most := int64(0), 500; ; {
		list, err := collect(ctx, tx, func(r *sql.Rows) (p row, err error) {
			return p, r.Scan(&p.at, &p.site, &p.body, &p.html)
		}, `SELECT rowid, site, body, html FROM edition_pages_before WHERE rowid > ? ORDER BY rowid LIMIT ?`, after, most)
		if err != nil {
			return nil, err
		}
		for _, p := range list {
			if numbers[p.at], err = keepContent(ctx, tx, p.site, p.body, p.html); err != nil {
				return nil, err
			}
		}
		if len(list) < most {
			return numbers, nil
		}
		after = list[len(list)-1].at
	}
}

// keepContent keeps what a page says, where that is not kept yet, and returns its number. Its mark is the
// SHA-256 over the length of the body, the body and the HTML.
func keepContent(ctx context.Context, tx *sql.Tx, site, body, html string) (id int64, err error) {
	sum := sha256.New()
	sum.Write(binary.BigEndian.AppendUint64(nil, uint64(len(body))))
	sum.Write([]byte(body))
	sum.Write([]byte(html))
	mark := sum.Sum(nil)
	err = tx.QueryRowContext(ctx, `SELECT id FROM page_contents WHERE site = ? AND mark = ?`, site, mark).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		err = tx.QueryRowContext(ctx, `INSERT INTO page_contents (site, mark, body, html) VALUES (?, ?, ?, ?) RETURNING id`, site, mark, body, html).Scan(&id)
	}
	return id, err
}
