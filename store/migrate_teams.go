package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"

	"velada/core/access"
	docparts "velada/core/parts"
)

// peopleForEntries is migration 13: whoever accepted to be on a team under an address that is
// nobody's becomes a person of the house, and has their entries by id.
func peopleForEntries(ctx context.Context, tx *sql.Tx) error {
	doc, err := Document(ctx, tx)
	if errors.Is(err, ErrNoHouse) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("reading the house: %w", err)
	}
	ids := map[access.Address]Who{}
	first := len(doc.People)
	for position, site := range doc.Sites {
		if !slices.ContainsFunc(site.Team, bare) {
			continue
		}
		for i := range site.Team {
			e := &site.Team[i]
			if !bare(*e) {
				continue
			}
			a, err := access.ParseAddress(e.Address)
			if err != nil {
				continue
			}
			p := docparts.PersonWith(doc, a)
			if p == nil {
				name, err := nameOfAccount(ctx, tx, a)
				if err != nil {
					return err
				}
				p = docparts.PersonAt(doc, docparts.NewPerson(doc, a, name))
			}
			ids[a] = Who(p.ID)
			e.Person, e.Address = p.ID, ""
		}
		site.Team = docparts.OnceEach(site.Team)
		if err := SaveSiteAlone(ctx, tx, site, position); err != nil {
			return err
		}
	}
	var people []placedPerson
	for i := first; i < len(doc.People); i++ {
		people = append(people, placedPerson{doc.People[i], i})
	}
	if err := savePeople(ctx, tx, people); err != nil {
		return err
	}
	return errors.Join(moveWho(ctx, tx, ids), idsInDetails(ctx, tx, ids), newIDsInLedger(ctx, tx, ids))
}

// bare reports whether an entry that counts is an address's.
func bare(e access.TeamEntry) bool { return e.Address != "" && e.Accepted }

// nameOfAccount is what the holder of an account under an address is called: the first part
// of the address where there is none.
func nameOfAccount(ctx context.Context, tx *sql.Tx, a access.Address) (name string, err error) {
	err = tx.QueryRowContext(ctx, `SELECT name FROM accounts WHERE who = ?`, a.String()).Scan(&name)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return "", err
	}
	if name == "" {
		return a.Local, nil
	}
	return name, nil
}
