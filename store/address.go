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

// Readdress gives a site another address, with everything that is kept of it.
func Readdress(ctx context.Context, q Queryer, from, to string, at time.Time) error {
	return errors.Join(
		exec(ctx, q, `UPDATE sites SET address = ? WHERE address = ?`, to, from),
		exec(ctx, q, `DELETE FROM old_addresses WHERE address = ?`, to),
		exec(ctx, q, `INSERT INTO old_addresses (address, site, since) VALUES (?, ?, ?)`, from, to, at.Unix()),
		exec(ctx, q, `UPDATE visits SET site = ? WHERE site = ?`, to, from),
	)
}

// OldAddress is an address that a site had before.
type OldAddress struct {
	Address, Site string
	Since         time.Time
}

// OldAddresses reads which addresses lead on to which sites.
func OldAddresses(ctx context.Context, q Queryer) ([]OldAddress, error) {
	return collect(ctx, q, func(r *sql.Rows) (o OldAddress, err error) {
		var since int64
		err = r.Scan(&o.Address, &o.Site, &since)
		o.Since = time.Unix(since, 0)
		return o, err
	}, `SELECT address, site, since FROM old_addresses ORDER BY since`)
}

// DropOldAddress lets an address that a site had before be free again.
func DropOldAddress(ctx context.Context, q Queryer, site, address string) error {
	return exec(ctx, q, `DELETE FROM old_addresses WHERE site = ? AND address = ?`, site, address)
}

// ShortNames reads the short names: paths by site and name.
func ShortNames(ctx context.Context, q Queryer) (map[string]map[string]string, error) {
	bySite := map[string]map[string]string{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site, name, path string
		if err = r.Scan(&site, &name, &path); err == nil {
			if bySite[site] == nil {
				bySite[site] = map[string]string{}
			}
			bySite[site][name] = path
		}
		return
	}, `SELECT site, name, path FROM short_names`)
	return bySite, err
}

// SaveShortName lets a short name lead to a path.
func SaveShortName(ctx context.Context, q Queryer, site, name, path string) error {
	return exec(ctx, q, `INSERT INTO short_names (site, name, path) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET path = excluded.path`, site, name, path)
}

// DropShortName takes a short name away.
func DropShortName(ctx context.Context, q Queryer, site, name string) error {
	return exec(ctx, q, `DELETE FROM short_names WHERE site = ? AND name = ?`, site, name)
}

// Details is what a site says of itself on every page.
type Details struct {
	Description  string   `json:"description,omitempty"`
	Icon         string   `json:"icon,omitempty"` // the key of its data
	IconType     string   `json:"icon_type,omitempty"`
	Tint         string   `json:"tint,omitempty"` // as in #14202b
	Contact      string   `json:"contact,omitempty"`
	CookieNotice string   `json:"cookie_notice,omitempty"`
	NotFound     string   `json:"not_found,omitempty"` // Markdown
	Profiles     []string `json:"profiles,omitempty"`  // addresses elsewhere
	Head         string   `json:"head,omitempty"`      // code, with a steward's consent
	Foot         string   `json:"foot,omitempty"`
	Scripts      bool     `json:"scripts,omitempty"`  // pages with a look of their own may run scripts
	Consent      string   `json:"consent,omitempty"`  // the steward's address
	Upstream     string   `json:"upstream,omitempty"` // the web server that the site stands in front of
}

// AllDetails reads what sites say of themselves.
func AllDetails(ctx context.Context, q Queryer) (map[string]Details, error) {
	bySite := map[string]Details{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site string
		var text []byte
		var d Details
		if err = r.Scan(&site, &text); err == nil {
			err = json.Unmarshal(text, &d)
			bySite[site] = d
		}
		return
	}, `SELECT site, details FROM site_details`)
	return bySite, err
}

// SaveDetails writes what a site says of itself.
func SaveDetails(ctx context.Context, q Queryer, site string, d Details) error {
	text, err := json.Marshal(d)
	if err != nil {
		return err
	}
	return exec(ctx, q, `INSERT INTO site_details (site, details) VALUES (?, ?) ON CONFLICT DO UPDATE SET details = excluded.details`, site, string(text))
}

// SaveRules makes the database hold just these house rules.
func SaveRules(ctx context.Context, q Queryer, list []access.HouseRule) error {
	if err := exec(ctx, q, `DELETE FROM rules`); err != nil {
		return fmt.Errorf("writing house rules: %w", err)
	}
	return saveParts(ctx, q, "rules", list, func(r access.HouseRule) string { return r.ID })
}
