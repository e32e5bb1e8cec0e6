package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Account is who can sign in with an address.
type Account struct {
	Address  string // as addresses are compared
	Name     string
	Password string // argon2id, in the PHC string format
}

// FindAccount reads an account by its address; nil where there is none.
func FindAccount(ctx context.Context, q Queryer, address string) (*Account, error) {
	var a Account
	err := q.QueryRowContext(ctx, `SELECT address, name, password FROM accounts WHERE address = ?`, address).Scan(&a.Address, &a.Name, &a.Password)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	return &a, err
}

// SaveAccount writes an account.
func SaveAccount(ctx context.Context, q Queryer, a Account) error {
	return exec(ctx, q, `INSERT INTO accounts (address, name, password) VALUES (?, ?, ?)
		ON CONFLICT DO UPDATE SET name = excluded.name, password = excluded.password`, a.Address, a.Name, a.Password)
}

// Visit is somebody signed in on a site's own host.
type Visit struct {
	Token   [32]byte // SHA-256 of the cookie's value
	Site    string
	Address string
	Console string // the console session it was handed over from
	Expires time.Time
}

// Visits reads the visits that have not expired, and forgets the others.
func Visits(ctx context.Context, q Queryer, now time.Time) ([]Visit, error) {
	if err := exec(ctx, q, `DELETE FROM visits WHERE expires <= ?`, now.Unix()); err != nil {
		return nil, err
	}
	return collect(ctx, q, func(r *sql.Rows) (v Visit, err error) {
		var token []byte
		var expires int64
		err = r.Scan(&token, &v.Site, &v.Address, &v.Console, &expires)
		copy(v.Token[:], token)
		v.Expires = time.Unix(expires, 0)
		return v, err
	}, `SELECT token, site, address, console, expires FROM visits`)
}

// SaveVisit writes a visit.
func SaveVisit(ctx context.Context, q Queryer, v Visit) error {
	return exec(ctx, q, `INSERT INTO visits (token, site, address, console, expires) VALUES (?, ?, ?, ?, ?)`,
		v.Token[:], v.Site, v.Address, v.Console, v.Expires.Unix())
}

// EndVisit forgets one visit.
func EndVisit(ctx context.Context, q Queryer, token [32]byte) error {
	return exec(ctx, q, `DELETE FROM visits WHERE token = ?`, token[:])
}

// EndVisitsOf forgets every visit that was handed over from a console session.
func EndVisitsOf(ctx context.Context, q Queryer, console string) error {
	return exec(ctx, q, `DELETE FROM visits WHERE console = ?`, console)
}

// LateVisits reads who is signed in on a site's host, the latest first.
func LateVisits(ctx context.Context, q Queryer, site string, most int) ([]Visit, error) {
	return collect(ctx, q, func(r *sql.Rows) (v Visit, err error) {
		var expires int64
		err = r.Scan(&v.Address, &expires)
		v.Expires = time.Unix(expires, 0)
		return v, err
	}, `SELECT address, max(expires) FROM visits WHERE site = ? GROUP BY address ORDER BY 2 DESC LIMIT ?`, site, most)
}
