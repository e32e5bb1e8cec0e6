package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// Account is what somebody signs in by.
type Account struct {
	Who        Who
	Name       string
	Password   string   // argon2id, in the PHC string format; "" has none
	MustChange bool     // the password is a first code
	TOTP       string   // the secret of the second step, sealed; "" has none
	TOTPUsed   int64    // the last time step that was entered
	WrongCodes int      // wrong codes of the second step in a row
	ByMail     []string // kinds of notices that come by mail too
	BeganIn    string   // the group in which the account began, "" elsewhere
	SignedIn   bool     // they have signed in with a password that only they know
	SlipBy     Who      // who made the first code that it has
	SlipGroup  string   // as a manager of which group; "" for a steward
	Epoch      int64    // how often all sign-ins ended: what is half done counts in the epoch in which it began
}

const accountColumns = `who, name, password, must_change, totp, totp_used, wrong_codes, by_mail, began_in, signed_in, epoch, slip_by, slip_group`

// FindAccount reads somebody's account; nil where there is none.
func FindAccount(ctx context.Context, q Reader, who Who) (*Account, error) {
	var a Account
	var byMail string
	err := q.QueryRowContext(ctx, `SELECT `+accountColumns+` FROM accounts WHERE who = ?`, who).
		Scan(&a.Who, &a.Name, &a.Password, &a.MustChange, &a.TOTP, &a.TOTPUsed, &a.WrongCodes, &byMail, &a.BeganIn, &a.SignedIn, &a.Epoch, &a.SlipBy, &a.SlipGroup)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("reading the account of %s: %w", who, err)
	}
	return &a, json.Unmarshal([]byte(byMail), &a.ByMail)
}

// ErrAccount says that somebody has an account already: it is never replaced.
var ErrAccount = errors.New("there is an account already")

// NewAccount makes an account; ErrAccount where there is one.
func NewAccount(ctx context.Context, q Queryer, a Account) error {
	if a.ByMail == nil {
		a.ByMail = []string{}
	}
	byMail, err := json.Marshal(a.ByMail)
	if err != nil {
		return err
	}
	done, err := q.ExecContext(ctx, `INSERT INTO accounts (`+accountColumns+`) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
		a.Who, a.Name, a.Password, a.MustChange, a.TOTP, a.TOTPUsed, a.WrongCodes, string(byMail), a.BeganIn, a.SignedIn, a.Epoch, a.SlipBy, a.SlipGroup)
	if err != nil {
		return fmt.Errorf("making the account of %s: %w", a.Who, err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrAccount)
	}
	return nil
}

// EnsureAccount makes an account without a password where somebody has none.
func EnsureAccount(ctx context.Context, q Queryer, who Who, name string) error {
	if err := NewAccount(ctx, q, Account{Who: who, Name: name}); !errors.Is(err, ErrAccount) {
		return err
	}
	return nil
}

// SetPassword changes the password of an account. first says that it is a first
// code, to be changed by whoever signs in with it.
func SetPassword(ctx context.Context, q Queryer, who Who, hash string, first bool) error {
	return exec(ctx, q, `UPDATE accounts SET password = ?2, must_change = ?3, signed_in = max(signed_in, 1 - ?3) WHERE who = ?1`, who, hash, first)
}

// SetSlipBy says who made the first code of an account, and as a manager of which group.
func SetSlipBy(ctx context.Context, q Queryer, who, by Who, group string) error {
	return exec(ctx, q, `UPDATE accounts SET slip_by = ?2, slip_group = ?3 WHERE who = ?1`, who, by, group)
}

// SetSecondStep changes the sealed secret of somebody's second step, "" takes it away, and
// the last time step of it that counts as used.
func SetSecondStep(ctx context.Context, q Queryer, who Who, secret string, used int64) error {
	return exec(ctx, q, `UPDATE accounts SET totp = ?2, totp_used = ?3, wrong_codes = 0 WHERE who = ?1`, who, secret, used)
}

// SetAccountName changes the name of somebody's account and which notices come by
// mail too.
func SetAccountName(ctx context.Context, q Queryer, who Who, name string, byMail []string) error {
	if byMail == nil {
		byMail = []string{}
	}
	text, err := json.Marshal(byMail)
	if err != nil {
		return err
	}
	return exec(ctx, q, `UPDATE accounts SET name = ?2, by_mail = ?3 WHERE who = ?1`, who, name, string(text))
}

// CountWrongCode counts a wrong code of the second step, and returns how many there
// were in a row.
func CountWrongCode(ctx context.Context, q Queryer, who Who) (n int, err error) {
	err = q.QueryRowContext(ctx, `UPDATE accounts SET wrong_codes = wrong_codes + 1 WHERE who = ? RETURNING wrong_codes`, who).Scan(&n)
	return n, err
}

// ForgetWrongCodes begins that count anew.
func ForgetWrongCodes(ctx context.Context, q Queryer, who Who) error {
	return exec(ctx, q, `UPDATE accounts SET wrong_codes = 0 WHERE who = ? AND wrong_codes > 0`, who)
}

// KnowBrowser remembers a browser in which somebody has signed in, by the hash of
// its token; the one that was used longest ago is forgotten when there are too many.
func KnowBrowser(ctx context.Context, q Queryer, who Who, token [32]byte, now time.Time) error {
	const most = 20
	return errors.Join(
		exec(ctx, q, `INSERT INTO known_browsers (who, token, used) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET used = excluded.used`, who, token[:], now.Unix()),
		exec(ctx, q, `DELETE FROM known_browsers WHERE who = ?1 AND token NOT IN (SELECT token FROM known_browsers WHERE who = ?1 ORDER BY used DESC LIMIT ?2)`, who, most),
	)
}

// KnownBrowser reports whether somebody has signed in in a browser before.
func KnownBrowser(ctx context.Context, q Reader, who Who, token [32]byte) (known bool, err error) {
	err = q.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM known_browsers WHERE who = ? AND token = ?)`, who, token[:]).Scan(&known)
	return known, err
}

// AccountsOf returns who has something to sign in with: a password or a passkey.
func AccountsOf(ctx context.Context, q Reader) (map[Who]bool, error) {
	list, err := collect(ctx, q, func(r *sql.Rows) (who Who, err error) { return who, r.Scan(&who) },
		`SELECT who FROM accounts WHERE password <> '' UNION SELECT who FROM passkeys`)
	have := make(map[Who]bool, len(list))
	for _, who := range list {
		have[who] = true
	}
	return have, err
}

// AccountNames reads the names of the holders of accounts.
func AccountNames(ctx context.Context, q Reader) (map[Who]string, error) {
	names := map[Who]string{}
	_, err := collect(ctx, q, func(r *sql.Rows) (who Who, err error) {
		var name string
		err = r.Scan(&who, &name)
		names[who] = name
		return who, err
	}, `SELECT who, name FROM accounts WHERE name <> ''`)
	return names, err
}

// UseTimeStep writes that a code of the second step was entered, and reports
// whether it was not entered before.
func UseTimeStep(ctx context.Context, q Queryer, who Who, step int64) (bool, error) {
	done, err := q.ExecContext(ctx, `UPDATE accounts SET totp_used = ?2, wrong_codes = 0 WHERE who = ?1 AND totp_used < ?2`, who, step)
	if err != nil {
		return false, err
	}
	n, err := done.RowsAffected()
	return n == 1, err
}

// SaveRecoveryCodes makes these hashes the recovery codes of an account.
func SaveRecoveryCodes(ctx context.Context, q Queryer, who Who, codes [][32]byte) error {
	err := exec(ctx, q, `DELETE FROM recovery_codes WHERE who = ?`, who)
	for _, c := range codes {
		if err == nil {
			err = exec(ctx, q, `INSERT INTO recovery_codes (who, code) VALUES (?, ?)`, who, c[:])
		}
	}
	return err
}

// SpendRecoveryCode forgets a recovery code and reports whether it was there.
func SpendRecoveryCode(ctx context.Context, q Queryer, who Who, code [32]byte) (bool, error) {
	done, err := q.ExecContext(ctx, `DELETE FROM recovery_codes WHERE who = ? AND code = ?`, who, code[:])
	if err != nil {
		return false, err
	}
	n, err := done.RowsAffected()
	return n == 1, err
}

// RecoveryCodes counts the recovery codes that are left.
func RecoveryCodes(ctx context.Context, q Reader, who Who) (n int, err error) {
	err = q.QueryRowContext(ctx, `SELECT count(*) FROM recovery_codes WHERE who = ?`, who).Scan(&n)
	return n, err
}

// Passkey is a key that somebody signs in with.
type Passkey struct {
	ID         []byte
	Handle     []byte // by which the browser tells whose it is
	Who        Who
	Name       string
	Credential string // JSON
	Made, Used time.Time
}

// ErrPasskey says that a passkey with this id is there already, whoever's.
var ErrPasskey = errors.New("this passkey is known already")

// NewPasskey writes a passkey; ErrPasskey where one with its id is there.
func NewPasskey(ctx context.Context, q Queryer, p Passkey) error {
	done, err := q.ExecContext(ctx, `INSERT INTO passkeys (id, handle, who, name, credential, made, used) VALUES (?, ?, ?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
		p.ID, p.Handle, p.Who, p.Name, p.Credential, p.Made.Unix(), p.Used.Unix())
	if err != nil {
		return fmt.Errorf("writing a passkey of %s: %w", p.Who, err)
	}
	if n, err := done.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrPasskey)
	}
	return nil
}

// UsePasskey keeps the state of somebody's passkey after it was used.
func UsePasskey(ctx context.Context, q Queryer, p Passkey) error {
	return exec(ctx, q, `UPDATE passkeys SET credential = ?, used = ? WHERE id = ? AND who = ?`, p.Credential, p.Used.Unix(), p.ID, p.Who)
}

// Passkeys reads the passkeys of somebody, the oldest first.
func Passkeys(ctx context.Context, q Reader, who Who) ([]Passkey, error) {
	return collect(ctx, q, scanPasskey, `SELECT id, handle, who, name, credential, made, used FROM passkeys WHERE who = ? ORDER BY made, id`, who)
}

// FindPasskey reads a passkey by its id; nil where there is none.
func FindPasskey(ctx context.Context, q Reader, id []byte) (*Passkey, error) {
	list, err := collect(ctx, q, scanPasskey, `SELECT id, handle, who, name, credential, made, used FROM passkeys WHERE id = ?`, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

func scanPasskey(r *sql.Rows) (p Passkey, err error) {
	var made, used int64
	err = r.Scan(&p.ID, &p.Handle, &p.Who, &p.Name, &p.Credential, &made, &used)
	p.Made, p.Used = time.Unix(made, 0), time.Unix(used, 0)
	return p, err
}

// DropPasskey forgets a passkey of somebody.
func DropPasskey(ctx context.Context, q Queryer, who Who, id []byte) error {
	return exec(ctx, q, `DELETE FROM passkeys WHERE who = ? AND id = ?`, who, id)
}

// Session is somebody signed in on the console in one browser.
type Session struct {
	ID          string
	Who         Who
	Device, How string
	Began, Used time.Time
	Passkey     []byte // the id of the one that they came by; nil for none
}

// SaveSession writes that somebody signed in.
func SaveSession(ctx context.Context, q Queryer, s Session) error {
	return exec(ctx, q, `INSERT INTO signed_in (id, who, device, how, began, used, passkey) VALUES (?, ?, ?, ?, ?, ?, ?)`,
		s.ID, s.Who, s.Device, s.How, s.Began.Unix(), s.Used.Unix(), s.Passkey)
}

// FindSession reads where somebody is signed in, by its id; nil where that ended.
func FindSession(ctx context.Context, q Reader, id string) (*Session, error) {
	list, err := collect(ctx, q, scanSession, `SELECT id, who, device, how, began, used, passkey FROM signed_in WHERE id = ?`, id)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// SessionsOf reads where somebody is signed in, the last used first.
func SessionsOf(ctx context.Context, q Reader, who Who) ([]Session, error) {
	return collect(ctx, q, scanSession, `SELECT id, who, device, how, began, used, passkey FROM signed_in WHERE who = ? ORDER BY used DESC, began DESC`, who)
}

func scanSession(r *sql.Rows) (s Session, err error) {
	var began, used int64
	err = r.Scan(&s.ID, &s.Who, &s.Device, &s.How, &began, &used, &s.Passkey)
	s.Began, s.Used = time.Unix(began, 0), time.Unix(used, 0)
	return s, err
}

// EndSession forgets that somebody is signed in, in one browser.
func EndSession(ctx context.Context, q Queryer, id string) error {
	return exec(ctx, q, `DELETE FROM signed_in WHERE id = ?`, id)
}

// SiteSession is somebody signed in on a site's own host.
type SiteSession struct {
	Token   [32]byte // SHA-256 of the cookie's value
	Site    SiteID
	Who     Who
	Console string // the console session it was handed over from
	Expires time.Time
}

// EndExpired forgets the visits that have expired, and the sign-ins on the console that began or were used
// last before these instants: those that a visit goes on from stay as long as it does.
func EndExpired(ctx context.Context, q Queryer, now, began, used time.Time) error {
	return errors.Join(
		exec(ctx, q, `DELETE FROM visits WHERE expires <= ?`, now.Unix()),
		exec(ctx, q, `DELETE FROM signed_in WHERE (began < ? OR used < ?) AND id NOT IN (SELECT console FROM visits)`, began.Unix(), used.Unix()),
	)
}

// SiteSessions reads the visits that have not expired.
func SiteSessions(ctx context.Context, q Reader, now time.Time) ([]SiteSession, error) {
	return collect(ctx, q, func(r *sql.Rows) (v SiteSession, err error) {
		var token []byte
		var expires int64
		err = r.Scan(&token, &v.Site, &v.Who, &v.Console, &expires)
		copy(v.Token[:], token)
		v.Expires = time.Unix(expires, 0)
		return v, err
	}, `SELECT token, site, who, console, expires FROM visits WHERE expires > ?`, now.Unix())
}

// SaveSiteSession writes a visit.
func SaveSiteSession(ctx context.Context, q Queryer, v SiteSession) error {
	return exec(ctx, q, `INSERT INTO visits (token, site, who, console, expires) VALUES (?, ?, ?, ?, ?)`,
		v.Token[:], v.Site, v.Who, v.Console, v.Expires.Unix())
}

// EndSiteSession forgets one visit.
func EndSiteSession(ctx context.Context, q Queryer, token [32]byte) error {
	return exec(ctx, q, `DELETE FROM visits WHERE token = ?`, token[:])
}

// EndSiteSessionsOf forgets every visit that was handed over from a console session.
func EndSiteSessionsOf(ctx context.Context, q Queryer, console string) error {
	return exec(ctx, q, `DELETE FROM visits WHERE console = ?`, console)
}

// LateSiteSessions reads who is signed in on a site's host, the latest first.
func LateSiteSessions(ctx context.Context, q Reader, site SiteID, most int) ([]SiteSession, error) {
	return collect(ctx, q, func(r *sql.Rows) (v SiteSession, err error) {
		var expires int64
		err = r.Scan(&v.Who, &expires)
		v.Expires = time.Unix(expires, 0)
		return v, err
	}, `SELECT who, max(expires) FROM visits WHERE site = ? GROUP BY who ORDER BY 2 DESC LIMIT ?`, site, most)
}

// UseSession keeps when a sign-in was used last; one that has ended stays ended.
func UseSession(ctx context.Context, q Queryer, id string, at time.Time) error {
	return exec(ctx, q, `UPDATE signed_in SET used = ? WHERE id = ?`, at.Unix(), id)
}
