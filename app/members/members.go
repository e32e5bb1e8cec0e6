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

// ChangeMembers admits, refuses, blocks, unblocks or removes members of a site, one or
// many, with a word to them. It holds for their next request, also where they are
// inside. It returns how many were changed; those for whom it does not fit any more are
// left out. It returns ErrOnTeam for somebody on the team, and house.ErrNothing where it
// fits nobody.
func ChangeMembers(ctx context.Context, h *house.House, a house.Actor, site string, people []string, change MemberChange, word string) (changed int, err error) {
	err = h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageMembers}, func(tx *house.Tx) error {
		s := tx.State()
		doc := tx.Site(site)
		w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
		team := map[string]bool{}
		if change == Block {
			for _, m := range s.Policy.TeamMembers(site, access.At(tx.Now())) {
				team[m.Person] = true
			}
		}
		for _, who := range people {
			i := slices.IndexFunc(doc.Members, func(m access.Member) bool { return m.Who == who })
			if i < 0 {
				continue
			}
			if team[who] {
				return ErrOnTeam
			}
			name, was, what := w.Person(who), doc.Members[i].Status, ""
			switch {
			case change == Admit && was == "pending":
				doc.Members[i].Status, what = "approved", name+" was admitted as a member."
			case change == Refuse && was == "pending":
				doc.Members, what = slices.Delete(doc.Members, i, i+1), name+" was refused as a member."
			case change == Block && was != "blocked":
				doc.Members[i].Status, what = "blocked", name+" was blocked as a member."
			case change == Unblock && was == "blocked":
				doc.Members[i].Status, what = "approved", name+" is a member again."
			case change == Remove && was != "pending":
				doc.Members, what = slices.Delete(doc.Members, i, i+1), name+" is no member any more."
			default:
				continue
			}
			changed++
			tx.Log(site, "member", what, was, string(change))
			if p := parts.PersonAt(s.Policy.Document(), who); p != nil && (change == Admit || change == Refuse) {
				tx.QueueMail(site, "answer", memberAnswer(h, a, site, parts.Canonical(p.Address), change, word))
			}
		}
		if changed == 0 {
			return house.ErrNothing
		}
		return nil
	})
	if err != nil {
		return 0, err
	}
	return changed, nil
}

func memberAnswer(h *house.House, a house.Actor, site, to string, change MemberChange, word string) post.Letter {
	title := h.State().SiteTitle(site)
	l := post.Letter{To: to, Word: strings.TrimSpace(word), From: a.Name, Subject: "You are a member of " + title, Lines: []string{"You asked to become a member of " + title + ", and you are one from now on."}}
	l.Action = post.Action{Text: "Go there", URL: h.SiteURL(site) + cmp.Or(h.State().Site(site).Membership.First, "/")}
	if change == Refuse {
		l.Subject, l.Action = "You are no member of "+title, post.Action{}
		l.Lines = []string{"You asked to become a member of " + title + ". The answer is no."}
	}
	return l
}
