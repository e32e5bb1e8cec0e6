package store

import (
	"context"
	"database/sql"
	"errors"
	"io/fs"
	"os"
)

// How large SQLite's log of what was written (the WAL) stays, in bytes: it is cut to
// mostLog when it is written from its beginning again, and taken into the database by
// Checkpoint from someLog on. Whoever commits takes it in from autoLog on, and waits for the
// disk: so late that Checkpoint, which nobody waits for, comes first.
const (
	mostLog = 64 << 20
	autoLog = 32 << 20
	someLog = 8 << 20
)

// Checkpoint takes what is in the log into the database, and empties the log, where it
// has grown. SQLite does so by itself too, but not while somebody reads what is older, and it
// leaves the file as large as it ever was. Whoever writes waits for no more than the last of it.
func Checkpoint(ctx context.Context, db *sql.DB) error {
	size, err := logSize(ctx, db)
	if err != nil || size < someLog {
		return err
	}
	var busy, pages, done int
	if err := db.QueryRowContext(ctx, `PRAGMA wal_checkpoint(PASSIVE)`).Scan(&busy, &pages, &done); err != nil {
		return err
	}
	if pages-done > pages/10 { // somebody reads: again later
		return nil
	}
	return db.QueryRowContext(ctx, `PRAGMA wal_checkpoint(TRUNCATE)`).Scan(&busy, &pages, &done)
}

// logSize is the size of the log of a database, in bytes.
func logSize(ctx context.Context, q Reader) (int64, error) {
	var file string
	if err := q.QueryRowContext(ctx, `SELECT file FROM pragma_database_list WHERE name = 'main'`).Scan(&file); err != nil {
		return 0, err
	}
	info, err := os.Stat(file + "-wal")
	if errors.Is(err, fs.ErrNotExist) {
		return 0, nil
	}
	if err != nil {
		return 0, err
	}
	return info.Size(), nil
}
