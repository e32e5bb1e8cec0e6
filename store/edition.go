package store

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"velada/core/looks"
)

// Edition is a published state of a site. It never changes.
type Edition struct {
	Site   SiteID
	Number int
	At     time.Time
	Who    Who
	Note   string
	Pages  []Page
	Files  []File
	Look   looks.Look
}

// stays is the number of an edition that is never reached: until then pages stand that stand
// in the latest edition.
const stays = 1 << 40

// held is a page as it stands from one edition on.
type held struct {
	Page
	position int
	content  int64
}

// SaveEdition writes an edition with its pages and files. Its number is higher than that of
// any edition before. What a page says is kept once, and a page that is as it was in the
// edition before is not written again.
func SaveEdition(ctx context.Context, q Queryer, e *Edition) error {
	if err := saveEdition(ctx, q, e); err != nil {
		return fmt.Errorf("writing edition %d of %s: %w", e.Number, e.Site, err)
	}
	return nil
}

func saveEdition(ctx context.Context, q Queryer, e *Edition) error {
	next, err := NextNumber(ctx, q, e.Site)
	switch {
	case err != nil:
		return err
	case e.Number < next:
		return fmt.Errorf("there is edition %d already", next-1)
	}
	before, err := heldPages(ctx, q, e.Site)
	if err != nil {
		return err
	}
	if err := exec(ctx, q, `INSERT INTO editions (site, number, at, who, note, look) VALUES (?, ?, ?, ?, ?, ?)`, e.Site, e.Number, e.At.Unix(), e.Who, e.Note, lookText(e.Look)); err != nil {
		return err
	}
	changedBefore := map[string]held{}
	for _, was := range before {
		changedBefore[was.ID] = was
	}
	for i, p := range e.Pages {
		now := held{Page: p, position: i}
		now.Kind, now.Mark, now.Changed = cmp.Or(p.Kind, "markdown"), mark(p.Title, p.Body), e.At
		if was := changedBefore[p.ID]; was.Mark == now.Mark {
			now.Changed = was.Changed
		}
		if now.content, err = keepContent(ctx, q, e.Site, p.Body, p.HTML); err != nil {
			return err
		}
		was, stood := before[p.Path]
		if stood && was.same(now) {
			delete(before, p.Path)
			continue
		}
		if stood {
			if err := dropHeld(ctx, q, e.Site, p.Path, e.Number); err != nil {
				return err
			}
			delete(before, p.Path)
		}
		err = exec(ctx, q, `INSERT INTO edition_pages (site, path, since, until, id, title, position, in_menu, listing, kind, mark, file, head, changed, content) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			e.Site, p.Path, e.Number, stays, p.ID, p.Title, i, p.InMenu, p.Listing, now.Kind, now.Mark, p.File, p.Head, now.Changed.Unix(), now.content)
		if err != nil {
			return err
		}
	}
	for path := range before {
		if err := dropHeld(ctx, q, e.Site, path, e.Number); err != nil {
			return err
		}
	}
	for _, f := range e.Files {
		if err := exec(ctx, q, `INSERT INTO edition_files (site, number, path, type, size, blob, text) VALUES (?, ?, ?, ?, ?, ?, ?)`, e.Site, e.Number, f.Path, f.Type, f.Size, f.Blob, f.Text); err != nil {
			return err
		}
	}
	return nil
}

// same reports whether a page stands in an edition just as in the one before.
func (h held) same(now held) bool {
	return h.ID == now.ID && h.Title == now.Title && h.position == now.position && h.InMenu == now.InMenu && h.Listing == now.Listing &&
		h.Kind == now.Kind && h.File == now.File && h.Head == now.Head && h.content == now.content
}

// heldPages reads the pages of the latest edition of a site without their texts, by path.
func heldPages(ctx context.Context, q Queryer, site SiteID) (map[string]held, error) {
	byPath := map[string]held{}
	_, err := collect(ctx, q, func(r *sql.Rows) (h held, err error) {
		var changed int64
		err = r.Scan(&h.Path, &h.ID, &h.Title, &h.position, &h.InMenu, &h.Listing, &h.Kind, &h.Mark, &h.File, &h.Head, &changed, &h.content)
		h.Changed = time.Unix(changed, 0)
		byPath[h.Path] = h
		return h, err
	}, `SELECT path, id, title, position, in_menu, listing, kind, mark, file, head, changed, content FROM edition_pages WHERE site = ? AND until = ?`, site, stays)
	return byPath, err
}

// dropHeld says that a page does not stand as it did any more from an edition on.
func dropHeld(ctx context.Context, q Queryer, site SiteID, path string, number int) error {
	return exec(ctx, q, `UPDATE edition_pages SET until = ? WHERE site = ? AND path = ? AND until = ?`, number, site, path, stays)
}

// contentMark is of what a page says and how that is rendered: the same for the same.
func contentMark(body, html string) []byte {
	sum := sha256.New()
	var long [8]byte
	binary.BigEndian.PutUint64(long[:], uint64(len(body)))
	sum.Write(long[:])
	sum.Write([]byte(body))
	sum.Write([]byte(html))
	return sum.Sum(nil)
}

// keepContent keeps what a page says, where that is not kept yet, and returns its number.
func keepContent(ctx context.Context, q Queryer, site SiteID, body, html string) (id int64, err error) {
	mark := contentMark(body, html)
	err = q.QueryRowContext(ctx, `SELECT id FROM page_contents WHERE site = ? AND mark = ?`, site, mark).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		err = q.QueryRowContext(ctx, `INSERT INTO page_contents (site, mark, body, html) VALUES (?, ?, ?, ?) RETURNING id`, site, mark, body, html).Scan(&id)
	}
	return id, err
}

// SetLive says which edition of a site visitors see.
func SetLive(ctx context.Context, q Queryer, site SiteID, number int) error {
	return exec(ctx, q, `UPDATE sites SET live = ? WHERE id = ?`, number, site)
}

func scanEdition(r *sql.Rows) (*Edition, error) {
	e := &Edition{}
	var at int64
	var look []byte
	err := r.Scan(&e.Site, &e.Number, &at, &e.Who, &e.Note, &look)
	if err == nil {
		err = json.Unmarshal(look, &e.Look)
	}
	e.At = time.Unix(at, 0)
	return e, err
}

// LiveEditions reads the live edition of every site, or of one, without the
// pages' texts.
func LiveEditions(ctx context.Context, q Reader, site SiteID) (map[SiteID]*Edition, error) {
	list, err := collectOf(ctx, q, scanEdition, `SELECT e.site, e.number, e.at, e.who, e.note, e.look FROM sites s CROSS JOIN editions e ON e.site = s.id AND e.number = s.live`, "s.id", site, "")
	if err != nil {
		return nil, fmt.Errorf("reading editions: %w", err)
	}
	bySite := map[SiteID]*Edition{}
	for _, e := range list {
		bySite[e.Site] = e
	}
	_, err = collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var p Page
		var changed int64
		if err = r.Scan(&site, &p.ID, &p.Path, &p.Title, &p.InMenu, &p.Listing, &p.Kind, &p.Mark, &p.File, &changed); err == nil {
			p.Changed = unixOrZero(changed)
			bySite[site].Pages = append(bySite[site].Pages, p)
		}
		return
	}, `SELECT p.site, p.id, p.path, p.title, p.in_menu, p.listing, p.kind, p.mark, p.file, p.changed FROM sites s CROSS JOIN edition_pages p INDEXED BY edition_pages_outline ON p.site = s.id AND p.until > s.live AND p.since <= s.live`, "s.id", site, " ORDER BY s.id, p.position")
	if err != nil {
		return nil, fmt.Errorf("reading pages: %w", err)
	}
	_, err = collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var f File
		if err = r.Scan(&site, &f.Path, &f.Type, &f.Size, &f.Blob, &f.Text); err == nil {
			bySite[site].Files = append(bySite[site].Files, f)
		}
		return
	}, `SELECT f.site, f.path, f.type, f.size, f.blob, f.text FROM sites s CROSS JOIN edition_files f ON f.site = s.id AND f.number = s.live`, "s.id", site, "")
	if err != nil {
		return nil, fmt.Errorf("reading files: %w", err)
	}
	return bySite, nil
}

// FindEdition reads an edition whole; nil where there is none.
func FindEdition(ctx context.Context, q Reader, site SiteID, number int) (*Edition, error) {
	list, err := collect(ctx, q, scanEdition, `SELECT site, number, at, who, note, look FROM editions WHERE site = ? AND number = ?`, site, number)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	e := list[0]
	e.Pages, err = collect(ctx, q, func(r *sql.Rows) (p Page, err error) {
		return p, r.Scan(&p.ID, &p.Path, &p.Title, &p.Body, &p.HTML, &p.InMenu, &p.Listing, &p.Kind, &p.File, &p.Head)
	}, `SELECT p.id, p.path, p.title, c.body, c.html, p.in_menu, p.listing, p.kind, p.file, p.head FROM edition_pages p JOIN page_contents c ON c.id = p.content
		WHERE p.site = ?1 AND p.until > ?2 AND p.since <= ?2 ORDER BY p.position`, site, number)
	if err != nil {
		return nil, fmt.Errorf("reading pages: %w", err)
	}
	e.Files, err = collect(ctx, q, scanFile, `SELECT path, type, size, blob, text FROM edition_files WHERE site = ? AND number = ? ORDER BY path`, site, number)
	return e, err
}

// Editions lists the editions of a site without their pages, the newest first.
func Editions(ctx context.Context, q Reader, site SiteID) ([]*Edition, error) {
	return collect(ctx, q, scanEdition, `SELECT site, number, at, who, note, look FROM editions WHERE site = ? ORDER BY number DESC`, site)
}

// NextNumber is the number that the next edition of a site gets.
func NextNumber(ctx context.Context, q Reader, site SiteID) (number int, err error) {
	err = q.QueryRowContext(ctx, `SELECT coalesce(max(number), 0) + 1 FROM editions WHERE site = ?`, site).Scan(&number)
	return number, err
}

// LatestEditions returns the highest number of an edition of every site that has
// one, or of one site.
func LatestEditions(ctx context.Context, q Reader, site SiteID) (map[SiteID]int, error) {
	numbers := map[SiteID]int{}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var number int
		if err = r.Scan(&site, &number); err == nil {
			numbers[site] = number
		}
		return
	}, `SELECT site, max(number) FROM editions`, "site", site, " GROUP BY site")
	if err != nil {
		return nil, fmt.Errorf("reading the numbers of editions: %w", err)
	}
	return numbers, nil
}

// PageHTML reads the rendered text of a page of an edition.
func PageHTML(ctx context.Context, q Reader, site SiteID, number int, path string) (html string, err error) {
	err = q.QueryRowContext(ctx, `SELECT c.html FROM edition_pages p JOIN page_contents c ON c.id = p.content
		WHERE p.site = ?1 AND p.path = ?3 AND p.since <= ?2 AND p.until > ?2`, site, number, path).Scan(&html)
	return html, err
}

// DueEdition is an edition that goes live by itself.
type DueEdition struct {
	Site   SiteID
	Number int
	Due    time.Time
	Who    Who
}

// SetDue lets an edition go live by itself, in place of another that would.
func SetDue(ctx context.Context, q Queryer, d DueEdition) error {
	return exec(ctx, q, `INSERT INTO due_editions (site, number, due, who) VALUES (?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET number = excluded.number, due = excluded.due, who = excluded.who`, d.Site, d.Number, d.Due.Unix(), d.Who)
}

// DropDue calls off what would go live by itself on a site.
func DropDue(ctx context.Context, q Queryer, site SiteID) error {
	return exec(ctx, q, `DELETE FROM due_editions WHERE site = ?`, site)
}

// DueEditions lists what goes live by itself: all that is due by an instant, or
// one site's.
func DueEditions(ctx context.Context, q Reader, by time.Time, site SiteID) ([]DueEdition, error) {
	scan := func(r *sql.Rows) (d DueEdition, err error) {
		var due int64
		err = r.Scan(&d.Site, &d.Number, &due, &d.Who)
		d.Due = time.Unix(due, 0)
		return d, err
	}
	if site != "" {
		return collect(ctx, q, scan, `SELECT site, number, due, who FROM due_editions WHERE site = ?`, site)
	}
	return collect(ctx, q, scan, `SELECT site, number, due, who FROM due_editions WHERE due <= ? ORDER BY due`, by.Unix())
}

// PublishRequest is somebody's wish that the working copy go live.
type PublishRequest struct {
	Who  Who
	Note string
	At   time.Time
}

// SaveRequest writes somebody's wish, in place of an earlier one of theirs.
func SaveRequest(ctx context.Context, q Queryer, site SiteID, r PublishRequest) error {
	return exec(ctx, q, `INSERT INTO publish_requests (site, who, note, at) VALUES (?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET note = excluded.note, at = excluded.at`, site, r.Who, r.Note, r.At.Unix())
}

// Requests reads the wishes for a site, the oldest first.
func Requests(ctx context.Context, q Reader, site SiteID) ([]PublishRequest, error) {
	return collect(ctx, q, func(r *sql.Rows) (p PublishRequest, err error) {
		var at int64
		err = r.Scan(&p.Who, &p.Note, &at)
		p.At = time.Unix(at, 0)
		return p, err
	}, `SELECT who, note, at FROM publish_requests WHERE site = ? ORDER BY at`, site)
}

// DropRequests forgets the wishes for a site.
func DropRequests(ctx context.Context, q Queryer, site SiteID) error {
	return exec(ctx, q, `DELETE FROM publish_requests WHERE site = ?`, site)
}

// MovedPages reads where live pages stood before: page ids by site and path.
func MovedPages(ctx context.Context, q Reader, site SiteID) (map[SiteID]map[string]string, error) {
	bySite := map[SiteID]map[string]string{}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var path, page string
		if err = r.Scan(&site, &path, &page); err == nil {
			if bySite[site] == nil {
				bySite[site] = map[string]string{}
			}
			bySite[site][path] = page
		}
		return
	}, `SELECT site, path, page FROM moved_pages`, "site", site, "")
	return bySite, err
}

// SaveMoved notes that a live page stood at a path.
func SaveMoved(ctx context.Context, q Queryer, site SiteID, path, page string) error {
	return exec(ctx, q, `INSERT INTO moved_pages (site, path, page) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET page = excluded.page`, site, path, page)
}

// ErrNoEdition says that there is no such edition.
var ErrNoEdition = errors.New("there is no such edition")

// lookText is a look as it is kept.
func lookText(l looks.Look) string {
	text, err := json.Marshal(l)
	if err != nil {
		panic(err) // it is strings alone
	}
	return string(text)
}

// WorkingLook reads the look of a working copy.
func WorkingLook(ctx context.Context, q Reader, site SiteID) (l looks.Look, err error) {
	var text []byte
	err = q.QueryRowContext(ctx, `SELECT look FROM looks WHERE site = ?`, site).Scan(&text)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return l, nil
	case err != nil:
		return l, fmt.Errorf("reading the look of %s: %w", site, err)
	}
	return l, json.Unmarshal(text, &l)
}

// SaveLook writes the look of a working copy.
func SaveLook(ctx context.Context, q Queryer, site SiteID, l looks.Look) error {
	return exec(ctx, q, `INSERT INTO looks (site, look) VALUES (?, ?) ON CONFLICT DO UPDATE SET look = excluded.look`, site, lookText(l))
}
