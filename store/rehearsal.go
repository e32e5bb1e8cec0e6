package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"velada/core/access"
)

// Rehearsal is a change of one person to one site that is not applied yet.
type Rehearsal struct {
	Site, Who   string
	Base, Draft *access.Site         // without members
	Secrets     map[string]NewSecret // passes whose password is new, by id
}

// NewSecret is the hash of a password that no one can enter yet.
type NewSecret struct {
	Hash []byte
	Weak bool
}

// FindRehearsal reads somebody's rehearsal of a site; nil where there is none.
func FindRehearsal(ctx context.Context, q Queryer, site, who string) (*Rehearsal, error) {
	r := &Rehearsal{Site: site, Who: who, Base: &access.Site{}, Draft: &access.Site{}}
	var base, draft, secrets []byte
	err := q.QueryRowContext(ctx, `SELECT base, draft, secrets FROM rehearsals WHERE site = ? AND who = ?`, site, who).Scan(&base, &draft, &secrets)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	err = errors.Join(err, access.ReadPart(base, r.Base), access.ReadPart(draft, r.Draft), json.Unmarshal(secrets, &r.Secrets))
	if err != nil {
		return nil, fmt.Errorf("reading a rehearsal: %w", err)
	}
	return r, nil
}

// SaveRehearsal writes a rehearsal.
func SaveRehearsal(ctx context.Context, q Queryer, r *Rehearsal) error {
	base, err1 := access.PartJSON(r.Base)
	draft, err2 := access.PartJSON(r.Draft)
	secrets, err3 := json.Marshal(r.Secrets)
	if err := errors.Join(err1, err2, err3); err != nil {
		return err
	}
	return exec(ctx, q, `INSERT INTO rehearsals (site, who, base, draft, secrets) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET base = excluded.base, draft = excluded.draft, secrets = excluded.secrets`,
		r.Site, r.Who, string(base), string(draft), string(secrets))
}

// DropRehearsal forgets a rehearsal.
func DropRehearsal(ctx context.Context, q Queryer, site, who string) error {
	return exec(ctx, q, `DELETE FROM rehearsals WHERE site = ? AND who = ?`, site, who)
}
