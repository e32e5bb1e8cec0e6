package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"
)

// Account is who can sign in with an address.
type Account struct {
	Address    string // as addresses are compared
	Name       string
	Password   string   // argon2id, in the PHC string format; "" has none
	MustChange bool     // the password is a first code
	TOTP       string   // the secret of the second step, base32; "" has none
	TOTPUsed   int64    // the last time step that was entered
	ByMail     []string // kinds of notices that come by mail too
}

const accountColumns = `address, name, password, must_change, totp, totp_used, by_mail`

// FindAccount reads an account by its address; nil where there is none.
func FindAccount(ctx context.Context, q Queryer, address string) (*Account, error) {
	var a Account
	var byMail string
	err := q.QueryRowContext(ctx, `SELECT `+accountColumns+` FROM accounts WHERE address = ?`, address).
		Scan(&a.Address, &a.Name, &a.Password, &a.MustChange, &a.TOTP, &a.TOTPUsed, &byMail)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err == nil {
		err = json.Unmarshal([]byte(byMail), &a.ByMail)
	}
	return &a, err
}

// SaveAccount writes an account.
func SaveAccount(ctx context.Context, q Queryer, a Account) error {
	if a.ByMail == nil {
		a.ByMail = []string{}
	}
	byMail, err := json.Marshal(a.ByMail)
	if err != nil {
		return err
	}
	return exec(ctx, q, `INSERT INTO accounts (`+accountColumns+`) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET name = excluded.name, password = excluded.password, must_change = excluded.must_change,
		totp = excluded.totp, totp_used = excluded.totp_used, by_mail = excluded.by_mail`,
		a.Address, a.Name, a.Password, a.MustChange, a.TOTP, a.TOTPUsed, string(byMail))
}

// AccountNames reads what the holders of accounts are called, by address.
func AccountNames(ctx context.Context, q Queryer) (map[string]string, error) {
	names := map[string]string{}
	_, err := collect(ctx, q, func(r *sql.Rows) (address string, err error) {
		var name string
		err = r.Scan(&address, &name)
		names[address] = name
		return address, err
	}, `SELECT address, name FROM accounts WHERE name <> ''`)
	return names, err
}

// UseTimeStep writes that a code of the second step was entered, and reports
// whether it was not entered before.
func UseTimeStep(ctx context.Context, q Queryer, address string, step int64) (bool, error) {
	done, err := q.ExecContext(ctx, `UPDATE accounts SET totp_used = ?2 WHERE address = ?1 AND totp_used < ?2`, address, step)
	if err != nil {
		return false, err
	}
	n, err := done.RowsAffected()
	return n == 1, err
}

// SaveRecoveryCodes makes these hashes the recovery codes of an account.
func SaveRecoveryCodes(ctx context.Context, q Queryer, address string, codes [][32]byte) error {
	err := exec(ctx, q, `DELETE FROM recovery_codes WHERE address = ?`, address)
	for _, c := range codes {
		if err == nil {
			err = exec(ctx, q, `INSERT INTO recovery_codes (address, code) VALUES (?, ?)`, address, c[:])
		}
	}
	return err
}

// SpendRecoveryCode forgets a recovery code and reports whether it was there.
func SpendRecoveryCode(ctx context.Context, q Queryer, address string, code [32]byte) (bool, error) {
	done, err := q.ExecContext(ctx, `DELETE FROM recovery_codes WHERE address = ? AND code = ?`, address, code[:])
	if err != nil {
		return false, err
	}
	n, err := done.RowsAffected()
	return n == 1, err
}

// RecoveryCodes counts the recovery codes that are left.
func RecoveryCodes(ctx context.Context, q Queryer, address string) (n int, err error) {
	err = q.QueryRowContext(ctx, `SELECT count(*) FROM recovery_codes WHERE address = ?`, address).Scan(&n)
	return n, err
}

// Passkey is a key that somebody signs in with.
type Passkey struct {
	ID            []byte
	Address, Name string
	Credential    string // JSON
	Made, Used    time.Time
}

// SavePasskey writes a passkey.
func SavePasskey(ctx context.Context, q Queryer, p Passkey) error {
	return exec(ctx, q, `INSERT INTO passkeys (id, address, name, credential, made, used) VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT (id) DO UPDATE SET credential = excluded.credential, used = excluded.used`,
		p.ID, p.Address, p.Name, p.Credential, p.Made.Unix(), p.Used.Unix())
}

// Passkeys reads the passkeys of an address, the oldest first.
func Passkeys(ctx context.Context, q Queryer, address string) ([]Passkey, error) {
	return collect(ctx, q, scanPasskey, `SELECT id, address, name, credential, made, used FROM passkeys WHERE address = ? ORDER BY made, id`, address)
}

// FindPasskey reads a passkey by its id; nil where there is none.
func FindPasskey(ctx context.Context, q Queryer, id []byte) (*Passkey, error) {
	list, err := collect(ctx, q, scanPasskey, `SELECT id, address, name, credential, made, used FROM passkeys WHERE id = ?`, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

func scanPasskey(r *sql.Rows) (p Passkey, err error) {
	var made, used int64
	err = r.Scan(&p.ID, &p.Address, &p.Name, &p.Credential, &made, &used)
	p.Made, p.Used = time.Unix(made, 0), time.Unix(used, 0)
	return p, err
}

// DropPasskey forgets a passkey of an address.
func DropPasskey(ctx context.Context, q Queryer, address string, id []byte) error {
	return exec(ctx, q, `DELETE FROM passkeys WHERE address = ? AND id = ?`, address, id)
}

// SignedIn is somebody signed in on the console in one browser.
type SignedIn struct {
	ID, Address, Device, How string
	Began, Used              time.Time
}

// SaveSignedIn writes that somebody signed in.
func SaveSignedIn(ctx context.Context, q Queryer, s SignedIn) error {
	return exec(ctx, q, `INSERT INTO signed_in (id, address, device, how, began, used) VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET used = excluded.used`, s.ID, s.Address, s.Device, s.How, s.Began.Unix(), s.Used.Unix())
}

// FindSignedIn reads where somebody is signed in, by its id; nil where that ended.
func FindSignedIn(ctx context.Context, q Queryer, id string) (*SignedIn, error) {
	list, err := collect(ctx, q, scanSignedIn, `SELECT id, address, device, how, began, used FROM signed_in WHERE id = ?`, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// SignedInOf reads where an address is signed in, the last used first.
func SignedInOf(ctx context.Context, q Queryer, address string) ([]SignedIn, error) {
	return collect(ctx, q, scanSignedIn, `SELECT id, address, device, how, began, used FROM signed_in WHERE address = ? ORDER BY used DESC, began DESC`, address)
}

func scanSignedIn(r *sql.Rows) (s SignedIn, err error) {
	var began, used int64
	err = r.Scan(&s.ID, &s.Address, &s.Device, &s.How, &began, &used)
	s.Began, s.Used = time.Unix(began, 0), time.Unix(used, 0)
	return s, err
}

// EndSignedIn forgets that somebody is signed in, in one browser.
func EndSignedIn(ctx context.Context, q Queryer, id string) error {
	return exec(ctx, q, `DELETE FROM signed_in WHERE id = ?`, id)
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
