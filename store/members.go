package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// Profile is what a member says of themself on one site.
type Profile struct {
	Person  string          `json:"-"`
	Name    string          `json:"name,omitempty"` // where it is not the one that the house knows
	About   string          `json:"about,omitempty"`
	Answers []Answer        `json:"answers,omitempty"` // to the site's questions, when they signed up
	Shows   map[string]bool `json:"shows,omitempty"`   // name, picture, about, address: what other members see
	NoMail  bool            `json:"no_mail,omitempty"` // wants no letters of the site
	Since   time.Time       `json:"since,omitzero"`
	Agreed  string          `json:"agreed,omitempty"` // the text that they agreed to
	Picture string          `json:"-"`                // the key of its data
	Kind    string          `json:"-"`
}

// Answer is what somebody answered to a question of a site's own.
type Answer struct{ Question, Answer string }

// FindProfile reads a member's profile; an empty one where nothing was written.
func FindProfile(ctx context.Context, q Reader, site SiteID, person string) (Profile, error) {
	p := Profile{Person: person}
	var text string
	err := q.QueryRowContext(ctx, `SELECT part, picture, kind FROM profiles WHERE site = ? AND person = ?`, site, person).Scan(&text, &p.Picture, &p.Kind)
	if errors.Is(err, sql.ErrNoRows) {
		return p, nil
	}
	if err == nil {
		err = json.Unmarshal([]byte(text), &p)
	}
	return p, err
}

// Profiles reads the profiles of a site's members, by person.
func Profiles(ctx context.Context, q Reader, site SiteID) (map[string]Profile, error) {
	return profiles(ctx, q, `site = ?`, site)
}

func profiles(ctx context.Context, q Reader, where string, args ...any) (map[string]Profile, error) {
	byPerson := map[string]Profile{}
	_, err := collect(ctx, q, func(r *sql.Rows) (p Profile, err error) {
		var text string
		if err = r.Scan(&p.Person, &text, &p.Picture, &p.Kind); err == nil {
			err = json.Unmarshal([]byte(text), &p)
			byPerson[p.Person] = p
		}
		return p, err
	}, `SELECT person, part, picture, kind FROM profiles WHERE `+where, args...)
	return byPerson, err
}

// ProfilesOf reads the profiles of some of a site's members, by person.
func ProfilesOf(ctx context.Context, q Reader, site SiteID, people []string) (map[string]Profile, error) {
	ids, err := json.Marshal(people)
	if err != nil {
		return nil, err
	}
	return profiles(ctx, q, `site = ? AND person IN (SELECT value FROM json_each(?))`, site, string(ids))
}

// ShownProfiles reads what approved members of a site show of themselves: so many from one
// on, 0 being the first; where there are words, of some people and of those whose profiles
// have them.
func ShownProfiles(ctx context.Context, q Reader, site SiteID, words string, people []string, from, many int) ([]Profile, error) {
	query, args := `SELECT p.person, p.part, p.picture, p.kind FROM profiles p JOIN members m ON m.site = p.site AND m.person = p.person WHERE p.site = ? AND p.shows AND m.status = 'approved'`, []any{site}
	if words != "" {
		ids, err := json.Marshal(people)
		if err != nil {
			return nil, err
		}
		query += ` AND (p.person IN (SELECT value FROM json_each(?)) OR instr(lower(p.part), lower(?)) > 0)`
		args = append(args, string(ids), words)
	}
	return collect(ctx, q, func(r *sql.Rows) (p Profile, err error) {
		var text string
		if err = r.Scan(&p.Person, &text, &p.Picture, &p.Kind); err == nil {
			err = json.Unmarshal([]byte(text), &p)
		}
		return p, err
	}, query+` ORDER BY p.person LIMIT ? OFFSET ?`, append(args, many, from)...)
}

// SaveProfile writes a member's profile.
func SaveProfile(ctx context.Context, q Queryer, site SiteID, p Profile) error {
	text, err := json.Marshal(p)
	if err != nil {
		return err
	}
	return exec(ctx, q, `INSERT INTO profiles (site, person, part, picture, kind, shows) VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET part = excluded.part, picture = excluded.picture, kind = excluded.kind, shows = excluded.shows`, site, p.Person, string(text), p.Picture, p.Kind, len(p.Shows) > 0)
}

// DropProfile forgets what a member said of themself on a site, comments included.
func DropProfile(ctx context.Context, q Queryer, site SiteID, person string) error {
	return errors.Join(
		exec(ctx, q, `DELETE FROM profiles WHERE site = ? AND person = ?`, site, person),
		exec(ctx, q, `DELETE FROM comments WHERE site = ? AND person = ?`, site, person),
	)
}

// LetIn is somebody who was turned away and asks to be let in.
type LetIn struct {
	ID         int64
	Site       SiteID
	Path, Word string
	Who        Who
	At         time.Time
}

// SaveLetIn writes that somebody asks, in place of an earlier time.
func SaveLetIn(ctx context.Context, q Queryer, l LetIn) error {
	return exec(ctx, q, `INSERT INTO let_in_requests (site, path, who, word, at) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (site, who, path) DO UPDATE SET word = excluded.word, at = excluded.at`, l.Site, l.Path, l.Who, l.Word, l.At.Unix())
}

func scanLetIn(r *sql.Rows) (l LetIn, err error) {
	var at int64
	err = r.Scan(&l.ID, &l.Site, &l.Path, &l.Who, &l.Word, &at)
	l.At = time.Unix(at, 0)
	return l, err
}

// LetIns reads who asks to be let in on a site, the oldest first.
func LetIns(ctx context.Context, q Reader, site SiteID) ([]LetIn, error) {
	return collect(ctx, q, scanLetIn, `SELECT id, site, path, who, word, at FROM let_in_requests WHERE site = ? ORDER BY id`, site)
}

// DropLetIn forgets that somebody asks.
func DropLetIn(ctx context.Context, q Queryer, site SiteID, id int64) error {
	return exec(ctx, q, `DELETE FROM let_in_requests WHERE site = ? AND id = ?`, site, id)
}

// Comment is what a member wrote below a page.
type Comment struct {
	ID                 int64
	Site               SiteID
	Path, Person, Text string
	At                 time.Time
	Changed            bool
	Status             string // held, shown, removed
	Answers            int64  // the comment that it answers; 0 is none
}

func comments(ctx context.Context, q Reader, where string, args ...any) ([]Comment, error) {
	list, err := collect(ctx, q, func(r *sql.Rows) (c Comment, err error) {
		var at, changed int64
		err = r.Scan(&c.ID, &c.Site, &c.Path, &c.Person, &c.Text, &at, &changed, &c.Status, &c.Answers)
		c.At, c.Changed = time.Unix(at, 0), changed > 0
		return c, err
	}, `SELECT id, site, path, person, text, at, changed, status, answers FROM comments WHERE `+where+` ORDER BY id`, args...)
	if err != nil {
		return nil, fmt.Errorf("reading comments: %w", err)
	}
	return list, nil
}

// ShownComments reads the comments of all sites that are not removed, or of one; those of deleted
// pages are not among them.
func ShownComments(ctx context.Context, q Reader, site SiteID) ([]Comment, error) {
	if site == "" {
		return comments(ctx, q, `status <> 'removed' AND path LIKE '/%'`)
	}
	return comments(ctx, q, `status <> 'removed' AND path LIKE '/%' AND site = ?`, site)
}

// CommentedBy returns the sites on which some people wrote comments.
func CommentedBy(ctx context.Context, q Reader, people []Who) ([]SiteID, error) {
	if len(people) == 0 {
		return nil, nil
	}
	ids, err := json.Marshal(people)
	if err != nil {
		return nil, err
	}
	return collect(ctx, q, scanText[SiteID], `SELECT DISTINCT site FROM comments WHERE person IN (SELECT value FROM json_each(?))`, string(ids))
}

// FindComment reads a comment of a site; nil where there is none.
func FindComment(ctx context.Context, q Reader, site SiteID, id int64) (*Comment, error) {
	list, err := comments(ctx, q, `site = ? AND id = ?`, site, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// SaveComment writes a comment, or changes the one with its id.
func SaveComment(ctx context.Context, q Queryer, c *Comment, now time.Time) error {
	if c.ID != 0 {
		return exec(ctx, q, `UPDATE comments SET text = ?, changed = ?, status = ? WHERE id = ?`, c.Text, map[bool]int64{true: now.Unix()}[c.Changed], c.Status, c.ID)
	}
	done, err := q.ExecContext(ctx, `INSERT INTO comments (site, path, person, text, at, status, answers) VALUES (?, ?, ?, ?, ?, ?, ?)`, c.Site, c.Path, c.Person, c.Text, c.At.Unix(), c.Status, c.Answers)
	if err == nil {
		c.ID, err = done.LastInsertId()
	}
	return err
}
