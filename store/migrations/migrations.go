// Package migrations brings the tables of a house from any version to the newest. Each migration is kept
// as it was when it was released: those in Go import nothing of Velada's, so that what changes elsewhere
// changes none of them.
package migrations

import (
	"context"
	"database/sql"
	"embed"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/pressly/goose/v3"
	"golang.org/x/net/idna"
)

//go:embed *.sql
var files embed.FS

// Newest is the version of the tables that this program works with.
const Newest = 31

// All knows all migrations of a database.
func All(db *sql.DB) (*goose.Provider, error) {
	inGo := goose.WithGoMigrations(
		goose.NewGoMigration(10, &goose.GoFunc{RunTx: idsForAddresses}, &goose.GoFunc{RunTx: nothing}),
		goose.NewGoMigration(13, &goose.GoFunc{RunTx: peopleForEntries}, &goose.GoFunc{RunTx: nothing}),
		goose.NewGoMigration(25, &goose.GoFunc{RunTx: contentsOnce}, &goose.GoFunc{RunTx: nothing}),
		goose.NewGoMigration(30, &goose.GoFunc{RunTx: mendLedger}, &goose.GoFunc{RunTx: nothing}),
	)
	return goose.NewProvider(goose.DialectSQLite3, db, files, inGo, goose.WithDisableGlobalRegistry(true))
}

func nothing(context.Context, *sql.Tx) error { return nil }

func collect[T any](ctx context.Context, tx *sql.Tx, scan func(*sql.Rows) (T, error), query string, args ...any) ([]T, error) {
	rows, err := tx.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var list []T
	for rows.Next() {
		item, err := scan(rows)
		if err != nil {
			return nil, err
		}
		list = append(list, item)
	}
	return list, rows.Err()
}

func scanText(rows *sql.Rows) (text string, err error) { return text, rows.Scan(&text) }

func exec(ctx context.Context, tx *sql.Tx, query string, args ...any) error {
	_, err := tx.ExecContext(ctx, query, args...)
	return err
}

// canonical brings a mail address into the form in which addresses are compared: small letters of ASCII,
// and a domain in ASCII form. It is "" for what is no address.
func canonical(address string) string {
	at := strings.LastIndexByte(address, '@')
	if at < 1 || !utf8.ValidString(address) {
		return ""
	}
	local := address[:at]
	if strings.ContainsFunc(local, func(r rune) bool { return r == '@' || unicode.IsSpace(r) || unicode.IsControl(r) }) {
		return ""
	}
	// The leading label keeps the library from quietly dropping empty ones.
	domain, err := toASCII.ToASCII("a." + address[at+1:])
	if err != nil {
		return ""
	}
	domain = strings.TrimPrefix(domain, "a.")
	for label := range strings.SplitSeq(domain, ".") {
		if len(label) < 1 || len(label) > 63 || strings.Trim(label, "abcdefghijklmnopqrstuvwxyz0123456789-") != "" {
			return ""
		}
	}
	return small(local) + "@" + domain
}

var toASCII = idna.New(idna.MapForLookup(), idna.Transitional(false), idna.BidiRule(), idna.CheckHyphens(false))

// small writes letters of ASCII small, and no others.
func small(text string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'A' && r <= 'Z' {
			return r | 0x20
		}
		return r
	}, text)
}
