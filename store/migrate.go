package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"velada/store/migrations"
)

// Migrated tells what opening a file did to a house that an older Velada wrote: nothing where From is 0.
type Migrated struct {
	From, To int64
	Copy     string // where the house lies as it was, until the next time
}

// migrate brings the tables of a house up to date. One that an older Velada wrote is copied first: the copy
// lies beside it, whole and kept by the disk, until the tables change the next time.
func migrate(ctx context.Context, db *sql.DB, file string) (done Migrated, err error) {
	provider, err := migrations.All(db)
	if err != nil {
		return done, err
	}
	is, newest, err := provider.GetVersions(ctx)
	switch {
	case err != nil:
		return done, err
	case newest != migrations.Newest:
		return done, fmt.Errorf("the newest migration is %d, not %d", newest, migrations.Newest)
	case is > newest:
		return done, ErrNewer
	case is > 0 && is < newest:
		done = Migrated{From: is, To: newest, Copy: fmt.Sprintf("%s-before-%d-from-%d", file, newest, is)}
		if err := copyBefore(ctx, db, file, done.Copy); err != nil {
			return done, fmt.Errorf("the house was written by an older Velada, and is left as it is, since no copy of it could be made before its tables are changed: %w", err)
		}
	}
	if _, err := provider.Up(ctx); err != nil || done.From == 0 {
		return done, err
	}
	return done, removeEarlier(file, newest)
}

// copyBefore copies a house to a file beside it.
func copyBefore(ctx context.Context, db *sql.DB, file, to string) error {
	part := file + ".part"
	if err := os.Remove(part); err != nil && !errors.Is(err, os.ErrNotExist) {
		return err
	}
	err := CopyTo(ctx, db, part)
	if err == nil {
		err = checkCopy(ctx, part)
	}
	if err == nil {
		err = OnDisk(part)
	}
	if err == nil {
		err = os.Rename(part, to)
	}
	if err != nil {
		return errors.Join(err, os.RemoveAll(part))
	}
	return OnDisk(filepath.Dir(file))
}

// removeEarlier removes what was copied before earlier changes of the tables. A change that was broken off
// and went on is one: the copy from before it stays.
func removeEarlier(file string, newest int64) error {
	earlier, err := filepath.Glob(file + "-before-*")
	for _, name := range earlier {
		if !strings.HasPrefix(name, fmt.Sprintf("%s-before-%d-", file, newest)) {
			err = errors.Join(err, os.Remove(name))
		}
	}
	return err
}

func checkCopy(ctx context.Context, file string) error {
	db, _, err := OpenToCopy(ctx, file)
	if err != nil {
		return err
	}
	return errors.Join(checkPages(ctx, db), db.Close())
}

// OnDisk has the disk keep files, or folders.
func OnDisk(names ...string) error {
	for _, name := range names {
		f, err := os.Open(name)
		if err != nil {
			return err
		}
		if err := errors.Join(f.Sync(), f.Close()); err != nil {
			return err
		}
	}
	return nil
}
