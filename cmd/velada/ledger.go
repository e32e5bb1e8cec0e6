package main

import (
	"fmt"
	"path/filepath"

	"github.com/spf13/cobra"

	"velada/store"
)

func ledgerCommand() *cobra.Command {
	c := &cobra.Command{Use: "ledger", Short: "The record of who changed what"}
	var data string
	verify := &cobra.Command{
		Use: "verify", Short: "Check that no entry was tampered with; exit 1 if one was", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			db, err := store.OpenToRead(c.Context(), filepath.Join(data, "velada.db"))
			if err != nil {
				return err
			}
			defer db.Close()
			broken, entries, err := store.VerifyLedger(c.Context(), db)
			switch {
			case err != nil:
				return err
			case broken != 0:
				fmt.Fprintf(c.OutOrStdout(), "The ledger does not hold together at entry %d.\n", broken)
				return exitCode(1)
			}
			fmt.Fprintf(c.OutOrStdout(), "The ledger holds together: %d entries.\n", entries)
			return nil
		},
	}
	verify.Flags().StringVar(&data, "data", "", "folder that keeps the house")
	must(verify.MarkFlagRequired("data"))
	c.AddCommand(verify)
	return c
}
