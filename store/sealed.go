package store

import (
	"context"
	"database/sql"
	"fmt"
)

// Sealed names a column whose values are sealed by whoever writes them, with the
// column that tells its rows apart.
type Sealed struct{ table, key, column string }

// The columns that hold what is sealed.
var (
	SealedSecrets  = []Sealed{{"secrets", "name", "value"}}
	SealedTOTP     = []Sealed{{"accounts", "who", "totp"}}
	SealedSettings = []Sealed{{"settings", "name", "value"}}
	SealedCerts    = []Sealed{{"certificates", "name", "sealed"}}
	SealedMails    = []Sealed{{"mails", "id", "text"}, {"mails", "id", "html"}, {"mails", "id", "raw"}}
)

// SealMark stands before everything that is sealed.
const SealMark = "sealed:"

// EachSealed puts what again makes of it in the place of every value of some
// columns that is not empty; with plainOnly just of those that are not sealed yet.
func EachSealed(ctx context.Context, q Queryer, columns []Sealed, plainOnly bool, again func(text string) (string, error)) error {
	for _, c := range columns {
		keys, err := collect(ctx, q, func(r *sql.Rows) (key any, err error) { return key, r.Scan(&key) },
			`SELECT `+c.key+` FROM `+c.table+` WHERE length(`+c.column+`) > 0 AND NOT (?1 AND substr(CAST(`+c.column+` AS TEXT), 1, ?2) = ?3)`, plainOnly, len(SealMark), SealMark)
		if err != nil {
			return fmt.Errorf("reading %s: %w", c.table, err)
		}
		for _, key := range keys { // one at a time: letters may be many
			var was []byte
			if err := q.QueryRowContext(ctx, `SELECT `+c.column+` FROM `+c.table+` WHERE `+c.key+` = ?`, key).Scan(&was); err != nil {
				return fmt.Errorf("reading %s.%s: %w", c.table, c.column, err)
			}
			is, err := again(string(was))
			if err == nil && is != string(was) {
				err = exec(ctx, q, `UPDATE `+c.table+` SET `+c.column+` = ? WHERE `+c.key+` = ?`, is, key)
			}
			if err != nil {
				return fmt.Errorf("sealing %s.%s: %w", c.table, c.column, err)
			}
		}
	}
	return nil
}
