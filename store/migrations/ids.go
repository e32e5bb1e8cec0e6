package migrations

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
)

// idsForAddresses is migration 10: whatever was an address's before, and is that of
// a person of the house, hangs on the person's id from then on.
func idsForAddresses(ctx context.Context, tx *sql.Tx) error {
	people, err := readPeople(ctx, tx)
	if err != nil {
		return err
	}
	ids := make(map[string]string, len(people))
	for _, p := range people {
		if p.address == "" {
			return fmt.Errorf("reading people: %s has no address", p.id)
		}
		ids[p.address] = p.id
	}
	if err := keepHandles(ctx, tx); err != nil {
		return err
	}
	// A request that waits under a made-up address which became somebody's
	// meanwhile would take over their account.
	waiting, err := collect(ctx, tx, scanText, `SELECT who FROM join_requests WHERE password <> ''`)
	if err != nil {
		return err
	}
	for _, who := range waiting {
		if a := canonical(who); a == "" || ids[a] != "" {
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

// person is a row of people, with their address as addresses are compared.
type person struct {
	id, address string
	former      []string
}

func readPeople(ctx context.Context, tx *sql.Tx) ([]person, error) {
	list, err := collect(ctx, tx, func(r *sql.Rows) (p person, err error) {
		var former []byte
		if err = r.Scan(&p.id, &p.address, &former); err == nil {
			p.address = canonical(p.address)
			err = json.Unmarshal(former, &p.former)
		}
		return p, err
	}, `SELECT id, address, former FROM people ORDER BY position, id`)
	if err != nil {
		return nil, fmt.Errorf("reading people: %w", err)
	}
	return list, nil
}

// whose are the columns that said whose something is when there were migrations 10 and 13.
var whose = [][2]string{
	{"accounts", "who"},
	{"passkeys", "who"},
	{"recovery_codes", "who"},
	{"known_browsers", "who"},
	{"signed_in", "who"},
	{"visits", "who"},
	{"previews", "who"},
	{"group_keepers", "who"},
	{"notices", "who"},
	{"invitations", "who"},
	{"invitations", "by"},
	{"rehearsals", "who"},
	{"due_editions", "who"},
	{"publish_requests", "who"},
	{"join_codes", "by"},
	{"join_requests", "who"},
	{"let_in_requests", "who"},
	{"team_reasons", "who"},
	{"editions", "who"},
	{"pages", "saved_by"},
	{"page_saves", "who"},
}

// moveWho brings what hangs on addresses to the people that they belong to.
func moveWho(ctx context.Context, tx *sql.Tx, ids map[string]string) error {
	for _, c := range whose {
		table, column := c[0], c[1]
		list, err := collect(ctx, tx, scanText, `SELECT DISTINCT `+column+` FROM `+table+` WHERE instr(`+column+`, '@') > 0`)
		if err != nil {
			return fmt.Errorf("reading %s.%s: %w", table, column, err)
		}
		for _, who := range list {
			id := ids[canonical(who)]
			if id == "" {
				continue
			}
			err = errors.Join(
				exec(ctx, tx, `UPDATE OR IGNORE `+table+` SET `+column+` = ?2 WHERE `+column+` = ?1`, who, id),
				exec(ctx, tx, `DELETE FROM `+table+` WHERE `+column+` = ?`, who),
			)
			if err != nil {
				return fmt.Errorf("changing %s.%s: %w", table, column, err)
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
	holders, err := collect(ctx, tx, scanText, `SELECT DISTINCT who FROM passkeys`)
	if err != nil {
		return err
	}
	for _, who := range holders {
		mac := hmac.New(sha256.New, key)
		mac.Write([]byte("passkey handle " + who))
		if err := exec(ctx, tx, `UPDATE passkeys SET handle = ? WHERE who = ?`, mac.Sum(nil), who); err != nil {
			return err
		}
	}
	return nil
}

// idsInDetails changes whose consent the code of a site has.
func idsInDetails(ctx context.Context, tx *sql.Tx, ids map[string]string) error {
	type row struct{ site, details string }
	all, err := collect(ctx, tx, func(r *sql.Rows) (d row, err error) { return d, r.Scan(&d.site, &d.details) }, `SELECT site, details FROM site_details`)
	if err != nil {
		return err
	}
	for _, d := range all {
		var details map[string]json.RawMessage
		var consent string
		if err := json.Unmarshal([]byte(d.details), &details); err != nil {
			return fmt.Errorf("reading what a site says of itself: %w", err)
		}
		if text := details["consent"]; text != nil {
			if err := json.Unmarshal(text, &consent); err != nil {
				return fmt.Errorf("reading what a site says of itself: %w", err)
			}
		}
		id := ids[canonical(consent)]
		if id == "" {
			continue
		}
		consented, err := json.Marshal(id)
		if err != nil {
			return err
		}
		details["consent"] = consented
		text, err := json.Marshal(details)
		if err == nil {
			err = exec(ctx, tx, `UPDATE site_details SET details = ? WHERE site = ?`, string(text), d.site)
		}
		if err != nil {
			return err
		}
	}
	return nil
}

var linkInLetter = regexp.MustCompile(`/(?:by-mail|invitations)/([A-Za-z0-9_-]+)`)

// findLinks notes which letters hold a link, so that it is taken out once it is spent.
func findLinks(ctx context.Context, tx *sql.Tx) error {
	type letter struct {
		id   int64
		text string
	}
	letters, err := collect(ctx, tx, func(r *sql.Rows) (m letter, err error) { return m, r.Scan(&m.id, &m.text) }, `SELECT id, text FROM mails WHERE kind IN ('sign-in', 'reset', 'account', 'invitation', 'member', 'ask')`)
	if err != nil {
		return fmt.Errorf("reading letters: %w", err)
	}
	for _, m := range letters {
		if found := linkInLetter.FindStringSubmatch(m.text); found != nil {
			hash := sha256.Sum256([]byte(found[1]))
			if err := exec(ctx, tx, `UPDATE mails SET link = ? WHERE id = ?`, hash[:], m.id); err != nil {
				return err
			}
		}
	}
	return nil
}

// idsInLedger notes who entries are by, as far as their address tells now.
func idsInLedger(ctx context.Context, tx *sql.Tx, ids map[string]string) error {
	list, err := collect(ctx, tx, scanText, `SELECT DISTINCT who FROM ledger WHERE instr(who, '@') > 0`)
	if err != nil {
		return fmt.Errorf("reading the ledger: %w", err)
	}
	for _, who := range list {
		id := who
		if found := ids[canonical(who)]; found != "" {
			id = found
		}
		if err := exec(ctx, tx, `UPDATE ledger SET who_id = ? WHERE who = ?`, id, who); err != nil {
			return err
		}
	}
	return nil
}
