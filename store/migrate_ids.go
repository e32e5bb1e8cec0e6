package store

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"

	"velada/core/access"
)

// idsForAddresses is migration 10: whatever was an address's before, and is that of
// a person of the house, hangs on the person's id from then on.
func idsForAddresses(ctx context.Context, tx *sql.Tx) error {
	type person struct {
		id      Who
		address access.Address
	}
	people, err := collect(ctx, tx, func(r *sql.Rows) (p person, err error) {
		var text string
		if err = r.Scan(&p.id, &text); err == nil {
			p.address, err = access.ParseAddress(text)
		}
		return p, err
	}, `SELECT id, address FROM people`)
	if err != nil {
		return fmt.Errorf("reading people: %w", err)
	}
	ids := make(map[access.Address]Who, len(people))
	for _, p := range people {
		ids[p.address] = p.id
	}
	if err := keepHandles(ctx, tx); err != nil {
		return err
	}
	// A request that waits under a made-up address which became somebody's
	// meanwhile would take over their account.
	waiting, err := collect(ctx, tx, scanText[Who], `SELECT who FROM join_requests WHERE password <> ''`)
	if err != nil {
		return err
	}
	for _, who := range waiting {
		if a, err := access.ParseAddress(string(who)); err != nil || ids[a] != "" {
			if err := exec(ctx, tx, `DELETE FROM join_requests WHERE who = ? AND password <> ''`, who); err != nil {
				return err
			}
		}
	}
	if err := moveWho(ctx, tx, ids); err != nil {
		return err
	}
	return errors.Join(idsInDetails(ctx, tx, ids), findLinks(ctx, tx), idsInLedger(ctx, tx, ids))
}

// moveWho brings what hangs on addresses to the people that they belong to.
func moveWho(ctx context.Context, tx *sql.Tx, ids map[access.Address]Who) error {
	columns, err := theirs(ctx, tx)
	if err != nil {
		return err
	}
	for _, c := range columns {
		if c.column == "person" { // an id since ever
			continue
		}
		list, err := collect(ctx, tx, scanText[Who], `SELECT DISTINCT `+c.column+` FROM `+c.table+` WHERE instr(`+c.column+`, '@') > 0`)
		if err != nil {
			return fmt.Errorf("reading %s.%s: %w", c.table, c.column, err)
		}
		for _, who := range list {
			a, err := access.ParseAddress(string(who))
			id := ids[a]
			if err != nil || id == "" {
				continue
			}
			err = errors.Join(
				exec(ctx, tx, `UPDATE OR IGNORE `+c.table+` SET `+c.column+` = ?2 WHERE `+c.column+` = ?1`, who, id),
				exec(ctx, tx, `DELETE FROM `+c.table+` WHERE `+c.column+` = ?`, who),
			)
			if err != nil {
				return fmt.Errorf("changing %s.%s: %w", c.table, c.column, err)
			}
		}
	}
	return nil
}

// keepHandles keeps the handles of passkeys that were made under an address.
func keepHandles(ctx context.Context, tx *sql.Tx) error {
	var key []byte
	err := tx.QueryRowContext(ctx, `SELECT value FROM secrets WHERE name = 'cookies'`).Scan(&key)
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	if err != nil {
		return err
	}
	holders, err := collect(ctx, tx, scanText[Who], `SELECT DISTINCT who FROM passkeys`)
	if err != nil {
		return err
	}
	for _, who := range holders {
		mac := hmac.New(sha256.New, key)
		mac.Write([]byte("passkey handle " + string(who)))
		if err := exec(ctx, tx, `UPDATE passkeys SET handle = ? WHERE who = ?`, mac.Sum(nil), who); err != nil {
			return err
		}
	}
	return nil
}

// idsInDetails changes whose consent the code of a site has.
func idsInDetails(ctx context.Context, tx *sql.Tx, ids map[access.Address]Who) error {
	all, err := AllDetails(ctx, tx, "")
	if err != nil {
		return err
	}
	for site, d := range all {
		if a, err := access.ParseAddress(string(d.Consent)); err == nil && ids[a] != "" {
			d.Consent = ids[a]
			text, err := json.Marshal(d)
			if err == nil {
				err = exec(ctx, tx, `UPDATE site_details SET details = ? WHERE site = ?`, string(text), site)
			}
			if err != nil {
				return err
			}
		}
	}
	return nil
}

var linkInLetter = regexp.MustCompile(`/(?:by-mail|invitations)/([A-Za-z0-9_-]+)`)

// findLinks notes which letters hold a link, so that it is taken out once it is spent.
func findLinks(ctx context.Context, tx *sql.Tx) error {
	letters, err := collect(ctx, tx, func(r *sql.Rows) (m Mail, err error) { return m, r.Scan(&m.ID, &m.Text) }, `SELECT id, text FROM mails WHERE kind IN ('sign-in', 'reset', 'account', 'invitation', 'member', 'ask')`)
	if err != nil {
		return fmt.Errorf("reading letters: %w", err)
	}
	for _, m := range letters {
		if found := linkInLetter.FindStringSubmatch(m.Text); found != nil {
			hash := sha256.Sum256([]byte(found[1]))
			if err := exec(ctx, tx, `UPDATE mails SET link = ? WHERE id = ?`, hash[:], m.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

// idsInLedger notes who entries are by, as far as their address tells now.
func idsInLedger(ctx context.Context, tx *sql.Tx, ids map[access.Address]Who) error {
	list, err := collect(ctx, tx, scanText[string], `SELECT DISTINCT who FROM ledger WHERE instr(who, '@') > 0`)
	if err != nil {
		return fmt.Errorf("reading the ledger: %w", err)
	}
	for _, who := range list {
		id := Who(who)
		if a, err := access.ParseAddress(who); err == nil && ids[a] != "" {
			id = ids[a]
		}
		if err := exec(ctx, tx, `UPDATE ledger SET who_id = ? WHERE who = ?`, id, who); err != nil {
			return err
		}
	}
	return nil
}
