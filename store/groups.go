package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"velada/core/access"
)

// SaveChanges brings the people, groups, promises and sites that differ
// between two documents into the database.
func SaveChanges(ctx context.Context, q Queryer, before, after *access.Document) error {
	var people []placedPerson
	moved := false // somebody stands elsewhere, or is gone
	for i, p := range after.People {
		if i < len(before.People) && before.People[i].ID == p.ID && before.People[i].Equal(p) {
			continue
		}
		moved = moved || i < len(before.People) && before.People[i].ID != p.ID
		people = append(people, placedPerson{p, i})
	}
	if err := savePeople(ctx, q, people); err != nil {
		return err
	}
	if before.House.Name != after.House.Name || before.House.Zone != after.House.Zone || !slices.Equal(before.House.Domains, after.House.Domains) {
		if err := SaveHouse(ctx, q, after.House); err != nil {
			return err
		}
	}
	if err := saveGroups(ctx, q, before.Groups, after.Groups); err != nil {
		return err
	}
	if err := SavePromises(ctx, q, after.Promises); err != nil {
		return err
	}
	if !slices.EqualFunc(before.Rules, after.Rules, access.HouseRule.Equal) {
		if err := SaveRules(ctx, q, after.Rules); err != nil {
			return err
		}
	}
	for i, s := range after.Sites {
		if i < len(before.Sites) && before.Sites[i] == s {
			continue
		}
		var members []access.Member
		if at := slices.IndexFunc(before.Sites, func(was *access.Site) bool { return was.Address == s.Address }); at >= 0 {
			members = before.Sites[at].Members
		}
		if err := SaveSiteOver(ctx, q, s, i, members); err != nil {
			return err
		}
	}
	if !moved && len(after.People) >= len(before.People) {
		return nil
	}
	kept := make(map[string]bool, len(after.People))
	for _, p := range after.People {
		kept[p.ID] = true
	}
	for _, p := range before.People {
		if !kept[p.ID] {
			if err := exec(ctx, q, `DELETE FROM people WHERE id = ?`, p.ID); err != nil {
				return fmt.Errorf("deleting %s: %w", p.ID, err)
			}
		}
	}
	return nil
}

// saveGroups writes the groups that are others than they were, or stand elsewhere.
func saveGroups(ctx context.Context, q Queryer, before, after []access.Group) error {
	same := func(a, b access.Group) bool { return a.ID == b.ID }
	if !slices.EqualFunc(before, after[:min(len(after), len(before))], same) {
		if err := exec(ctx, q, `DELETE FROM groups`); err != nil {
			return err
		}
		before = nil
	}
	for i, g := range after {
		if i < len(before) && before[i].Equal(g) {
			continue
		}
		text, err := access.PartJSON(g)
		if err == nil {
			err = exec(ctx, q, `INSERT INTO groups (id, position, part) VALUES (?, ?, ?) ON CONFLICT (id) DO UPDATE SET position = excluded.position, part = excluded.part`, g.ID, i, string(text))
		}
		if err != nil {
			return fmt.Errorf("writing the group %s: %w", g.ID, err)
		}
	}
	return nil
}

func scanText[T ~string](r *sql.Rows) (text T, err error) { return text, r.Scan(&text) }

// KeptBy lists the groups that somebody keeps.
func KeptBy(ctx context.Context, q Reader, who Who) ([]string, error) {
	return collect(ctx, q, scanText[string], `SELECT grp FROM group_keepers WHERE who = ? ORDER BY grp`, who)
}

// Keepers lists who keeps a group.
func Keepers(ctx context.Context, q Reader, group string) ([]Who, error) {
	return collect(ctx, q, scanText[Who], `SELECT who FROM group_keepers WHERE grp = ? ORDER BY who`, group)
}

// SaveKeepers makes these the keepers of a group.
func SaveKeepers(ctx context.Context, q Queryer, group string, keepers []Who) error {
	err := exec(ctx, q, `DELETE FROM group_keepers WHERE grp = ?`, group)
	for _, who := range keepers {
		if err == nil {
			err = exec(ctx, q, `INSERT INTO group_keepers (grp, who) VALUES (?, ?)`, group, who)
		}
	}
	return err
}

// DropKeeper forgets that somebody keeps any group.
func DropKeeper(ctx context.Context, q Queryer, who Who) error {
	return exec(ctx, q, `DELETE FROM group_keepers WHERE who = ?`, who)
}

// DropGroup forgets what is kept of a group beside the policy.
func DropGroup(ctx context.Context, q Queryer, group string) error {
	for _, table := range []string{"group_keepers", "join_codes", "join_requests"} {
		if err := exec(ctx, q, `DELETE FROM `+table+` WHERE grp = ?`, group); err != nil {
			return err
		}
	}
	return nil
}

// JoinCode lets people into a group who say it.
type JoinCode struct {
	Code, Group string
	By          Who
	At, Ends    time.Time
	Most, Used  int
	Approval    bool
}

// SaveJoinCode writes a join code.
func SaveJoinCode(ctx context.Context, q Queryer, c JoinCode) error {
	return exec(ctx, q, `INSERT INTO join_codes (code, grp, by, at, ends, most, used, approval) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		c.Code, c.Group, c.By, c.At.Unix(), c.Ends.Unix(), c.Most, c.Used, c.Approval)
}

func scanJoinCode(r *sql.Rows) (c JoinCode, err error) {
	var at, ends int64
	err = r.Scan(&c.Code, &c.Group, &c.By, &at, &ends, &c.Most, &c.Used, &c.Approval)
	c.At, c.Ends = time.Unix(at, 0), time.Unix(ends, 0)
	return c, err
}

// JoinCodes reads the join codes of a group, the newest first.
func JoinCodes(ctx context.Context, q Reader, group string) ([]JoinCode, error) {
	return collect(ctx, q, scanJoinCode, `SELECT code, grp, by, at, ends, most, used, approval FROM join_codes WHERE grp = ? ORDER BY at DESC, code`, group)
}

// FindJoinCode reads a join code; nil where there is none.
func FindJoinCode(ctx context.Context, q Reader, code string) (*JoinCode, error) {
	list, err := collect(ctx, q, scanJoinCode, `SELECT code, grp, by, at, ends, most, used, approval FROM join_codes WHERE code = ?`, code)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// UseJoinCode counts a use of a join code, and reports whether one was left.
func UseJoinCode(ctx context.Context, q Queryer, code string) (bool, error) {
	done, err := q.ExecContext(ctx, `UPDATE join_codes SET used = used + 1 WHERE code = ? AND used < most`, code)
	if err != nil {
		return false, err
	}
	n, err := done.RowsAffected()
	return n == 1, err
}

// DropJoinCode ends a join code of a group.
func DropJoinCode(ctx context.Context, q Queryer, group, code string) error {
	return exec(ctx, q, `DELETE FROM join_codes WHERE grp = ? AND code = ?`, group, code)
}

// JoinRequest is somebody who said a join code and waits to be let into its group.
type JoinRequest struct {
	ID             int64
	Group          string
	Who            Who // somebody who has an account, or the address that is made for who has none
	Name, Password string
	At             time.Time
}

// SaveJoinRequest writes that somebody waits.
func SaveJoinRequest(ctx context.Context, q Queryer, r JoinRequest) error {
	return exec(ctx, q, `INSERT INTO join_requests (grp, who, name, password, at) VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING`, r.Group, r.Who, r.Name, r.Password, r.At.Unix())
}

// AsksToJoin reports whether an address was made up for somebody who waits to be
// let into any group.
func AsksToJoin(ctx context.Context, q Reader, address Who) (asks bool, err error) {
	err = q.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM join_requests WHERE who = ?)`, address).Scan(&asks)
	return asks, err
}

// JoinRequests reads who waits to be let into a group.
func JoinRequests(ctx context.Context, q Reader, group string) ([]JoinRequest, error) {
	return collect(ctx, q, func(r *sql.Rows) (j JoinRequest, err error) {
		var at int64
		err = r.Scan(&j.ID, &j.Group, &j.Who, &j.Name, &j.Password, &at)
		j.At = time.Unix(at, 0)
		return j, err
	}, `SELECT id, grp, who, name, password, at FROM join_requests WHERE grp = ? ORDER BY id`, group)
}

// DropJoinRequest forgets that somebody waits.
func DropJoinRequest(ctx context.Context, q Queryer, id int64) error {
	return exec(ctx, q, `DELETE FROM join_requests WHERE id = ?`, id)
}

// Memberships reads what membership is like, by site.
func Memberships[T any](ctx context.Context, q Reader, site SiteID) (map[SiteID]T, error) {
	bySite := map[SiteID]T{}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (site SiteID, err error) {
		var text []byte
		var part T
		if err = r.Scan(&site, &text); err == nil {
			err = json.Unmarshal(text, &part)
			bySite[site] = part
		}
		return site, err
	}, `SELECT site, part FROM memberships`, "site", site, "")
	return bySite, err
}

// SaveMembership writes what membership of a site is like.
func SaveMembership(ctx context.Context, q Queryer, site SiteID, part any) error {
	text, err := json.Marshal(part)
	if err != nil {
		return err
	}
	return exec(ctx, q, `INSERT INTO memberships (site, part) VALUES (?, ?) ON CONFLICT DO UPDATE SET part = excluded.part`, site, string(text))
}

// AllJoinCodes reads the join codes of all groups that have not ended at an instant.
func AllJoinCodes(ctx context.Context, q Reader, now time.Time) ([]JoinCode, error) {
	return collect(ctx, q, scanJoinCode, `SELECT code, grp, by, at, ends, most, used, approval FROM join_codes WHERE ends > ? ORDER BY ends, code`, now.Unix())
}
