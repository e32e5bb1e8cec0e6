// Package members holds who belongs to a site and asks to, what they say of themselves, and
// what they write.
package members

import (
	"cmp"
	"context"
	"errors"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/post"
	"velada/words"
)

// MemberChange is what is done about a member of a site.
type MemberChange string

// What is done about a member.
const (
	Admit   MemberChange = "admit"
	Refuse  MemberChange = "refuse" // a request that waits
	Block   MemberChange = "block"
	Unblock MemberChange = "unblock"
	Remove  MemberChange = "remove"
)

// ErrOnTeam says that somebody on the team cannot be blocked as a member.
var ErrOnTeam = errors.New("somebody on the team cannot be blocked as a member: take them off the team first")

// MembersChange is a change of members of a site, by id, with a word to them.
type MembersChange struct {
	Site   string
	People []string
	Change MemberChange
	Word   string
}

// ChangeMembers approves, declines, blocks, unblocks or removes members of a site. It holds
// for their next request, also where they are inside; whoever is approved or declined is told
// by mail. It returns how many were changed; those for whom it does not fit any more are left
// out. It returns ErrOnTeam for somebody on the team, and house.ErrNothing where it fits
// nobody.
func ChangeMembers(ctx context.Context, h *house.House, a house.Actor, c MembersChange) (changed int, err error) {
	err = h.Change(ctx, a, c.needs(), c.in(h, a, &changed))
	if err != nil {
		return 0, err
	}
	return changed, nil
}

// PreviewMembers works out what ChangeMembers would do.
func PreviewMembers(ctx context.Context, h *house.House, a house.Actor, c MembersChange) (*house.Preview, error) {
	return h.Preview(ctx, a, c.needs(), c.in(h, a, new(int)))
}

func (c MembersChange) needs() house.Needs {
	return house.Needs{Site: c.Site, Cap: access.ManageMembers}
}

// concerns reports whether a change does anything to somebody with a status.
func (c MemberChange) concerns(status string) bool {
	switch c {
	case Admit, Refuse:
		return status == "pending"
	case Block:
		return status != "blocked"
	case Unblock:
		return status == "blocked"
	case Remove:
		return status != "pending"
	}
	return false
}

// Concerned are those of the people of a change to whom it does something.
func (c MembersChange) Concerned(doc *access.Site) (list []string) {
	status := make(map[string]string, len(doc.Members))
	for _, m := range doc.Members {
		status[m.Who] = m.Status
	}
	for _, who := range c.People {
		if is, there := status[who]; there && c.Change.concerns(is) {
			list = append(list, who)
			delete(status, who) // once
		}
	}
	return list
}

func (c MembersChange) in(h *house.House, a house.Actor, changed *int) func(tx *house.Tx) error {
	return func(tx *house.Tx) error {
		s := tx.State()
		doc := tx.Site(c.Site)
		w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
		team := map[string]bool{}
		if c.Change == Block {
			for _, m := range s.Policy.TeamMembers(c.Site, access.At(tx.Now())) {
				team[m.Person] = true
			}
		}
		at := make(map[string]int, len(doc.Members))
		for i, m := range doc.Members {
			at[m.Who] = i
		}
		gone := map[string]bool{}
		for _, who := range c.People {
			i, is := at[who]
			if !is || gone[who] {
				continue
			}
			if team[who] {
				return ErrOnTeam
			}
			name, was, what := w.Person(who), doc.Members[i].Status, ""
			if !c.Change.concerns(was) {
				continue
			}
			switch c.Change {
			case Admit:
				doc.Members[i].Status, what = "approved", name+" was approved as a member."
			case Refuse:
				gone[who], what = true, name+" was declined as a member."
			case Block:
				doc.Members[i].Status, what = "blocked", name+" was blocked as a member."
			case Unblock:
				doc.Members[i].Status, what = "approved", name+" is a member again."
			case Remove:
				gone[who], what = true, name+" is no longer a member."
			}
			*changed++
			tx.Log(c.Site, "member", what, was, string(c.Change))
			if p := parts.PersonAt(s.Policy.Document(), who); p != nil && (c.Change == Admit || c.Change == Refuse) {
				tx.QueueMail(c.Site, "answer", memberAnswer(h, a, c.Site, parts.Canonical(p.Address), c.Change, c.Word))
			}
		}
		if *changed == 0 {
			return house.ErrNothing
		}
		if len(gone) > 0 {
			doc.Members = slices.DeleteFunc(doc.Members, func(m access.Member) bool { return gone[m.Who] })
		}
		return nil
	}
}

func memberAnswer(h *house.House, a house.Actor, site, to string, change MemberChange, word string) post.Letter {
	title := h.State().SiteTitle(site)
	l := post.Letter{To: to, Word: strings.TrimSpace(word), From: a.Name, Subject: "You are a member of " + title, Lines: []string{"You asked to become a member of " + title + ", and you are one from now on."}}
	l.Action = post.Action{Text: "Go there", URL: h.SiteURL(site) + cmp.Or(h.State().Site(site).Membership.First, "/")}
	if change == Refuse {
		l.Subject, l.Action = "Your request to "+title+" was declined", post.Action{}
		l.Lines = []string{"You asked to become a member of " + title + ". Your request was declined."}
	}
	return l
}
