package main

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/store/migrations"
)

const keyFileUsage = "file with the keys that secrets are sealed by (default velada.key in the folder of the house)"

// backupCommand copies a house while it is served. The keys are left out unless they
// are asked for: without them nobody reads the secrets in a copy.
func backupCommand() *cobra.Command {
	var data, keys string
	withKeys := false
	c := &cobra.Command{
		Use: "backup FOLDER", Short: "Copy a house into a new folder, also while it is served", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			db, version, err := store.OpenToCopy(c.Context(), filepath.Join(data, databaseFile))
			if err != nil {
				return err
			}
			defer db.Close()
			if err := os.Mkdir(args[0], 0o700); err != nil {
				return fmt.Errorf("the backup needs a folder of its own: %w", err)
			}
			keyFile := cmp.Or(keys, filepath.Join(data, house.KeyFile))
			checked, err := copyHouse(c.Context(), db, version, args[0], keyFile, withKeys)
			if err != nil {
				return errors.Join(err, cleared(args[0], partFile, partFile+"-journal", databaseFile, house.KeyFile))
			}
			if version < migrations.Newest {
				fmt.Fprintln(c.OutOrStdout(), "An older Velada wrote this house, and the copy is as it left it: its ledger is checked once this one serves it.")
			}
			switch {
			case withKeys:
				fmt.Fprintln(c.OutOrStdout(), "Copied and checked, with the keys: whoever reads this folder reads every secret of the house.")
			case checked:
				fmt.Fprintln(c.OutOrStdout(), "Copied and checked, without the keys: keep velada.key elsewhere, a copy is of little use without it.")
			default:
				fmt.Fprintf(c.OutOrStdout(), "Copied, without the keys. %s could not be read, so it was not checked whether it opens this copy: a copy is of little use without its keys.\n", keyFile)
			}
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", "", "folder that keeps the house")
	c.Flags().StringVar(&keys, "key-file", "", keyFileUsage)
	c.Flags().BoolVar(&withKeys, "with-keys", false, "copy the keys too")
	must(c.MarkFlagRequired("data"))
	return c
}

// partFile is a copy of a house while it is made: what is called so is no house.
const partFile = databaseFile + ".part"

// copyHouse copies a house into a folder, and its keys where they are asked for: under a name of its own
// until it was written, checked and kept by the disk. It reports whether the keys were checked.
func copyHouse(ctx context.Context, db *sql.DB, version int64, folder, keyFile string, withKeys bool) (checked bool, err error) {
	part := filepath.Join(folder, partFile)
	if err := store.CopyTo(ctx, db, part); err != nil {
		return false, err
	}
	theCopy, _, err := store.OpenToCopy(ctx, part)
	if err != nil {
		return false, err
	}
	defer theCopy.Close()
	if err := store.CheckWhole(ctx, theCopy, version); err != nil {
		return false, fmt.Errorf("the copy is not whole: %w", err)
	}
	text, err := os.ReadFile(keyFile)
	switch {
	case err != nil && withKeys:
		return false, fmt.Errorf("copying the keys: %w", err)
	case err == nil:
		vault, err := identity.OpenVault(keyFile)
		if err == nil {
			err = house.CheckKeys(ctx, theCopy, vault)
		}
		if err != nil {
			return false, fmt.Errorf("the key file %s: %w", keyFile, err)
		}
		checked = true
	}
	if err := theCopy.Close(); err != nil {
		return false, err
	}
	files := []string{part}
	if withKeys {
		if err := os.WriteFile(filepath.Join(folder, house.KeyFile), text, 0o600); err != nil {
			return false, fmt.Errorf("copying the keys: %w", err)
		}
		files = append(files, filepath.Join(folder, house.KeyFile))
	}
	if err := store.OnDisk(append(files, folder)...); err != nil {
		return false, err
	}
	if err := os.Rename(part, filepath.Join(folder, databaseFile)); err != nil {
		return false, err
	}
	return checked, store.OnDisk(folder)
}

// keysCommand makes a fresh key and seals everything by it, so that a key that
// somebody may have seen opens nothing any more.
func keysCommand() *cobra.Command {
	c := &cobra.Command{Use: "keys", Short: "The keys that secrets are sealed by"}
	var data, keys string
	rotate := &cobra.Command{
		Use: "rotate", Short: "Seal every secret of a house by a fresh key; velada must not be serving it", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			file := cmp.Or(keys, filepath.Join(data, house.KeyFile))
			if _, err := os.Stat(filepath.Join(data, databaseFile)); errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("there is no house in %s", data)
			}
			db, lock, err := openHouse(c.Context(), data)
			if err != nil {
				return err
			}
			defer lock.Close()
			defer db.Close()
			if _, err := keysOf(c.Context(), db, file); err != nil {
				return err
			}
			if err := identity.AddKey(file); err != nil { // the earlier ones still open what they sealed
				return err
			}
			vault, err := identity.OpenVault(file)
			if err != nil {
				return err
			}
			house, err := house.Open(c.Context(), db, time.Now, house.WithVault(vault))
			if err != nil {
				return err
			}
			if err := house.Keys.Reseal(c.Context()); err != nil {
				return fmt.Errorf("nothing was lost, and the earlier keys still work: %w", err)
			}
			if err := identity.DropOldKeys(file); err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), "Every secret is sealed by a fresh key. Backups from before need the key file from before.")
			return nil
		},
	}
	rotate.Flags().StringVar(&data, "data", "", "folder that keeps the house")
	rotate.Flags().StringVar(&keys, "key-file", "", keyFileUsage)
	must(rotate.MarkFlagRequired("data"))
	c.AddCommand(rotate)
	return c
}
