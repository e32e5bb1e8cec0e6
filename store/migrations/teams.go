package migrations

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// peopleForEntries is migration 13: whoever accepted to be on a team under an address that is
// nobody's becomes a person of the house, and has their entries by id.
func peopleForEntries(ctx context.Context, tx *sql.Tx) error {
	people, err := readPeople(ctx, tx)
	if err != nil {
		return err
	}
	type row struct{ id, part string }
	sites, err := collect(ctx, tx, func(r *sql.Rows) (s row, err error) { return s, r.Scan(&s.id, &s.part) }, `SELECT id, part FROM sites ORDER BY position, rowid`)
	if err != nil {
		return fmt.Errorf("reading sites: %w", err)
	}
	ids := map[string]string{}
	for _, s := range sites {
		var part map[string]json.RawMessage
		var team []map[string]any
		if err := json.Unmarshal([]byte(s.part), &part); err != nil {
			return fmt.Errorf("reading the site %s: %w", s.id, err)
		}
		if part["team"] != nil {
			if err := json.Unmarshal(part["team"], &team); err != nil {
				return fmt.Errorf("reading the team of the site %s: %w", s.id, err)
			}
		}
		changed := false
		for _, e := range team {
			a := bare(e)
			if a == "" {
				continue
			}
			if people, ids[a], err = personWith(ctx, tx, people, a); err != nil {
				return err
			}
			delete(e, "address")
			e["person"], changed = ids[a], true
		}
		if !changed {
			continue
		}
		if part["team"], err = onceEach(team); err != nil {
			return err
		}
		text, err := json.Marshal(part)
		if err == nil {
			err = exec(ctx, tx, `UPDATE sites SET part = ? WHERE id = ?`, string(text), s.id)
		}
		if err != nil {
			return fmt.Errorf("writing the site %s: %w", s.id, err)
		}
	}
	return errors.Join(moveWho(ctx, tx, ids), idsInDetails(ctx, tx, ids), newIDsInLedger(ctx, tx, ids))
}

// bare is the address of an entry that counts and is an address's; "" for others.
func bare(entry map[string]any) string {
	address, _ := entry["address"].(string)
	if accepted, said := entry["accepted"].(bool); said && !accepted {
		return ""
	}
	return canonical(address)
}

// onceEach keeps the first of entries of a team that are the same.
func onceEach(team []map[string]any) (json.RawMessage, error) {
	var kept [][]byte
	for _, e := range team {
		text, err := json.Marshal(e)
		if err != nil {
			return nil, err
		}
		if !slices.ContainsFunc(kept, func(other []byte) bool { return bytes.Equal(other, text) }) {
			kept = append(kept, text)
		}
	}
	return slices.Concat([]byte("["), bytes.Join(kept, []byte(",")), []byte("]")), nil
}

// personWith finds who has, or had, an address, and makes somebody new where nobody has: called as the
// holder of the account is, or by the first part of the address.
func personWith(ctx context.Context, tx *sql.Tx, people []person, a string) ([]person, string, error) {
	for _, p := range people {
		if p.address == a || slices.ContainsFunc(p.former, func(f string) bool { return canonical(f) == a }) {
			return people, p.id, nil
		}
	}
	var name string
	if err := tx.QueryRowContext(ctx, `SELECT name FROM accounts WHERE who = ?`, a).Scan(&name); err != nil && !errors.Is(err, sql.ErrNoRows) {
		return nil, "", err
	}
	if name == "" {
		name = a[:strings.LastIndexByte(a, '@')]
	}
	base := slug(name)
	if base == "" {
		base = "person"
	}
	id := base
	for n := 2; slices.ContainsFunc(people, func(p person) bool { return p.id == id }); n++ {
		id = fmt.Sprintf("%s-%d", base, n)
	}
	err := exec(ctx, tx, `INSERT INTO people (id, position, name, address) VALUES (?, (SELECT coalesce(max(position), -1) + 1 FROM people), ?, ?)`, id, name, a)
	if err != nil {
		return nil, "", fmt.Errorf("writing %s: %w", id, err)
	}
	return append(people, person{id: id, address: a}), id, nil
}

// slug makes an id out of a name: small letters of ASCII and digits, with hyphens between them.
func slug(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(norm.NFD.String(name)) {
		switch {
		case unicode.Is(unicode.Mn, r): // the mark of a letter, as in Ortuño
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
			b.WriteByte('-')
		}
	}
	return strings.Trim(b.String(), "-")
}

// newIDsInLedger notes who entries are by whose addresses became people's: those alone whose seal does
// not cover it.
func newIDsInLedger(ctx context.Context, tx *sql.Tx, ids map[string]string) error {
	for a, id := range ids {
		if err := exec(ctx, tx, `UPDATE ledger SET who_id = ? WHERE who = ? AND sealed = 0 AND who_id IN ('', who)`, id, a); err != nil {
			return err
		}
	}
	return nil
}
