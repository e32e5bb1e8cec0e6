package main

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"velada/core/access"
	"velada/house"
	"velada/store"
)

// lockHouse makes sure that nothing else writes the house in a folder.
func lockHouse(folder string) (io.Closer, error) {
	f, err := os.OpenFile(filepath.Join(folder, "velada.lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return nil, err
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		return nil, errors.Join(fmt.Errorf("the house in %s is in use by another velada: stop it first", folder), f.Close())
	}
	return f, nil
}

func exportCommand() *cobra.Command {
	var data string
	asJSON := false
	c := &cobra.Command{
		Use: "export", Short: "Write a house's policy document, secrets left out", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			db, err := store.OpenToRead(c.Context(), filepath.Join(data, "velada.db"))
			if err != nil {
				return err
			}
			defer db.Close()
			doc, err := store.Document(c.Context(), db)
			if err != nil {
				return err
			}
			write := doc.YAML
			if asJSON {
				write = doc.JSON
			}
			text, err := write()
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(text)
			return err
		},
	}
	c.Flags().StringVar(&data, "data", "", "folder that keeps the house")
	c.Flags().BoolVar(&asJSON, "json", false, "write JSON rather than YAML")
	must(c.MarkFlagRequired("data"))
	return c
}

func must(err error) {
	if err != nil {
		panic(err)
	}
}

func importCommand() *cobra.Command {
	var data, keys string
	var yes, deleteSites bool
	c := &cobra.Command{
		Use: "import FILE", Short: "Put a policy document in the place of a house's, showing the impact first", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readPolicy(c, args[0])
			if err != nil {
				return err
			}
			if !yes {
				plan, err := readImport(c, data, p.Document())
				if err != nil {
					return err
				}
				tellPlan(c.OutOrStdout(), plan)
				if err := losing(plan, deleteSites); err != nil {
					return err
				}
				fmt.Fprintln(c.OutOrStdout(), "\nNothing was changed. Say --yes to import it.")
				return nil
			}
			db, lock, err := openHouse(c.Context(), data)
			if err != nil {
				return err
			}
			defer lock.Close()
			defer db.Close()
			vault, err := keysOf(c.Context(), db, cmp.Or(keys, filepath.Join(data, house.KeyFile)))
			if err != nil {
				return err
			}
			house, err := house.Open(c.Context(), db, time.Now, house.WithVault(vault))
			if err != nil {
				return err
			}
			plan, err := house.PlanImport(p.Document())
			if err != nil {
				return err
			}
			out := c.OutOrStdout()
			tellPlan(out, plan)
			if err := losing(plan, deleteSites); err != nil {
				return err
			}
			if err := house.Import(c.Context(), plan, deleteSites); err != nil {
				return err
			}
			fmt.Fprintln(out, "\nImported.")
			return nil
		},
	}
	c.Flags().StringVar(&data, "data", "", "folder that keeps the house")
	c.Flags().StringVar(&keys, "key-file", "", keyFileUsage)
	c.Flags().BoolVar(&yes, "yes", false, "go on after showing the impact")
	c.Flags().BoolVar(&deleteSites, "delete-sites", false, "delete sites that the document lacks, with their editions")
	must(c.MarkFlagRequired("data"))
	return c
}

// readImport works out what a document would do to a house, which it only reads.
func readImport(c *cobra.Command, data string, doc *access.Document) (*house.Import, error) {
	file := filepath.Join(data, "velada.db")
	if _, err := os.Stat(file); errors.Is(err, fs.ErrNotExist) {
		return house.PlanImportInto(c.Context(), nil, doc, time.Now())
	}
	db, err := store.OpenToRead(c.Context(), file)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	return house.PlanImportInto(c.Context(), db, doc, time.Now())
}

// losing says no where an import would delete sites and that was not asked for.
func losing(plan *house.Import, deleteSites bool) error {
	if len(plan.Lost) == 0 || deleteSites {
		return nil
	}
	return fmt.Errorf("nothing was changed: with --delete-sites the house loses %s", strings.Join(plan.Lost, ", "))
}

// tellPlan says what an import would do.
func tellPlan(out io.Writer, plan *house.Import) {
	doc := plan.Document
	fmt.Fprintf(out, "%s: %d people, %d groups, %d house rules, %d sites, %d promises\n", doc.House.Name, len(doc.People), len(doc.Groups), len(doc.Rules), len(doc.Sites), len(doc.Promises))
	switch {
	case plan.Impact == nil:
		fmt.Fprintln(out, "The house is empty: everything in the document is new.")
	case len(plan.Impact.Sites) == 0:
		fmt.Fprintln(out, "Nothing changes for anyone.")
	default:
		for _, s := range plan.Impact.Sites {
			fmt.Fprintf(out, "\n%s\n", s.Site)
			for _, p := range s.Pages {
				fmt.Fprintf(out, "  %-28s %s\n", p.Path, pageLine(&p))
			}
		}
	}
	for _, site := range plan.Lost {
		fmt.Fprintf(out, "The document lacks the site %s.\n", site)
	}
	for _, pass := range plan.Bare {
		fmt.Fprintf(out, "Nobody can enter the pass %s until it gets a password.\n", pass)
	}
	for _, b := range plan.Broken {
		fmt.Fprintf(out, "A promise is broken: at %s %s meets %s on %s.\n", b.At, b.Who, b.Outcome, b.Path)
	}
}

func pageLine(p *access.PageImpact) string {
	var parts []string
	if n := p.Gains.Count(); n > 0 {
		parts = append(parts, fmt.Sprintf("%d people gain", n))
	}
	if n := p.Loses.Count(); n > 0 {
		parts = append(parts, fmt.Sprintf("%d people lose", n))
	}
	for _, o := range p.Observers {
		parts = append(parts, fmt.Sprintf("%s %s → %s", o.Who, o.Before, o.After))
	}
	for _, t := range p.Tables {
		parts = append(parts, fmt.Sprintf("table %s: %d gain, %d lose", t.ID, t.Gains.Count(), t.Loses.Count()))
	}
	if p.NoIndex != nil {
		parts = append(parts, fmt.Sprintf("noindex %v → %v", p.NoIndex.Before, p.NoIndex.After))
	}
	if len(p.Can) > 0 {
		parts = append(parts, fmt.Sprintf("%d people may do other things", len(p.Can)))
	}
	return strings.Join(parts, "; ")
}
