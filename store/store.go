// Package store keeps a house in one SQLite file. It holds SQL and nothing
// clever: what things mean is decided in core, and who may do them in app.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"strconv"
	"strings"
	"sync/atomic"

	_ "modernc.org/sqlite" // the driver "sqlite"

	"velada/store/migrations"
)

// ErrNewer says that the file was written by a newer Velada.
var ErrNewer = errors.New("the database was written by a newer Velada: update this one first")

// Queryer is what both a database and a transaction can do.
type Queryer interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

// Reader is what both can do that changes nothing.
type Reader interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

// ErrOlder says that the file was written by an older Velada, whose tables a
// command that only reads does not change.
var ErrOlder = errors.New("the database was written by an older Velada: start velada serve once, which brings it up to date")

// pragmas hold for every connection: one that finds the file locked, by a command that
// copies it, waits up to 5 s instead of failing.
const pragmas = "busy_timeout(5000)"

// Open opens the database file, making it where there is none, and brings its
// tables up to date. Whoever calls it holds the lock of the house's folder. Nobody
// but the owner of the file can read it, nor what SQLite keeps beside it. Where an older Velada wrote the
// house, it is copied beside itself first, and told hears of it.
func Open(ctx context.Context, file string, told ...func(Migrated)) (*sql.DB, error) {
	made, err := os.OpenFile(file, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", file, err)
	}
	if err := errors.Join(made.Close(), onlyOwner(file)); err != nil {
		return nil, fmt.Errorf("opening %s: %w", file, err)
	}
	// WAL lets others read while one writes; with it synchronous NORMAL loses no commit when
	// the program dies, and at most the last ones when the machine does: whoever is answered
	// waits for the disk by a Syncer. Transactions begin
	// as writers, so that none that has read must start over when it comes to write.
	db, err := connect(file, url.Values{
		"_pragma": {"journal_mode(WAL)", pragmas, "foreign_keys(1)", "synchronous(NORMAL)", "journal_size_limit(" + strconv.Itoa(mostLog) + ")", "wal_autocheckpoint(" + strconv.Itoa(autoLog/4096) + ")"},
		"_txlock": {"immediate"},
	})
	if err != nil {
		return nil, err
	}
	done, err := migrate(ctx, db, file)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("opening %s: %w", file, err), db.Close())
	}
	if done.From != 0 {
		for _, tell := range told {
			tell(done)
		}
	}
	return db, nil
}

// onlyOwner takes the rights of others off a database and what SQLite keeps beside
// it, which has the rights of the database when it is made anew.
func onlyOwner(file string) (err error) {
	for _, name := range []string{file, file + "-wal", file + "-shm", file + "-journal"} {
		if failed := os.Chmod(name, 0o600); !errors.Is(failed, fs.ErrNotExist) {
			err = errors.Join(err, failed)
		}
	}
	return err
}

// OpenToRead opens a database file that is there and up to date, to read it alone.
// It refuses one of another version, and makes nothing.
func OpenToRead(ctx context.Context, file string) (*sql.DB, error) {
	db, is, err := OpenToCopy(ctx, file)
	if err != nil {
		return nil, err
	}
	if is < migrations.Newest {
		return nil, errors.Join(fmt.Errorf("reading %s: %w", file, ErrOlder), db.Close())
	}
	return db, nil
}

// OpenToCopy is OpenToRead for a house that an older Velada may have written: it returns the version of its
// tables.
func OpenToCopy(ctx context.Context, file string) (db *sql.DB, version int64, err error) {
	if _, err := os.Stat(file); err != nil {
		return nil, 0, fmt.Errorf("there is no house here: %w", err)
	}
	if db, err = connect(file, url.Values{"mode": {"ro"}, "_pragma": {pragmas, "query_only(1)"}}); err != nil {
		return nil, 0, err
	}
	err = db.QueryRowContext(ctx, `SELECT coalesce(max(version_id), 0) FROM goose_db_version`).Scan(&version)
	switch {
	case err != nil:
		err = fmt.Errorf("this is no house of Velada's: %w", err)
	case version > migrations.Newest:
		err = ErrNewer
	}
	if err != nil {
		return nil, 0, errors.Join(fmt.Errorf("reading %s: %w", file, err), db.Close())
	}
	return db, version, nil
}

func connect(file string, options url.Values) (*sql.DB, error) {
	db, err := sql.Open("sqlite", "file:"+url.PathEscape(file)+"?"+options.Encode())
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", file, err)
	}
	db.SetMaxOpenConns(mostConnections)
	db.SetMaxIdleConns(mostConnections)
	return db, nil
}

// mostConnections is how many connections a house has to its file: one writes at a time,
// since SQLite has one writer, and the others read what was committed before. Each has a
// cache of 2 MB of its own, so that there are not as many as requests; more than
// processors, since some wait for the disk. All stay open: a new one reads the schema
// anew. Whoever reads never holds one while asking for another, see collect, so that
// none waits for ever.
const mostConnections = 16

// InTx runs f in one transaction: committed when f returns nil, and otherwise
// as if nothing had happened.
func InTx(ctx context.Context, db *sql.DB, f func(tx *sql.Tx) error) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("beginning a transaction: %w", err)
	}
	committed := false
	defer func() { // also when f panics, or nothing could be written any more
		if !committed {
			_ = tx.Rollback()
		}
	}()
	if err := f(tx); err != nil {
		return err
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("committing: %w", err)
	}
	committed = true
	return nil
}

// BeginToRead begins a transaction on a connection in which SQLite refuses to write; EndToRead ends it.
func BeginToRead(ctx context.Context, conn *sql.Conn) error {
	return statements(ctx, conn, `PRAGMA query_only(1)`, `BEGIN DEFERRED`)
}

// EndToRead ends what BeginToRead began.
func EndToRead(ctx context.Context, conn *sql.Conn) error {
	return statements(ctx, conn, `ROLLBACK`, `PRAGMA query_only(0)`)
}

func statements(ctx context.Context, conn *sql.Conn, list ...string) error {
	for _, statement := range list {
		if _, err := conn.ExecContext(ctx, statement); err != nil {
			return err
		}
	}
	return nil
}

// ofSite limits a query to one site, by the index on its column; "" is every site.
// The two are queries of their own: one with both in a condition would scan the table.
func ofSite(query, column string, site SiteID, rest string) (string, []any) {
	if site == "" {
		return query + rest, nil
	}
	word := " WHERE "
	if strings.Contains(query, word) {
		word = " AND "
	}
	return query + word + column + " = ?" + rest, []any{site}
}

// collectOf reads all rows of a query that is limited to one site, or to none.
func collectOf[T any](ctx context.Context, q Reader, scan func(*sql.Rows) (T, error), query, column string, site SiteID, rest string) ([]T, error) {
	text, args := ofSite(query, column, site, rest)
	return collect(ctx, q, scan, text, args...)
}

var rowsRead atomic.Int64

// RowsRead is how many rows were read into lists since the program began: how work grows
// with a house is seen by it.
func RowsRead() int64 { return rowsRead.Load() }

// collect reads all rows of a query with one function a row.
func collect[T any](ctx context.Context, q Reader, scan func(*sql.Rows) (T, error), query string, args ...any) ([]T, error) {
	rows, err := q.QueryContext(ctx, query, args...)
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
	rowsRead.Add(int64(len(list)))
	return list, rows.Err()
}

// exec runs a statement whose result does not matter.
func exec(ctx context.Context, q Queryer, query string, args ...any) error {
	_, err := q.ExecContext(ctx, query, args...)
	return err
}

// CopyTo writes a copy of a database to a file that is not there yet, as it is at one
// instant, while others go on writing. Nobody but its owner can read it.
func CopyTo(ctx context.Context, db *sql.DB, file string) error {
	made, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("copying the database: %w", err)
	}
	if err := made.Close(); err != nil {
		return err
	}
	conn, err := db.Conn(ctx)
	if err != nil {
		return fmt.Errorf("copying the database: %w", err)
	}
	defer conn.Close()
	var readsOnly bool
	if err := conn.QueryRowContext(ctx, `PRAGMA query_only`).Scan(&readsOnly); err != nil {
		return fmt.Errorf("copying the database: %w", err)
	}
	statements := []string{`VACUUM INTO ?`}
	if readsOnly { // it writes, to the copy
		statements = []string{`PRAGMA query_only(0)`, `VACUUM INTO ?`, `PRAGMA query_only(1)`}
	}
	for _, statement := range statements {
		args := []any{file}[:strings.Count(statement, "?")]
		if _, err := conn.ExecContext(ctx, statement, args...); err != nil {
			return fmt.Errorf("copying the database: %w", err)
		}
	}
	return nil
}
