package store

import (
	"context"
	"crypto/rand"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
)

// ErrNoHouse says that the database holds no house yet.
var ErrNoHouse = errors.New("there is no house yet")

// Document reads the whole policy document.
func Document(ctx context.Context, q Reader) (*access.Document, error) {
	doc := &access.Document{Velada: 1}
	var domains string
	err := q.QueryRowContext(ctx, `SELECT name, zone, domains FROM house`).Scan(&doc.House.Name, &doc.House.Zone, &domains)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, ErrNoHouse
	}
	if err == nil {
		err = json.Unmarshal([]byte(domains), &doc.House.Domains)
	}
	if err != nil {
		return nil, fmt.Errorf("reading the house: %w", err)
	}
	doc.People, err = collect(ctx, q, func(r *sql.Rows) (p access.Person, err error) {
		var former string
		if err = r.Scan(&p.ID, &p.Name, &p.Address, &former, &p.Steward, &p.Blocked); err == nil && former != "[]" {
			err = json.Unmarshal([]byte(former), &p.Former)
		}
		return p, err
	}, `SELECT id, name, address, former, steward, blocked FROM people ORDER BY position, id`)
	if err != nil {
		return nil, fmt.Errorf("reading people: %w", err)
	}
	if doc.Groups, err = parts[access.Group](ctx, q, "groups"); err != nil {
		return nil, err
	}
	if doc.Rules, err = parts[access.HouseRule](ctx, q, "rules"); err != nil {
		return nil, err
	}
	if doc.Promises, err = parts[access.Promise](ctx, q, "promises"); err != nil {
		return nil, err
	}
	sites, err := parts[access.Site](ctx, q, "sites")
	if err != nil {
		return nil, err
	}
	byAddress := map[string]*access.Site{}
	for i := range sites {
		doc.Sites = append(doc.Sites, &sites[i])
		byAddress[sites[i].Address] = &sites[i]
	}
	_, err = collect(ctx, q, func(r *sql.Rows) (m access.Member, err error) {
		var address string
		if err = r.Scan(&address, &m.Who, &m.Status); err == nil {
			s := byAddress[address]
			s.Members = append(s.Members, m)
		}
		return m, err
	}, `SELECT s.address, m.person, m.status FROM members m JOIN sites s ON s.id = m.site ORDER BY m.site, m.position, m.person`)
	if err != nil {
		return nil, fmt.Errorf("reading members: %w", err)
	}
	return doc, nil
}

func parts[T any](ctx context.Context, q Reader, table string) ([]T, error) {
	list, err := collect(ctx, q, func(r *sql.Rows) (part T, err error) {
		var text []byte
		if err = r.Scan(&text); err == nil {
			err = access.ReadPart(text, &part)
		}
		return part, err
	}, `SELECT part FROM `+table+` ORDER BY position, rowid`)
	if err != nil {
		return nil, fmt.Errorf("reading %s: %w", table, err)
	}
	return list, nil
}

// SaveHouse writes the house's own fields.
func SaveHouse(ctx context.Context, q Queryer, h access.House) error {
	if h.Domains == nil {
		h.Domains = []string{}
	}
	domains, err := json.Marshal(h.Domains)
	if err != nil {
		return err
	}
	salt := make([]byte, 16)
	rand.Read(salt)
	return exec(ctx, q, `INSERT INTO house (one, name, zone, domains, salt) VALUES (1, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET name = excluded.name, zone = excluded.zone, domains = excluded.domains`, h.Name, h.Zone, string(domains), salt)
}

// HouseSalt reads the salt of the house, see PassSecret.
func HouseSalt(ctx context.Context, q Reader) (salt []byte, err error) {
	if err = q.QueryRowContext(ctx, `SELECT salt FROM house`).Scan(&salt); errors.Is(err, sql.ErrNoRows) {
		err = ErrNoHouse
	}
	return salt, err
}

// SaveSite writes a site of the document at its place in the order, with its members,
// which stand in rows of their own.
func SaveSite(ctx context.Context, q Queryer, s *access.Site, position int) error {
	site, err := saveSite(ctx, q, s, position)
	if err != nil {
		return err
	}
	if err := exec(ctx, q, `DELETE FROM members WHERE site = ?`, site); err != nil {
		return err
	}
	for i, m := range s.Members {
		err := exec(ctx, q, `INSERT INTO members (site, person, position, status) VALUES (?, ?, ?, ?)`, site, m.Who, i, m.Status)
		if err != nil {
			return fmt.Errorf("writing the member %s: %w", m.Who, err)
		}
	}
	return nil
}

// SaveSiteOver is SaveSite for one whose members were others before: those that differ are written.
func SaveSiteOver(ctx context.Context, q Queryer, s *access.Site, position int, before []access.Member) error {
	if slices.Equal(before, s.Members) {
		return SaveSiteAlone(ctx, q, s, position)
	}
	d, few := membersBetween(before, s.Members)
	if !few {
		return SaveSite(ctx, q, s, position)
	}
	site, err := saveSite(ctx, q, s, position)
	if err != nil {
		return err
	}
	for _, m := range d.gone {
		err = errors.Join(err, exec(ctx, q, `DELETE FROM members WHERE site = ? AND person = ?`, site, m.Who))
	}
	for _, m := range d.others {
		err = errors.Join(err, exec(ctx, q, `UPDATE members SET status = ? WHERE site = ? AND person = ?`, m.Status, site, m.Who))
	}
	for _, m := range d.fresh {
		err = errors.Join(err, exec(ctx, q, `INSERT INTO members (site, person, position, status) VALUES (?1, ?2, (SELECT coalesce(max(position), -1) + 1 FROM members WHERE site = ?1), ?3)`, site, m.Who, m.Status))
	}
	if err != nil {
		return fmt.Errorf("writing the members of %s: %w", s.Address, err)
	}
	return nil
}

// memberDiff is how the members of a site differ from those before.
type memberDiff struct{ gone, others, fresh []access.Member }

// membersBetween compares two lists of members; false where their order differs too, or new
// ones do not stand at the end.
func membersBetween(before, after []access.Member) (d memberDiff, few bool) {
	i := 0
	for _, m := range after {
		for i < len(before) && before[i].Who != m.Who {
			d.gone = append(d.gone, before[i])
			i++
		}
		switch {
		case i == len(before):
			d.fresh = append(d.fresh, m)
			continue
		case before[i].Status != m.Status:
			d.others = append(d.others, m)
		}
		i++
	}
	d.gone = append(d.gone, before[i:]...)
	gone := make(map[string]bool, len(d.gone))
	for _, m := range d.gone {
		gone[m.Who] = true
	}
	for _, m := range d.fresh {
		if gone[m.Who] { // moved
			return memberDiff{}, false
		}
	}
	return d, len(d.gone)+len(d.others)+len(d.fresh) < len(after)/2+10
}

// SaveSiteAlone is SaveSite for one whose members are as they were.
func SaveSiteAlone(ctx context.Context, q Queryer, s *access.Site, position int) error {
	_, err := saveSite(ctx, q, s, position)
	return err
}

func saveSite(ctx context.Context, q Queryer, s *access.Site, position int) (site SiteID, err error) {
	without := *s
	without.Members = nil
	text, err := access.PartJSON(&without)
	if err != nil {
		return "", err
	}
	salt := make([]byte, 16)
	rand.Read(salt)
	id := make([]byte, 8)
	rand.Read(id)
	err = q.QueryRowContext(ctx, `INSERT INTO sites (id, address, position, part, salt) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (address) DO UPDATE SET position = excluded.position, part = excluded.part RETURNING id`,
		hex.EncodeToString(id), s.Address, position, string(text), salt).Scan(&site)
	if err != nil {
		return "", fmt.Errorf("writing the site %s: %w", s.Address, err)
	}
	return site, nil
}

// SaveDocument makes the database hold just what the document says, in one
// transaction with whatever else q does.
func SaveDocument(ctx context.Context, q Queryer, doc *access.Document) error {
	if err := SaveHouse(ctx, q, doc.House); err != nil {
		return err
	}
	for _, table := range []string{"members", "people", "groups"} {
		if err := exec(ctx, q, `DELETE FROM `+table); err != nil {
			return err
		}
	}
	people := make([]placedPerson, len(doc.People))
	for i, p := range doc.People {
		people[i] = placedPerson{p, i}
	}
	if err := savePeople(ctx, q, people); err != nil {
		return err
	}
	if err := saveParts(ctx, q, "groups", doc.Groups, func(g access.Group) string { return g.ID }); err != nil {
		return err
	}
	if err := SaveRules(ctx, q, doc.Rules); err != nil {
		return err
	}
	if err := SavePromises(ctx, q, doc.Promises); err != nil {
		return err
	}
	kept := []string{}
	for i, s := range doc.Sites {
		kept = append(kept, s.Address)
		if err := SaveSite(ctx, q, s, i); err != nil {
			return err
		}
	}
	list, err := json.Marshal(kept)
	if err != nil {
		return err
	}
	return exec(ctx, q, `DELETE FROM sites WHERE address NOT IN (SELECT value FROM json_each(?))`, string(list))
}

// placedPerson is a person with their place in the order.
type placedPerson struct {
	access.Person
	position int
}

// manyPeople is how many people are written by one statement.
const manyPeople = 100

// savePeople writes people at their places in the order.
func savePeople(ctx context.Context, q Queryer, list []placedPerson) error {
	for some := range slices.Chunk(list, manyPeople) {
		args := make([]any, 0, 7*len(some))
		for _, p := range some {
			if p.Former == nil {
				p.Former = []string{}
			}
			former, err := json.Marshal(p.Former)
			if err != nil {
				return fmt.Errorf("writing %s: %w", p.ID, err)
			}
			args = append(args, p.ID, p.position, p.Name, p.Address, string(former), p.Steward, p.Blocked)
		}
		err := exec(ctx, q, `INSERT INTO people (id, position, name, address, former, steward, blocked) VALUES `+strings.TrimSuffix(strings.Repeat("(?, ?, ?, ?, ?, ?, ?), ", len(some)), ", ")+`
			ON CONFLICT (id) DO UPDATE SET position = excluded.position, name = excluded.name, address = excluded.address,
			former = excluded.former, steward = excluded.steward, blocked = excluded.blocked`, args...)
		if err != nil {
			return fmt.Errorf("writing %s and others: %w", some[0].ID, err)
		}
	}
	return nil
}

// SavePromises makes the database hold just these promises.
func SavePromises(ctx context.Context, q Queryer, list []access.Promise) error {
	if err := exec(ctx, q, `DELETE FROM promises`); err != nil {
		return err
	}
	return saveParts(ctx, q, "promises", list, func(p access.Promise) string { return p.ID })
}

func saveParts[T any](ctx context.Context, q Queryer, table string, list []T, id func(T) string) error {
	for i, part := range list {
		text, err := access.PartJSON(part)
		if err == nil {
			err = exec(ctx, q, `INSERT INTO `+table+` (id, position, part) VALUES (?, ?, ?)`, id(part), i, string(text))
		}
		if err != nil {
			return fmt.Errorf("writing %s %s: %w", table, id(part), err)
		}
	}
	return nil
}
