package store

import (
	"context"
	"database/sql"
	"time"
)

// RuleNote is who set a house rule last, when and why.
type RuleNote struct {
	Rule   string
	Who    Who
	At     time.Time
	Reason string // "" where none was said
}

// SaveRuleNote writes who set a house rule, and why, in place of an earlier time.
func SaveRuleNote(ctx context.Context, q Queryer, n RuleNote) error {
	return exec(ctx, q, `INSERT INTO rule_notes (rule, who, at, reason) VALUES (?, ?, ?, ?)
		ON CONFLICT (rule) DO UPDATE SET who = excluded.who, at = excluded.at, reason = excluded.reason`, n.Rule, n.Who, n.At.Unix(), n.Reason)
}

// RuleNotes reads who set the house rules, by rule. Those that came with a document, and
// were set here by nobody, are not among them.
func RuleNotes(ctx context.Context, q Reader) (map[string]RuleNote, error) {
	list, err := collect(ctx, q, func(r *sql.Rows) (n RuleNote, err error) {
		var at int64
		err = r.Scan(&n.Rule, &n.Who, &at, &n.Reason)
		n.At = time.Unix(at, 0)
		return n, err
	}, `SELECT rule, who, at, reason FROM rule_notes`)
	notes := map[string]RuleNote{}
	for _, n := range list {
		notes[n.Rule] = n
	}
	return notes, err
}

// Exception is somebody's request that a house rule leave a site out.
type Exception struct {
	ID   int64
	Site SiteID
	Rule string
	Who  Who
	Word string // why
	At   time.Time
}

// SaveException writes that somebody asks for an exception, in place of an earlier time.
func SaveException(ctx context.Context, q Queryer, e Exception) error {
	return exec(ctx, q, `INSERT INTO exceptions (site, rule, who, word, at) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (site, rule, who) DO UPDATE SET word = excluded.word, at = excluded.at`, e.Site, e.Rule, e.Who, e.Word, e.At.Unix())
}

// Exceptions reads who asks for exceptions from house rules, the oldest first.
func Exceptions(ctx context.Context, q Reader) ([]Exception, error) {
	return collect(ctx, q, func(r *sql.Rows) (e Exception, err error) {
		var at int64
		err = r.Scan(&e.ID, &e.Site, &e.Rule, &e.Who, &e.Word, &at)
		e.At = time.Unix(at, 0)
		return e, err
	}, `SELECT id, site, rule, who, word, at FROM exceptions ORDER BY id`)
}

// DropException forgets a request for an exception.
func DropException(ctx context.Context, q Queryer, id int64) error {
	return exec(ctx, q, `DELETE FROM exceptions WHERE id = ?`, id)
}
