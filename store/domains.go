package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"velada/domain"
)

// Domain is a domain of a site's owner.
type Domain struct {
	Name   string // its ASCII form
	Site   SiteID
	Token  string // what the proving record says
	Main   bool   // the other addresses of the site lead here
	Added  time.Time
	Proven time.Time // since when; zero is not
	Looked time.Time // when its name servers were asked last; zero is never
	Next   time.Time // when they are asked again
	Seen   DomainSeen
}

// DomainSeen is what name servers said of a domain.
type DomainSeen struct {
	Proof        domain.Found `json:"proof"`
	Pointing     domain.Found `json:"pointing"`
	Unregistered bool         `json:"unregistered,omitempty"`
	Unproven     time.Time    `json:"unproven,omitzero"`  // since when the proof is gone; zero is there
	Elsewhere    time.Time    `json:"elsewhere,omitzero"` // since when it leads elsewhere; zero is here, or never did
	Reached      bool         `json:"reached,omitempty"`  // it has led here before
}

// Domains reads the domains of sites.
func Domains(ctx context.Context, q Reader, site SiteID) ([]Domain, error) {
	return collectOf(ctx, q, func(r *sql.Rows) (d Domain, err error) {
		var added, proven, looked, next int64
		var seen []byte
		if err = r.Scan(&d.Name, &d.Site, &d.Token, &d.Main, &added, &proven, &looked, &next, &seen); err != nil {
			return d, err
		}
		d.Added, d.Proven, d.Looked, d.Next = time.Unix(added, 0), unixOrZero(proven), unixOrZero(looked), time.Unix(next, 0)
		if err := json.Unmarshal(seen, &d.Seen); err != nil {
			return d, fmt.Errorf("what was seen of %s: %w", d.Name, err)
		}
		return d, nil
	}, `SELECT name, site, token, main, added, proven, looked, next, seen FROM domains`, "site", site, " ORDER BY added, name")
}

func unixOrZero(n int64) time.Time {
	if n == 0 {
		return time.Time{}
	}
	return time.Unix(n, 0)
}

func zeroOrUnix(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.Unix()
}

// SaveDomain writes a domain of a site.
func SaveDomain(ctx context.Context, q Queryer, d Domain) error {
	seen, err := json.Marshal(d.Seen)
	if err != nil {
		return err
	}
	return exec(ctx, q, `INSERT INTO domains (name, site, token, main, added, proven, looked, next, seen) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET main = excluded.main, proven = excluded.proven, looked = excluded.looked, next = excluded.next, seen = excluded.seen`,
		d.Name, d.Site, d.Token, d.Main, d.Added.Unix(), zeroOrUnix(d.Proven), zeroOrUnix(d.Looked), d.Next.Unix(), seen)
}

// SetMainDomain makes one of a site's domains the main one; none where name is "".
func SetMainDomain(ctx context.Context, q Queryer, site SiteID, name string) error {
	return errors.Join(
		exec(ctx, q, `UPDATE domains SET main = 0 WHERE site = ?`, site),
		exec(ctx, q, `UPDATE domains SET main = 1 WHERE site = ? AND name = ? AND proven > 0`, site, name),
	)
}

// DropDomain takes a domain from a site.
func DropDomain(ctx context.Context, q Queryer, site SiteID, name string) error {
	return exec(ctx, q, `DELETE FROM domains WHERE site = ? AND name = ?`, site, name)
}
