// Package teams holds who works on a site: invitations, hand-overs and sections.
package teams

import (
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"time"

	"velada/core/access"
	"velada/house"
	"velada/post"
	"velada/store"
	"velada/words"
)

// invitationLife is how long an invitation can be accepted.
const invitationLife = 14 * 24 * time.Hour

// Reasons are why somebody can be on a team.
var Reasons = []string{"staff", "volunteer", "freelancer", "client", "learner"}

// Invitation is what somebody who invites others asks for.
type Invitation struct {
	Addresses   []string // as they were typed
	Sites       []string
	Role, Under string
	From, Until access.Instant
	Reason      string
	Word        string
	Mail        bool // else the links are given to the one who invites
}

// Sent is an invitation that was made.
type Sent struct {
	Address string
	Link    string // to hand on oneself, where no mail is sent
}

// ErrInvitation says why an invitation cannot be answered.
var (
	ErrInvitationEnded    = errors.New("this invitation ended, was withdrawn or was answered already: ask for another one")
	ErrInvitationNotYours = errors.New("this invitation is for another address")
)

// teamWho names in an entry whom an address is.
func teamWho(p *access.Policy, a access.Address) (e access.TeamEntry) {
	if person, known := p.PersonOf(p.Address(a)); known {
		e.Person = person.ID
	} else {
		e.Address = a.String()
	}
	return e
}

// entryOf names somebody in an entry.
func entryOf(who store.Who) (e access.TeamEntry) {
	if who.Bare() {
		e.Address = string(who)
	} else {
		e.Person = string(who)
	}
	return e
}

// nameOf is what somebody with an address is called.
func nameOf(h *house.House, a access.Address) string {
	return h.Actor(a).Name
}

func invitationURL(h *house.House, token string) string {
	return h.ConsoleURL + "/invitations/" + token
}

// sendInvitation mails an invitation and tells in the console who has an account.
func sendInvitation(ctx context.Context, h *house.House, tx *house.Tx, inv store.Invitation, link string) error {
	p, err := tx.Policy()
	if err != nil {
		return err
	}
	s, by := tx.State(), tx.By()
	var sites []string
	var facts [][2]string
	address, there := s.AddressOf(inv.Who)
	if !there {
		return house.ErrNothing
	}
	for _, to := range inv.To {
		site := p.Site(s.SiteAddress(to.Site))
		if site == nil {
			continue
		}
		title := cmp.Or(site.Document().Title, site.Document().Address)
		sites = append(sites, title)
		w := words.Wording{Document: p.Document(), Site: site.Document(), Zone: s.Zone}
		what := fmt.Sprintf("%s, for %s: you may %s", to.Role, w.Section(to.Under), words.CapabilityWords(site.RoleCapabilities(to.Role)))
		for _, e := range site.Document().Team {
			if s.Names(e, inv.Who) && e.Under == to.Under && (!e.From.IsZero() || !e.Until.IsZero()) {
				what += ", " + w.Window(e.From, e.Until)
			}
		}
		facts = append(facts, [2]string{title, what})
	}
	subject := fmt.Sprintf("%s invites you to work on %s", by.Name, words.And(sites))
	if inv.Stay != "" {
		subject = fmt.Sprintf("%s wants to hand %s over to you", by.Name, words.And(sites))
	}
	if account, err := store.FindAccount(ctx, tx, inv.Who); err != nil {
		return err
	} else if account != nil {
		tx.Notify([]store.Who{inv.Who}, "", "waiting", subject+".", "/account#invitations")
	}
	if !inv.Mailed {
		return nil
	}
	tx.QueueMailAbout(s.SiteAddress(inv.To[0].Site), "invitation", house.AboutInvitation(inv.ID), post.Letter{
		To: address.String(), Subject: subject, Word: inv.Word, From: by.Name, Facts: facts,
		Lines:  []string{fmt.Sprintf("This is an invitation from %s.", p.Document().House.Name)},
		Action: post.Action{Text: "See the invitation", URL: link},
		After: []string{
			fmt.Sprintf("It is for %s alone, works once, and ends on %s.", address, words.Moment(inv.Ends.In(s.Zone))),
			"If you do not know what this is about, ignore it: nothing happens.",
		},
	})
	return nil
}

// Offer is an invitation as the one who is invited sees it.
type Offer struct {
	store.Invitation
	Address string // that whoever is invited has now
	ByName  string
	Entries []OfferedEntry
	Account bool // there is an account for its address
	Over    bool // it ended, or nothing is left of it
}

// OfferedEntry is one entry of a team that waits to be accepted.
type OfferedEntry struct {
	Site, Title, Role, Section, Window, Means string
}

// FindOffer reads an invitation by its token. It returns nil where there is none.
func FindOffer(ctx context.Context, h *house.House, token string) (*Offer, error) {
	inv, err := store.InvitationByToken(ctx, h.Reader(), sha256.Sum256([]byte(token)))
	if err != nil || inv == nil {
		return nil, err
	}
	return offer(ctx, h, *inv)
}

// OffersTo reads what somebody is invited to.
func OffersTo(ctx context.Context, h *house.House, a house.Actor) (list []*Offer, err error) {
	invitations, err := store.InvitationsTo(ctx, h.Reader(), a.Who)
	if err != nil {
		return nil, err
	}
	for _, inv := range invitations {
		o, err := offer(ctx, h, inv)
		if err != nil {
			return nil, err
		}
		if !o.Over {
			list = append(list, o)
		}
	}
	return list, nil
}

func offer(ctx context.Context, h *house.House, inv store.Invitation) (*Offer, error) {
	s := h.State()
	o := &Offer{Invitation: inv, ByName: h.NameOf(inv.By)}
	address, there := s.AddressOf(inv.Who)
	o.Address = address.String()
	for _, to := range inv.To {
		site := s.SiteAddress(to.Site)
		doc := s.SiteDocument(site)
		if doc == nil {
			continue
		}
		w := words.Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
		for _, e := range doc.Team {
			if !e.Accepted && s.Names(e, inv.Who) && e.Under == to.Under {
				o.Entries = append(o.Entries, OfferedEntry{
					Site: site, Title: cmp.Or(doc.Title, site), Role: e.Role, Section: w.Section(e.Under), Window: w.Window(e.From, e.Until),
					Means: words.CapabilityWords(s.Policy.Site(site).RoleCapabilities(e.Role)),
				})
			}
		}
	}
	account, err := store.FindAccount(ctx, h.Reader(), inv.Who)
	o.Account = account != nil
	o.Over = inv.Status != "waiting" || !h.Now().Before(inv.Ends) || len(o.Entries) == 0 || !there || stands(ctx, s, h.Reader(), inv, access.At(h.Now())) != nil
	return o, err
}

// stands asks whether whoever invited still may: to bring somebody onto each of the teams, and all that
// the role may do there.
func stands(ctx context.Context, s *house.State, q store.Reader, inv store.Invitation, at access.Instant) error {
	for _, to := range inv.To {
		site := s.SiteAddress(to.Site)
		if site == "" {
			continue
		}
		need := house.Needs{Site: site, Cap: access.ManageTeam}
		if inv.Stay != "" {
			need.Cap = access.Own
		}
		if err := s.Stands(ctx, q, inv.By, need, at); err != nil {
			return err
		}
		if gives := s.Policy.Site(site).RoleCapabilities(to.Role); gives&^s.Can(house.Actor{Who: inv.By}, site, to.Under, at) != 0 {
			return house.ErrMayNot
		}
		if address, there := s.AddressOf(inv.Who); there && inv.Stay != "" && keepsOut(s, []string{site}, address, at) != "" {
			return house.ErrMayNot
		}
	}
	return nil
}

// endUnfounded ends an invitation of somebody who may not invite any more, where it still waits, and
// tells those who may.
func endUnfounded(ctx context.Context, h *house.House, id string) error {
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		s := tx.State()
		inv, err := store.FindInvitation(ctx, tx, id)
		if err != nil || inv == nil || inv.Status != "waiting" || stands(ctx, s, tx, *inv, access.At(tx.Now())) == nil {
			return err
		}
		dropWaiting(tx, *inv, inv.To)
		for _, to := range inv.To {
			site := s.SiteAddress(to.Site)
			if site == "" {
				continue
			}
			what := fmt.Sprintf("The invitation of %s to %s ended: %s may not give that role any more.", h.NameOf(inv.Who), s.SiteTitle(site), h.NameOf(inv.By))
			tx.Log(site, "invitation", what, "", "")
			tx.Notify(append(tx.WhoMay(site, access.ManageTeam), inv.By), site, "invitation", what, "/sites/"+site+"/team")
		}
		return store.MarkInvitation(ctx, tx, inv.ID, "withdrawn")
	})
}

// answerable finds an invitation that somebody may answer.
func answerable(ctx context.Context, h *house.House, a house.Actor, id string) (*Offer, error) {
	inv, err := store.FindInvitation(ctx, h.Reader(), id)
	if err != nil {
		return nil, err
	}
	if inv == nil {
		return nil, ErrInvitationEnded
	}
	if inv.Who != a.Who {
		return nil, ErrInvitationNotYours
	}
	o, err := offer(ctx, h, *inv)
	if err == nil && o.Over {
		err = ErrInvitationEnded
	}
	return o, err
}

// ErrUnreachable says that no mail reaches an address.
var ErrUnreachable = errors.New("this account has no mailbox: hand the link on yourself, or give them a sign-in slip")

// AskForOwnInvitation tells whoever made an invitation that somebody who is signed in
// with another address would accept it with that. It returns ErrInvitationEnded.
func AskForOwnInvitation(ctx context.Context, h *house.House, a house.Actor, token string) error {
	o, err := FindOffer(ctx, h, token)
	if err != nil {
		return err
	}
	if o == nil || o.Over {
		return ErrInvitationEnded
	}
	site := h.State().SiteAddress(o.To[0].Site)
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		what := fmt.Sprintf("%s (%s) has the invitation to %s, and asks to be invited under their own address.", a.Name, a.Address, o.Address)
		tx.Notify([]store.Who{o.By}, site, "request", what, "/sites/"+site+"/team")
		return nil
	})
}
