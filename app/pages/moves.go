package pages

import (
	"errors"
	"fmt"
	"path"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/house"
	"velada/store"
)

// relocation says where the pages of one edition stand once another takes its place: all at once, by
// their ids, in whatever order they change places.
type relocation struct {
	to     map[string]string // where a page stands that stays, by where it stood
	gone   map[string]string // ids of pages that are deleted, by where they stood
	back   map[string]string // where a page stands that was not there before, by its id
	stands map[string]string // where each page stood, by where it stands; "" for one that is new
	moved  bool              // anything differs
}

// relocate compares where pages stood and where they stand. A new page in the place of a deleted one
// has what is said of its path, as if it were that page.
func relocate(was, is []store.Page) relocation {
	r := relocation{to: map[string]string{}, gone: map[string]string{}, back: map[string]string{}, stands: map[string]string{}}
	stood := make(map[string]string, len(was))
	for _, p := range was {
		stood[p.ID], r.gone[p.Path] = p.Path, p.ID
	}
	for _, p := range is {
		before, there := stood[p.ID]
		r.stands[p.Path] = before
		if !there {
			r.back[p.ID] = p.Path
			continue
		}
		r.to[before] = p.Path
		r.moved = r.moved || before != p.Path
		delete(r.gone, before)
	}
	r.moved = r.moved || len(r.gone)+len(r.back) > 0
	for at := range r.gone {
		if before, there := r.stands[at]; there && before == "" {
			r.to[at] = at
			delete(r.gone, at)
		}
	}
	return r
}

// of returns where a path comes to be: with its page, or with the nearest page above it that stays.
func (r relocation) of(at string) string {
	for above := at; above != "/" && above != "."; above = path.Dir(above) {
		to, there := r.to[above]
		if !there {
			continue
		}
		if below := strings.TrimPrefix(at, above); to == "/" && below != "" {
			return below
		} else if to != "/" {
			return to + below
		}
		return to
	}
	return at
}

// toFront reports whether the page at a path becomes the front page: what is said of the front page
// is said of the whole site.
func (r relocation) toFront(at string) bool { return at != "/" && r.of(at) == "/" }

// ends reports whether what is said of a path ends: its page is deleted while another takes its place.
func (r relocation) ends(at string) bool {
	_, gone := r.gone[at]
	_, taken := r.stands[r.of(at)]
	return gone && taken && at != "/" // what is said of the front page is said of the whole site
}

// pageMoves lists each page with where it was and is, as they stand, and then those that are deleted.
func (r relocation) pageMoves(was, is []store.Page) (list []access.PageMove) {
	for _, p := range is {
		list = append(list, access.PageMove{Was: r.stands[p.Path], Is: p.Path})
	}
	stays := map[string]bool{}
	for _, p := range is {
		stays[p.ID] = true
	}
	for _, p := range was {
		if !stays[p.ID] {
			list = append(list, access.PageMove{Was: p.Path})
		}
	}
	return list
}

// errInTheWay says what stands in the way of a move, beside the note of the publication.
func errInTheWay(format string, args ...any) error {
	return house.FieldErrors{"note": fmt.Sprintf(format, args...)}
}

// moveParts moves along with pages what the policy says of their paths: their doors, and what
// passwords, links, exemptions and sections of the team are limited to. What is said of a page that
// is deleted while another takes its place ends with it. It returns what it did in words; and
// house.FieldErrors where something can neither go along nor stay, since it would come to be said of
// another page. stay are the paths of files that are in both editions.
func moveParts(site *access.Site, r relocation, stay []string) (*access.Site, []string, error) {
	if !r.moved {
		return site, nil, nil
	}
	m := mover{relocation: r, stay: stay}
	next := *site
	next.Doors = m.doors(site.Doors)
	next.Passes, next.Links = slices.Clone(site.Passes), slices.Clone(site.Links)
	for i := range next.Passes {
		p := &next.Passes[i]
		p.Under, p.Revoked = m.limit("password", p.Label, p.Under, p.Revoked)
	}
	for i := range next.Links {
		l := &next.Links[i]
		l.Under, l.Revoked = m.limit("link", l.ID, l.Under, l.Revoked)
	}
	next.Team = nil
	for _, e := range site.Team {
		switch {
		case r.ends(e.Under):
			m.tell("A section of the team ends with the page at %s, which is deleted.", e.Under)
			continue
		case r.toFront(e.Under):
			m.refuse("The page at %s has a section of the team, and what is said of the front page holds for the whole site. End that section first.", e.Under)
		case r.of(e.Under) != e.Under:
			m.tell("A section of the team moves along to %s.", r.of(e.Under))
		}
		e.Under = r.of(e.Under)
		next.Team = append(next.Team, e)
	}
	next.Holding.Exempt = nil
	for _, at := range site.Holding.Exempt {
		if r.toFront(at) {
			m.refuse("The page at %s stays reachable under the holding page, and with the front page all of the site would. Change that on Holding page first.", at)
		}
		if !r.ends(at) {
			next.Holding.Exempt = append(next.Holding.Exempt, r.of(at))
		}
	}
	return &next, m.told, m.refused
}

// mover is moveParts at work.
type mover struct {
	relocation
	stay    []string
	told    []string
	refused error
}

func (m *mover) tell(format string, args ...any) {
	m.told = append(m.told, fmt.Sprintf(format, args...))
}

func (m *mover) refuse(format string, args ...any) {
	if m.refused == nil {
		m.refused = errInTheWay(format, args...)
	}
}

// limit moves what a password or a link is limited to; one whose page is gone is turned off.
func (m *mover) limit(kind, name, under string, revoked bool) (string, bool) {
	switch {
	case m.ends(under):
		if !revoked {
			m.tell("The %s “%s” is turned off: the page at %s is deleted.", kind, name, under)
		}
		return under, true
	case m.toFront(under):
		m.refuse("The %s “%s” is for the page at %s, and as the front page it would open the whole site. Turn it off first.", kind, name, under)
	}
	return m.of(under), revoked
}

func (m *mover) doors(doors []access.PageDoor) (list []access.PageDoor) {
	at := map[string]string{} // where each came from
	for _, d := range doors {
		from := d.Path
		if m.ends(from) {
			if i := slices.IndexFunc(m.stay, func(file string) bool { return access.Covers(from, file) }); i >= 0 {
				m.refuse("The page at %s is deleted and another takes its place, but the file %s stays behind its door. Delete or move the file first.", from, m.stay[i])
			}
			m.tell("The door of %s ends with its page, which is deleted.", from)
			continue
		}
		if m.toFront(from) {
			m.refuse("The page at %s has a door of its own, and at the front page it would be the door of the whole site. Remove it first.", from)
		}
		d.Path = m.of(from)
		if _, page := m.to[from]; !page && d.Path != from { // of no page: it goes with the one above
			if _, taken := m.stands[d.Path]; taken {
				m.refuse("The door of %s would come to be the door of another page, at %s. Remove it first.", from, d.Path)
			}
		}
		if other, taken := at[d.Path]; taken {
			m.refuse("The doors of %s and %s would both come to stand at %s. Remove one of them first.", other, from, d.Path)
			continue
		}
		at[d.Path] = from
		if d.Path != from {
			m.tell("The door of %s moves along to %s.", from, d.Path)
		}
		list = append(list, d)
	}
	return list
}

// movePromises moves along what promises say of pages of a site.
func movePromises(list []access.Promise, site string, r relocation) []access.Promise {
	moved := slices.Clone(list)
	for i := range moved {
		if p := &moved[i]; p.Site == site && !r.toFront(p.Path) {
			p.Path = r.of(p.Path)
		}
	}
	return moved
}

// stoodAt is the site with its pages at the paths they move to, so that what is known of their
// tables goes along; those that are deleted are left out where another takes their place.
func stoodAt(site *access.Site, r relocation) *access.Site {
	moved := *site
	moved.Pages = nil
	for _, p := range access.ClonePages(site.Pages) {
		if r.ends(p.Path) {
			continue
		}
		if to, there := r.to[p.Path]; there {
			p.Path = to
		}
		moved.Pages = append(moved.Pages, p)
	}
	return &moved
}

// moveKept moves along with pages what else is kept by their paths: comments, short names, requests
// to be let in, sections in invitations, membership settings, and changes of the site that somebody
// is trying out. Comments of a deleted page wait for it under its id.
func moveKept(tx *house.Tx, p *Publication) {
	id, r := p.Edition.Site, p.relocation
	tx.Try(store.MoveComments(tx.Context(), tx, id, func(at string) string {
		if page, gone := r.gone[at]; gone {
			return store.OfDeleted(page)
		}
		if to, back := r.back[store.DeletedPage(at)]; back {
			return to
		}
		if to, there := r.to[at]; there {
			return to
		}
		return at
	}))
	tx.Try(store.MovePaths(tx.Context(), tx, id, func(at string) string {
		if r.ends(at) {
			return "/"
		}
		return r.of(at)
	}))
	m := tx.State().Site(p.Address).Membership
	was := m
	m.Comments, m.First = slices.Clone(m.Comments), r.of(m.First)
	for i, at := range m.Comments {
		if !r.toFront(at) {
			m.Comments[i] = r.of(at)
		}
	}
	if m.First != was.First || !slices.Equal(m.Comments, was.Comments) {
		tx.Try(store.SaveMembership(tx.Context(), tx, id, m))
	}
	tx.Renew(id, house.Comments|house.MembershipOf|house.Listing)
	tx.Try(moveRehearsals(tx, p))
}

// moveRehearsals moves along the parts of changes that are tried out. One that cannot go along is
// not applied by itself any more, and says why.
func moveRehearsals(tx *house.Tx, p *Publication) error {
	list, err := store.Rehearsals(tx.Context(), tx, p.Edition.Site)
	if err != nil {
		return err
	}
	for _, rehearsal := range list {
		base, _, err1 := moveParts(stoodAt(rehearsal.Base, p.relocation), p.relocation, nil)
		draft, _, err2 := moveParts(stoodAt(rehearsal.Draft, p.relocation), p.relocation, nil)
		if err := errors.Join(err1, err2); err == nil {
			rehearsal.Base, rehearsal.Draft = base, draft
		} else if !rehearsal.Due.IsZero() {
			rehearsal.Due, rehearsal.Trouble = time.Time{}, "It is not applied by itself: pages that it speaks of have moved."
			tx.Notify([]store.Who{rehearsal.Who}, p.Address, "waiting", "Your changes on "+tx.State().SiteTitle(p.Address)+" are not applied by themselves: pages that they speak of have moved.", "/sites/"+p.Address+"/rehearsal")
		}
		if err := store.SaveRehearsal(tx.Context(), tx, rehearsal); err != nil {
			return err
		}
	}
	return nil
}

// filesThatStay lists the paths at which both editions have a file.
func filesThatStay(was func(path string) bool, is []store.File) (paths []string) {
	for _, f := range is {
		if was(f.Path) {
			paths = append(paths, f.Path)
		}
	}
	return paths
}
