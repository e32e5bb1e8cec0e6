// Package store keeps a house in one SQLite file. It holds SQL and nothing
// clever: what things mean is decided in core, and who may do them in app.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"net/url"

	"github.com/pressly/goose/v3"
	_ "modernc.org/sqlite" // the driver "sqlite"
)

//go:embed migrations/*.sql
var migrations embed.FS

// ErrNewer says that the file was written by a newer Velada.
var ErrNewer = errors.New("the database was written by a newer Velada: update this one first")

// Queryer is what both a database and a transaction can do.
type Queryer interface {
	ExecContext(ctx context.Context, query string, args ...any) (sql.Result, error)
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

// Open opens the database file, making it where there is none, and brings its
// tables up to date.
func Open(ctx context.Context, file string) (*sql.DB, error) {
	options := url.Values{
		"_pragma": {"journal_mode(WAL)", "busy_timeout(5000)", "foreign_keys(1)", "synchronous(NORMAL)"},
		"_txlock": {"immediate"},
	}
	db, err := sql.Open("sqlite", "file:"+url.PathEscape(file)+"?"+options.Encode())
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", file, err)
	}
	if err := migrate(ctx, db); err != nil {
		return nil, errors.Join(fmt.Errorf("opening %s: %w", file, err), db.Close())
	}
	return db, nil
}

func migrate(ctx context.Context, db *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	provider, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	if err != nil {
		return err
	}
	is, newest, err := provider.GetVersions(ctx)
	if err != nil {
		return err
	}
	if is > newest {
		return ErrNewer
	}
	_, err = provider.Up(ctx)
	return err
}

// InTx runs f in one transaction: committed when f returns nil, and otherwise
// as if nothing had happened.
func InTx(ctx context.Context, db *sql.DB, f func(tx *sql.Tx) error) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return fmt.Errorf("beginning a transaction: %w", err)
	}
	if err := f(tx); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	if err := tx.Commit(); err != nil {
		return fmt.Errorf("committing: %w", err)
	}
	return nil
}

// collect reads all rows of a query with one function a row.
func collect[T any](ctx context.Context, q Queryer, scan func(*sql.Rows) (T, error), query string, args ...any) ([]T, error) {
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
	return list, rows.Err()
}

// exec runs a statement whose result does not matter.
func exec(ctx context.Context, q Queryer, query string, args ...any) error {
	_, err := q.ExecContext(ctx, query, args...)
	return err
}
