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

// Readdress changes the address of a site. What is kept of it hangs on its id and
// stays; what its people were told leads to where it is now.
func Readdress(ctx context.Context, q Queryer, site SiteID, from, to string, at time.Time) error {
	return errors.Join(
		exec(ctx, q, `UPDATE sites SET address = ? WHERE id = ?`, to, site),
		exec(ctx, q, `DELETE FROM old_addresses WHERE address = ?`, to),
		exec(ctx, q, `INSERT INTO old_addresses (address, site, since) VALUES (?, ?, ?)`, from, site, at.Unix()),
		exec(ctx, q, `UPDATE notices SET site = ?2, url = '/sites/' || ?2 || substr(url, length('/sites/' || ?1) + 1)
			WHERE site = ?1 AND (url = '/sites/' || ?1 OR substr(url, 1, length('/sites/' || ?1 || '/')) = '/sites/' || ?1 || '/')`, from, to),
	)
}

// SiteRow is what is kept of a site beside its part of the document.
type SiteRow struct {
	ID      SiteID
	Address string
	Salt    []byte // under which its passes' passwords are derived
}

// SiteRows reads what is kept of all sites.
func SiteRows(ctx context.Context, q Reader) ([]SiteRow, error) {
	rows, err := collect(ctx, q, func(r *sql.Rows) (s SiteRow, err error) {
		return s, r.Scan(&s.ID, &s.Address, &s.Salt)
	}, `SELECT id, address, salt FROM sites`)
	if err != nil {
		return nil, fmt.Errorf("reading the ids of sites: %w", err)
	}
	return rows, nil
}

// SiteIDs reads the ids of all sites, by address.
func SiteIDs(ctx context.Context, q Reader) (map[string]SiteID, error) {
	rows, err := SiteRows(ctx, q)
	ids := make(map[string]SiteID, len(rows))
	for _, row := range rows {
		ids[row.Address] = row.ID
	}
	return ids, err
}

// OldAddress is an address that a site had before.
type OldAddress struct {
	Address string
	Site    SiteID
	Since   time.Time
}

// OldAddresses reads which addresses lead on to which sites.
func OldAddresses(ctx context.Context, q Reader, site SiteID) ([]OldAddress, error) {
	return collectOf(ctx, q, func(r *sql.Rows) (o OldAddress, err error) {
		var since int64
		err = r.Scan(&o.Address, &o.Site, &since)
		o.Since = time.Unix(since, 0)
		return o, err
	}, `SELECT address, site, since FROM old_addresses`, "site", site, " ORDER BY since")
}

// DropOldAddress lets an address that a site had before be free again.
func DropOldAddress(ctx context.Context, q Queryer, site SiteID, address string) error {
	return exec(ctx, q, `DELETE FROM old_addresses WHERE site = ? AND address = ?`, site, address)
}

// ShortNames reads the short names: paths by site and name.
func ShortNames(ctx context.Context, q Reader, site SiteID) (map[SiteID]map[string]string, error) {
	bySite := map[SiteID]map[string]string{}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var name, path string
		if err = r.Scan(&site, &name, &path); err == nil {
			if bySite[site] == nil {
				bySite[site] = map[string]string{}
			}
			bySite[site][name] = path
		}
		return
	}, `SELECT site, name, path FROM short_names`, "site", site, "")
	return bySite, err
}

// SaveShortName lets a short name lead to a path.
func SaveShortName(ctx context.Context, q Queryer, site SiteID, name, path string) error {
	return exec(ctx, q, `INSERT INTO short_names (site, name, path) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET path = excluded.path`, site, name, path)
}

// DropShortName takes a short name away.
func DropShortName(ctx context.Context, q Queryer, site SiteID, name string) error {
	return exec(ctx, q, `DELETE FROM short_names WHERE site = ? AND name = ?`, site, name)
}

// Details is what a site says of itself on every page.
type Details struct {
	Description   string   `json:"description,omitempty"`
	Icon          string   `json:"icon,omitempty"` // the key of its data
	IconType      string   `json:"icon_type,omitempty"`
	Contact       string   `json:"contact,omitempty"`
	CookieNotice  string   `json:"cookie_notice,omitempty"`
	NotFound      string   `json:"not_found,omitempty"` // Markdown
	Phone         string   `json:"phone,omitempty"`
	Hours         string   `json:"hours,omitempty"`   // when somebody is there, in lines
	Postal        string   `json:"postal,omitempty"`  // a postal address, in lines
	Licence       string   `json:"licence,omitempty"` // a key of Licences; "" says nothing
	Links         []Link   `json:"links,omitempty"`   // addresses elsewhere
	Head          string   `json:"head,omitempty"`    // code, with a steward's consent
	Foot          string   `json:"foot,omitempty"`
	Apart         bool     `json:"apart,omitempty"`          // its domains and its address in the house each answer, instead of leading to the main one
	Strict        bool     `json:"strict,omitempty"`         // browsers that were here come by https alone
	Search        bool     `json:"search,omitempty"`         // visitors find what opens to them
	Pattern       string   `json:"pattern,omitempty"`        // of titles in results, see listing.Pattern
	Picture       string   `json:"picture,omitempty"`        // the path of the one shown where the site is shared
	Robots        string   `json:"robots,omitempty"`         // lines of its own for robots.txt
	Sitemaps      []string `json:"sitemaps,omitempty"`       // paths of sitemaps of its own
	Scripts       bool     `json:"scripts,omitempty"`        // pages with a look of their own may run scripts
	Workers       bool     `json:"workers,omitempty"`        // its pages may leave workers in browsers, and use them
	Consent       Who      `json:"consent,omitempty"`        // the steward who gave it
	Upstream      string   `json:"upstream,omitempty"`       // the web server that the site stands in front of
	ServerHost    bool     `json:"server_host,omitempty"`    // that server is told its own host, not the visitor's
	AsSent        bool     `json:"as_sent,omitempty"`        // paths are handed on as they were sent
	Literal       bool     `json:"literal,omitempty"`        // that server reads ; and trailing dots and blanks in a path as they stand
	FromElsewhere bool     `json:"from_elsewhere,omitempty"` // that server takes forms that pages of others send
	AnyCase       bool     `json:"any_case,omitempty"`       // that server takes small and capital letters for the same
	Askers        []string `json:"askers,omitempty"`         // networks whose servers may ask before they serve, without the secret
}

// Link is an address elsewhere that belongs to a site, with its name and its icon.
type Link struct {
	URL  string `json:"url"`
	Name string `json:"name,omitempty"` // "" is the host
	Icon string `json:"icon,omitempty"` // of look.Icons; "" is elsewhere
}

// AllDetails reads what sites say of themselves.
func AllDetails(ctx context.Context, q Reader, site SiteID) (map[SiteID]Details, error) {
	bySite := map[SiteID]Details{}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var text []byte
		var d Details
		if err = r.Scan(&site, &text); err == nil {
			err = json.Unmarshal(text, &d)
			bySite[site] = d
		}
		return
	}, `SELECT site, details FROM site_details`, "site", site, "")
	return bySite, err
}

// SaveDetails writes what a site says of itself.
func SaveDetails(ctx context.Context, q Queryer, site SiteID, d Details) error {
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
	if err := saveParts(ctx, q, "rules", list, func(r access.HouseRule) string { return r.ID }); err != nil {
		return err
	}
	for _, gone := range []string{`DELETE FROM rule_notes WHERE rule NOT IN (SELECT id FROM rules)`, `DELETE FROM exceptions WHERE rule NOT IN (SELECT id FROM rules)`} {
		if err := exec(ctx, q, gone); err != nil { // so that a rule of the same name later does not inherit them
			return fmt.Errorf("writing house rules: %w", err)
		}
	}
	return nil
}
