package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
)

// SiteID tells a site from all others for as long as it exists; its address may
// change, and come back as another site's.
type SiteID string

// Who tells somebody from all others for as long as they exist: the id of a person
// of the house, or the canonical address of somebody who is none.
type Who string

// Bare reports whether somebody is known by an address alone.
func (w Who) Bare() bool { return strings.Contains(string(w), "@") }

// What becomes of the rows of somebody who turns out to be somebody else.
type fate int

const (
	carry fate = iota // the other has them from then on, beside their own
	end               // they are deleted
	told              // what happened stays told, in the other's name
)

// column says whose something is.
type column struct {
	table, column string
	merged        fate
}

// whose are all columns that say whose something is, with what becomes of their
// rows when the one is merged into another who has an account of their own.
var whose = []column{
	{"accounts", "who", end},
	{"passkeys", "who", end},
	{"recovery_codes", "who", end},
	{"known_browsers", "who", end},
	{"signed_in", "who", end},
	{"provider_subjects", "who", end},
	{"visits", "who", end},
	{"previews", "who", end}, // they show what their author sees
	{"group_keepers", "who", carry},
	{"notices", "who", carry},
	{"invitations", "who", carry},
	{"invitations", "by", carry},
	{"rehearsals", "who", carry},
	{"due_editions", "who", carry},
	{"publish_requests", "who", carry},
	{"join_codes", "by", carry},
	{"join_requests", "who", carry},
	{"let_in_requests", "who", carry},
	{"profiles", "person", carry},
	{"comments", "person", carry},
	{"team_reasons", "who", carry},
	{"exceptions", "who", carry},
	{"calendar_addresses", "who", end},
	{"reminded", "who", carry},
	{"reminders", "who", carry},
	{"members", "person", carry}, // the document says so too
	{"readers", "who", end},      // their own address of news shows what they may read
	{"followed", "who", carry},
	{"editions", "who", told},
	{"pages", "saved_by", told},
	{"page_saves", "who", told},
	{"page_unmerged", "who", told},
	{"rule_notes", "who", told},
	{"left_as_is", "who", told},
}

// MoveWho puts somebody in the place of another in everything that is kept, which
// is how an address becomes a person's, and how two records become one. What both
// have stays as the new one has it. An account goes along, with all that signs
// somebody in, only where the new one has none: then gone is false. Otherwise gone
// is true, and whatever signed the old one in has ended.
func MoveWho(ctx context.Context, q Queryer, from, to Who) (gone bool, err error) {
	account, err := FindAccount(ctx, q, to)
	if err != nil {
		return false, err
	}
	gone = account != nil // it never gives way
	for _, c := range whose {
		if c.table == "members" {
			continue // rows of the document, written with it
		}
		if c.table == "join_requests" { // one that waits under an address made for it is never somebody else's
			err = exec(ctx, q, `UPDATE OR IGNORE join_requests SET who = ?2 WHERE who = ?1 AND password = ''`, from, to)
		} else if gone && c.merged == end {
			err = exec(ctx, q, `DELETE FROM `+c.table+` WHERE `+c.column+` = ?`, from)
		} else if err = exec(ctx, q, `UPDATE OR IGNORE `+c.table+` SET `+c.column+` = ?2 WHERE `+c.column+` = ?1`, from, to); err == nil {
			err = exec(ctx, q, `DELETE FROM `+c.table+` WHERE `+c.column+` = ?`, from)
		}
		if err != nil {
			return gone, fmt.Errorf("moving %s.%s from %s to %s: %w", c.table, c.column, from, to, err)
		}
	}
	return gone, nil
}

// KeptOf reads of whom among some people anything is kept that MoveWho would move.
func KeptOf(ctx context.Context, q Reader, people []Who) (map[Who]bool, error) {
	kept := map[Who]bool{}
	ids, err := json.Marshal(people)
	if err != nil {
		return nil, err
	}
	for _, c := range whose {
		if c.table == "members" {
			continue
		}
		list, err := collect(ctx, q, func(r *sql.Rows) (who Who, err error) { return who, r.Scan(&who) }, `SELECT DISTINCT `+c.column+` FROM `+c.table+` WHERE `+c.column+` IN (SELECT value FROM json_each(?))`, string(ids))
		if err != nil {
			return nil, fmt.Errorf("reading %s.%s: %w", c.table, c.column, err)
		}
		for _, who := range list {
			kept[who] = true
		}
	}
	return kept, nil
}

// DropWho deletes everything of somebody who is no more, so that nobody who gets
// their id or address later inherits it. What happened stays told, under a name.
func DropWho(ctx context.Context, q Queryer, who Who, name string) error {
	if err := ForgetAsker(ctx, q, who); err != nil {
		return fmt.Errorf("forgetting the visits of %s: %w", who, err)
	}
	for _, c := range whose {
		var err error
		switch {
		case c.table == "members":
		case c.merged == told:
			err = exec(ctx, q, `UPDATE `+c.table+` SET `+c.column+` = ?2 WHERE `+c.column+` = ?1`, who, name)
		default:
			err = exec(ctx, q, `DELETE FROM `+c.table+` WHERE `+c.column+` = ?`, who)
		}
		if err != nil {
			return fmt.Errorf("deleting %s.%s of %s: %w", c.table, c.column, who, err)
		}
	}
	return nil
}

// EndSignIns forgets everywhere that somebody is signed in, but for one sign-in; "" leaves none. A new
// epoch of the account begins: whatever is half done ends, and so do the browsers that they are known by
// and the secret addresses at which they read their calendar and news.
func EndSignIns(ctx context.Context, q Queryer, who Who, but string) error {
	return errors.Join(
		exec(ctx, q, `DELETE FROM visits WHERE who = ?1 AND (?2 = '' OR console <> ?2)`, who, but),
		exec(ctx, q, `DELETE FROM signed_in WHERE who = ?1 AND id <> ?2`, who, but),
		exec(ctx, q, `UPDATE accounts SET epoch = epoch + 1 WHERE who = ?`, who),
		exec(ctx, q, `DELETE FROM known_browsers WHERE who = ?`, who),
		exec(ctx, q, `UPDATE readers SET feed = NULL WHERE who = ?`, who),
		DropCalendarAddress(ctx, q, who),
	)
}

// UnproveMailbox ends what counts as proof that somebody reads mail at an address:
// links that were mailed there, and invitations whose link was.
func UnproveMailbox(ctx context.Context, q Queryer, who Who, address string) error {
	return errors.Join(
		exec(ctx, q, `DELETE FROM mail_links WHERE address = ?`, address),
		exec(ctx, q, `UPDATE invitations SET mailed = 0 WHERE who = ?`, who),
	)
}
