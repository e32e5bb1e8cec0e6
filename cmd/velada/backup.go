package main

import (
	"cmp"
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
			db, err := store.OpenToRead(c.Context(), filepath.Join(data, "velada.db"))
			if err != nil {
				return err
			}
			defer db.Close()
			if err := os.Mkdir(args[0], 0o700); err != nil {
				return fmt.Errorf("the backup needs a folder of its own: %w", err)
			}
			if err := store.CopyTo(c.Context(), db, filepath.Join(args[0], "velada.db")); err != nil {
				return err
			}
			if !withKeys {
				fmt.Fprintln(c.OutOrStdout(), "Copied, without the keys: keep velada.key elsewhere, a copy is of little use without it.")
				return nil
			}
			text, err := os.ReadFile(cmp.Or(keys, filepath.Join(data, house.KeyFile)))
			if err == nil {
				err = os.WriteFile(filepath.Join(args[0], house.KeyFile), text, 0o600)
			}
			if err != nil {
				return fmt.Errorf("copying the keys: %w", err)
			}
			fmt.Fprintln(c.OutOrStdout(), "Copied, with the keys: whoever reads this folder reads every secret of the house.")
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", "", "folder that keeps the house")
	c.Flags().StringVar(&keys, "key-file", "", keyFileUsage)
	c.Flags().BoolVar(&withKeys, "with-keys", false, "copy the keys too")
	must(c.MarkFlagRequired("data"))
	return c
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
			if _, err := os.Stat(filepath.Join(data, "velada.db")); errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("there is no house in %s", data)
			}
			db, lock, err := openHouse(c.Context(), data)
			if err != nil {
				return err
			}
			defer lock.Close()
			defer db.Close()
			if _, err := identity.OpenVault(file); err != nil {
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
