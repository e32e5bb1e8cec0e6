package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// NewsChoice is what somebody wants to be told of a site by mail.
type NewsChoice struct {
	Who    Who
	News   bool // of editions that change what they may read
	Answer bool // of answers to their comments
	Feed   bool // they have an address of their own at which news is read; FindNewsChoice and Readers say so
}

// FindNewsChoice reads what somebody wants to be told of a site; the zero choice where they never said.
func FindNewsChoice(ctx context.Context, q Reader, site SiteID, who Who) (c NewsChoice, err error) {
	c.Who = who
	err = q.QueryRowContext(ctx, `SELECT news, answer, feed IS NOT NULL FROM readers WHERE site = ? AND who = ?`, site, who).Scan(&c.News, &c.Answer, &c.Feed)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return c, err
}

// SaveNewsChoice writes what somebody wants to be told of a site; their own address stays as it is.
func SaveNewsChoice(ctx context.Context, q Queryer, site SiteID, c NewsChoice) error {
	return exec(ctx, q, `INSERT INTO readers (site, who, news, answer) VALUES (?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET news = excluded.news, answer = excluded.answer`, site, c.Who, c.News, c.Answer)
}

// SaveFeed gives somebody an address of their own at which they read the news of a site, by the
// SHA-256 of its secret, in place of one before; nil takes it back.
func SaveFeed(ctx context.Context, q Queryer, site SiteID, who Who, hash []byte) error {
	return exec(ctx, q, `INSERT INTO readers (site, who, feed, news, answer) VALUES (?, ?, ?, 0, 0)
		ON CONFLICT (site, who) DO UPDATE SET feed = excluded.feed`, site, who, hash)
}

// FindFeed returns whose address of news on a site has a secret, by its SHA-256; "" is nobody's.
func FindFeed(ctx context.Context, q Reader, site SiteID, hash []byte) (who Who, err error) {
	err = q.QueryRowContext(ctx, `SELECT who FROM readers WHERE feed = ? AND site = ?`, hash, site).Scan(&who)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return who, err
}

// Followed lists the ids of the pages of a site that somebody follows.
func Followed(ctx context.Context, q Reader, site SiteID, who Who) ([]string, error) {
	return collect(ctx, q, scanText[string], `SELECT page FROM followed WHERE site = ? AND who = ? ORDER BY since, page`, site, who)
}

// Follow has somebody follow a page of a site, or no longer.
func Follow(ctx context.Context, q Queryer, site SiteID, who Who, page string, on bool, at time.Time) error {
	if !on {
		return exec(ctx, q, `DELETE FROM followed WHERE site = ? AND who = ? AND page = ?`, site, who, page)
	}
	return exec(ctx, q, `INSERT INTO followed (site, who, page, since) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING`, site, who, page, at.Unix())
}

// StopNews forgets all that somebody wanted to be told of a site by mail.
func StopNews(ctx context.Context, q Queryer, site SiteID, who Who) error {
	return errors.Join(
		exec(ctx, q, `UPDATE readers SET news = 0, answer = 0 WHERE site = ? AND who = ?`, site, who),
		exec(ctx, q, `DELETE FROM followed WHERE site = ? AND who = ?`, site, who),
	)
}

// DropReader forgets all that somebody chose of the news of a site, their address too.
func DropReader(ctx context.Context, q Queryer, site SiteID, who Who) error {
	return errors.Join(
		exec(ctx, q, `DELETE FROM readers WHERE site = ? AND who = ?`, site, who),
		exec(ctx, q, `DELETE FROM followed WHERE site = ? AND who = ?`, site, who),
	)
}

// Reads is who may have to be told of an edition: everything, or the pages that they follow alone.
type Reads struct {
	Who  Who
	All  bool
	Page string // one that they follow; "" is none
}

// ReadersOf lists who wants news of a site, by who, from the one after somebody on: everybody
// who wants all of it, and everybody who follows a page, once for each of those.
func ReadersOf(ctx context.Context, q Reader, site SiteID, after Who, most int) ([]Reads, error) {
	return collect(ctx, q, func(r *sql.Rows) (one Reads, err error) {
		return one, r.Scan(&one.Who, &one.All, &one.Page)
	}, `WITH people AS (
			SELECT who FROM readers WHERE site = ?1 AND news AND who > ?2
			UNION SELECT who FROM followed WHERE site = ?1 AND who > ?2
			ORDER BY who LIMIT ?3
		)
		SELECT p.who, coalesce(r.news, 0), coalesce(f.page, '') FROM people p
		LEFT JOIN readers r ON r.site = ?1 AND r.who = p.who LEFT JOIN followed f ON f.site = ?1 AND f.who = p.who ORDER BY p.who, f.page`, site, after, most)
}

// NewsTold is what the readers of a site were told of.
type NewsTold struct {
	Number  int // of the edition that all of them were
	Telling int // of the one that some of them were; 0 for none
	Upto    Who // the last of those, in the order of their ids
}

// AllNewsTold reads what the readers of each site were told of, by site.
func AllNewsTold(ctx context.Context, q Reader) (map[SiteID]NewsTold, error) {
	bySite := map[SiteID]NewsTold{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var told NewsTold
		err = r.Scan(&site, &told.Number, &told.Telling, &told.Upto)
		bySite[site] = told
		return
	}, `SELECT site, number, telling, upto FROM news_told`)
	return bySite, err
}

// SaveNewsTold notes up to which edition all readers of a site were told.
func SaveNewsTold(ctx context.Context, q Queryer, site SiteID, number int) error {
	return exec(ctx, q, `INSERT INTO news_told (site, number) VALUES (?, ?) ON CONFLICT DO UPDATE SET number = excluded.number, telling = 0, upto = ''`, site, number)
}

// SaveNewsTelling notes up to whom readers of a site were told of an edition.
func SaveNewsTelling(ctx context.Context, q Queryer, site SiteID, number int, upto Who) error {
	return exec(ctx, q, `UPDATE news_told SET telling = ?2, upto = ?3 WHERE site = ?1`, site, number, upto)
}

// NewSince lists the ids of the pages of an edition of a site that are not in another one, or say
// something else there.
func NewSince(ctx context.Context, q Reader, site SiteID, was, is int) ([]string, error) {
	return collect(ctx, q, scanText[string], `SELECT e.id FROM edition_pages e
		LEFT JOIN edition_pages w ON w.site = e.site AND w.id = e.id AND w.since <= ?2 AND w.until > ?2
		WHERE e.site = ?1 AND e.since <= ?3 AND e.until > ?3 AND (w.id IS NULL OR w.mark <> e.mark) ORDER BY e.path`, site, was, is)
}

// ReplaceMail puts other words into a letter that was not sent yet.
func ReplaceMail(ctx context.Context, q Queryer, id int64, text, html string, raw []byte) error {
	return exec(ctx, q, `UPDATE mails SET text = ?, html = ?, raw = ? WHERE id = ?`, text, html, raw, id)
}

// AnswersToTell lists comments that are shown, answer another, and were not told to whoever wrote that.
func AnswersToTell(ctx context.Context, q Reader, most int) ([]Comment, error) {
	return comments(ctx, q, `id IN (SELECT id FROM comments WHERE answers > 0 AND NOT told AND status = 'shown' ORDER BY id LIMIT ?)`, most)
}

// MarkTold notes that an answer was told, or is not to be.
func MarkTold(ctx context.Context, q Queryer, comment int64) error {
	return exec(ctx, q, `UPDATE comments SET told = 1 WHERE id = ?`, comment)
}
