package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"

	"velada/identity"
	"velada/store"
)

const databaseFile = "velada.db"

// openHouse takes the lock of a folder, and opens the database in it: nothing is changed in a house that
// is in use. A house is founded only in an empty folder: where there is something else, a house that
// somebody looks for is elsewhere, or was lost on its way.
func openHouse(ctx context.Context, folder string) (*sql.DB, io.Closer, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, nil, fmt.Errorf("the folder %s cannot be used: %w", folder, err)
	}
	probe, err := os.CreateTemp(folder, ".probe-")
	if err != nil {
		return nil, nil, fmt.Errorf("the folder %s cannot be written: %w", folder, err)
	}
	if err := errors.Join(probe.Close(), os.Remove(probe.Name())); err != nil {
		return nil, nil, err
	}
	lock, err := lockHouse(folder)
	if err != nil {
		return nil, nil, err
	}
	db, err := openLocked(ctx, folder)
	if err != nil {
		return nil, nil, errors.Join(err, lock.Close())
	}
	return db, lock, nil
}

func openLocked(ctx context.Context, folder string) (*sql.DB, error) {
	file := filepath.Join(folder, databaseFile)
	founded, err := mayFound(folder)
	if err != nil {
		return nil, err
	}
	if !founded {
		if err := store.CheckFile(ctx, file); err != nil {
			return nil, fmt.Errorf("%s is not served: %w", file, err)
		}
	}
	return store.Open(ctx, file, sayUpgraded)
}

// mayFound reports whether a folder is one in which a house may be founded: there is nothing in it, or
// what founding one left that did not get far. It returns an error where there is something, and no house.
func mayFound(folder string) (bool, error) {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return false, err
	}
	var others []string
	there, empty := false, false
	for _, e := range entries {
		switch name := e.Name(); name {
		case "velada.lock", "lost+found":
		case databaseFile:
			about, err := e.Info()
			if err != nil {
				return false, err
			}
			there, empty = true, about.Size() == 0
		default:
			others = append(others, name)
		}
	}
	switch {
	case len(others) == 0 && (!there || empty):
		return true, nil
	case there:
		return false, nil
	}
	return false, fmt.Errorf("there is no house in %s, but %s: a house is founded only in an empty folder, so that none is founded where one was lost", folder, others[0])
}

// keysOf opens the key file of a house. It is made with a fresh key beside a house that has no secrets
// yet, and never beside another: what is sealed would be lost.
func keysOf(ctx context.Context, db *sql.DB, file string) (*identity.Vault, error) {
	if _, err := os.Stat(file); errors.Is(err, fs.ErrNotExist) {
		sealed, err := store.HasSealed(ctx, db)
		if err != nil {
			return nil, err
		}
		if sealed {
			return nil, fmt.Errorf("the key file %s is not there, and this house has secrets that it opens: put it back, or name it by --key-file", file)
		}
	}
	return identity.OpenVault(file)
}

// cleared removes what a backup that failed has left.
func cleared(folder string, names ...string) error {
	var failed error
	for _, name := range names {
		if err := os.Remove(filepath.Join(folder, name)); !errors.Is(err, fs.ErrNotExist) {
			failed = errors.Join(failed, err)
		}
	}
	return errors.Join(failed, os.Remove(folder))
}

// sayUpgraded says that the tables of a house were brought up to date.
func sayUpgraded(done store.Migrated) {
	slog.Info("an older Velada wrote this house: its tables are brought up to date, and the house as it was lies beside it until the next time",
		"from", done.From, "to", done.To, "copy", done.Copy)
}
