package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"

	"velada/store/migrations"
)

// ErrNoHouseFile says that a file holds no house.
var ErrNoHouseFile = errors.New("this file is not a house of Velada's, or only a part of one: put a whole copy in its place")

// CheckFile says why a file that is there is not to be opened as a house: it is none, or something that
// is not of this house lies beside it. It changes nothing. Whoever calls it holds the lock of the folder.
func CheckFile(ctx context.Context, file string) error {
	if _, err := os.Stat(file + "-journal"); !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("%s-journal lies beside the house, which Velada does not make: what it belongs to was not finished. Put a whole copy in its place", file)
	}
	about, err := os.Stat(file)
	if err != nil {
		return err
	}
	if about.Size() == 0 {
		return ErrNoHouseFile
	}
	head := make([]byte, 16)
	f, err := os.Open(file)
	if err != nil {
		return err
	}
	_, err = f.Read(head)
	if err := errors.Join(err, f.Close()); err != nil {
		return err
	}
	if string(head) != "SQLite format 3\x00" {
		return ErrNoHouseFile
	}
	db, err := connect(file, map[string][]string{"_pragma": {pragmas, "query_only(1)"}})
	if err != nil {
		return err
	}
	defer db.Close()
	var tables int
	err = db.QueryRowContext(ctx, `SELECT count(*) FROM sqlite_schema WHERE type = 'table' AND name = 'goose_db_version'`).Scan(&tables)
	if err != nil || tables == 0 {
		return errors.Join(ErrNoHouseFile, err)
	}
	return nil
}

// CheckWhole checks that every page of a database can be read, and that its ledger holds together: the
// ledger of a house that an older Velada wrote is checked once its tables are up to date.
func CheckWhole(ctx context.Context, db *sql.DB, version int64) error {
	if err := checkPages(ctx, db); err != nil || version < migrations.Newest {
		return err
	}
	broken, _, err := VerifyLedger(ctx, db)
	if err == nil && broken != 0 {
		err = fmt.Errorf("the ledger does not hold together at entry %d", broken)
	}
	return err
}

func checkPages(ctx context.Context, db *sql.DB) error {
	var said string
	if err := db.QueryRowContext(ctx, `PRAGMA integrity_check(1)`).Scan(&said); err != nil {
		return fmt.Errorf("checking the database: %w", err)
	}
	if said != "ok" {
		return fmt.Errorf("the database is damaged: %s", said)
	}
	return nil
}

// HasSealed reports whether a database holds anything that a key file is needed for.
func HasSealed(ctx context.Context, db *sql.DB) (bool, error) {
	var n int
	err := db.QueryRowContext(ctx, `SELECT count(*) FROM secrets WHERE CAST(value AS TEXT) LIKE 'sealed:%'`).Scan(&n)
	return n > 0, err
}

// SealedSecret is one of the secrets of the installation as it is sealed; "" where there is none.
func SealedSecret(ctx context.Context, q Reader, name string) (string, error) {
	var value []byte
	err := q.QueryRowContext(ctx, `SELECT value FROM secrets WHERE name = ?`, name).Scan(&value)
	if errors.Is(err, sql.ErrNoRows) {
		err = nil
	}
	return string(value), err
}
