package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"velada/core/access"
)

// Rehearsal is a change of one person to one site that is not applied yet.
type Rehearsal struct {
	Site        SiteID
	Who         Who
	Base, Draft *access.Site         // without members
	Secrets     map[string]NewSecret // passes whose password is new, by id
	Due         time.Time            // when it is to be applied by itself; zero for never
	Trouble     string               // why that was not done
}

// NewSecret is the hash of a password that no one can enter yet.
type NewSecret struct {
	Hash  []byte
	Weak  bool
	Reuse []byte `json:",omitempty"` // see PassSecret
}

// FindRehearsal reads somebody's rehearsal of a site; nil where there is none.
func FindRehearsal(ctx context.Context, q Reader, site SiteID, who Who) (*Rehearsal, error) {
	r := &Rehearsal{Site: site, Who: who, Base: &access.Site{}, Draft: &access.Site{}}
	var base, draft, secrets []byte
	var due sql.NullInt64
	err := q.QueryRowContext(ctx, `SELECT base, draft, secrets, due, trouble FROM rehearsals WHERE site = ? AND who = ?`, site, who).
		Scan(&base, &draft, &secrets, &due, &r.Trouble)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	err = errors.Join(err, access.ReadPart(base, r.Base), access.ReadPart(draft, r.Draft), json.Unmarshal(secrets, &r.Secrets))
	if err != nil {
		return nil, fmt.Errorf("reading a rehearsal: %w", err)
	}
	if due.Valid {
		r.Due = time.Unix(due.Int64, 0)
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
	due := sql.NullInt64{Int64: r.Due.Unix(), Valid: !r.Due.IsZero()}
	return exec(ctx, q, `INSERT INTO rehearsals (site, who, base, draft, secrets, due, trouble) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET base = excluded.base, draft = excluded.draft, secrets = excluded.secrets, due = excluded.due, trouble = excluded.trouble`,
		r.Site, r.Who, string(base), string(draft), string(secrets), due, r.Trouble)
}

// DueRehearsal says whose rehearsal of which site is to be applied by itself.
type DueRehearsal struct {
	Site SiteID
	Who  Who
}

// DueRehearsals lists the sites and people whose rehearsals are to be applied by
// themselves by now, the longest due first.
func DueRehearsals(ctx context.Context, q Reader, now time.Time) ([]DueRehearsal, error) {
	return collect(ctx, q, func(r *sql.Rows) (due DueRehearsal, err error) {
		return due, r.Scan(&due.Site, &due.Who)
	}, `SELECT site, who FROM rehearsals WHERE due <= ? ORDER BY due, rowid`, now.Unix())
}

// DatedRehearsals lists whose rehearsals of a site are to be applied by themselves, the next first.
func DatedRehearsals(ctx context.Context, q Reader, site SiteID, most int) ([]DueRehearsal, error) {
	return collect(ctx, q, func(r *sql.Rows) (due DueRehearsal, err error) {
		return due, r.Scan(&due.Site, &due.Who)
	}, `SELECT site, who FROM rehearsals WHERE site = ? AND due IS NOT NULL ORDER BY due, rowid LIMIT ?`, site, most)
}

// Rehearsals reads all rehearsals of a site.
func Rehearsals(ctx context.Context, q Reader, site SiteID) (list []*Rehearsal, err error) {
	people, err := collect(ctx, q, scanText[Who], `SELECT who FROM rehearsals WHERE site = ?`, site)
	if err != nil {
		return nil, err
	}
	for _, who := range people {
		r, err := FindRehearsal(ctx, q, site, who)
		if err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, nil
}

// DropRehearsal forgets a rehearsal.
func DropRehearsal(ctx context.Context, q Queryer, site SiteID, who Who) error {
	return exec(ctx, q, `DELETE FROM rehearsals WHERE site = ? AND who = ?`, site, who)
}

// RehearsalDates reads when rehearsals of somebody's are applied by themselves, by site.
func RehearsalDates(ctx context.Context, q Reader, who Who) (map[SiteID]time.Time, error) {
	dates := map[SiteID]time.Time{}
	_, err := collect(ctx, q, func(r *sql.Rows) (id SiteID, err error) {
		var due int64
		err = r.Scan(&id, &due)
		dates[id] = time.Unix(due, 0)
		return id, err
	}, `SELECT site, due FROM rehearsals WHERE who = ? AND due IS NOT NULL`, who)
	return dates, err
}

// Troubles reads why rehearsals of somebody's were not applied by themselves, by
// site.
func Troubles(ctx context.Context, q Reader, who Who) (map[SiteID]string, error) {
	troubles := map[SiteID]string{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var trouble string
		if err = r.Scan(&site, &trouble); err == nil {
			troubles[site] = trouble
		}
		return
	}, `SELECT site, trouble FROM rehearsals WHERE who = ? AND trouble <> ''`, who)
	return troubles, err
}
