package teams

import (
	"cmp"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/core/roster"
	"velada/house"
	"velada/identity"
	"velada/limits"
	"velada/store"
	"velada/words"
)

// Invite asks addresses to join the teams of sites. Nothing that they may do changes
// until they accept. What is wrong is said of the fields of the form. It returns them as
// house.FieldErrors.
func Invite(ctx context.Context, h *house.House, a house.Actor, in Invitation) (sent []Sent, err error) {
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		for _, site := range in.Sites {
			if err := tx.Require(house.Needs{Site: site, Cap: access.ManageTeam}); err != nil {
				return err
			}
		}
		for _, site := range in.Sites {
			waiting, err := store.WaitingInvitations(ctx, tx, tx.State().ID(site))
			if err != nil {
				return err
			}
			if len(waiting)+len(in.Addresses) > limits.InvitationsWaiting {
				return house.FieldErrors{"list": fmt.Sprintf("%d invitations to %s wait to be answered, and %d are the most: withdraw some first.", len(waiting), tx.State().SiteTitle(site), limits.InvitationsWaiting)}
			}
		}
		var invitations []store.Invitation
		if invitations, sent, err = draftInvitations(h, tx, in); err != nil {
			return err
		}
		if err := checkRole(tx); err != nil {
			return err
		}
		for i, inv := range invitations {
			if _, err := house.Try(h.Throttles.Invites, "You have invited very many people within an hour.", string(a.Who)); err != nil {
				return house.FieldErrors{"list": err.Error()}
			}
			tx.Try(store.SaveInvitation(ctx, tx, inv))
			for _, to := range inv.To {
				if in.Reason != "" {
					tx.Try(store.SaveTeamReason(ctx, tx, to.Site, string(inv.Who), in.Reason))
				}
				tx.Log(tx.State().SiteAddress(to.Site), "invitation", fmt.Sprintf("%s was invited to the team as %s.", h.NameOf(inv.Who), to.Role), "", "")
			}
			if err := sendInvitation(ctx, h, tx, inv, sent[i].Link); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	if in.Mail {
		for i := range sent {
			sent[i].Link = ""
		}
	}
	return sent, nil
}

// draftInvitations puts those who are invited on the drafts of the teams, where they
// wait, and makes their invitations. What is wrong is said of the fields of the form.
func draftInvitations(h *house.House, tx *house.Tx, in Invitation) (invitations []store.Invitation, sent []Sent, err error) {
	s, a := tx.State(), tx.By()
	wrong := house.FieldErrors{}
	if len(in.Sites) == 0 {
		wrong["sites"] = "Choose at least one site."
	}
	guests := roster.ReadGuests(strings.Join(in.Addresses, "\n"), s.Policy.Document())
	if len(guests.Problems) > 0 {
		wrong["list"] = strings.Join(guests.Problems, " ")
	} else if len(guests.People) == 0 {
		wrong["list"] = "Write at least one address."
	}
	for _, who := range guests.People {
		text := who
		if p := parts.PersonAt(s.Policy.Document(), who); p != nil {
			text = p.Address
		}
		address, err := access.ParseAddress(text)
		if err != nil {
			return nil, nil, err
		}
		if in.Mail && !s.Settings.Reaches(address) {
			wrong["list"] = fmt.Sprintf("No mail reaches %s. Choose to hand the link on yourself, or give them a sign-in slip.", address)
			continue
		}
		if site := keepsOut(s, in.Sites, address, access.At(tx.Now())); site != "" {
			wrong["list"] = fmt.Sprintf("%s is not at one of the house’s own domains, and a house rule counts no others on the team of %s.", address, s.SiteTitle(site))
			continue
		}
		token := identity.Token()
		inv := store.Invitation{
			ID: identity.Token(), Who: s.WhoHas(address), By: a.Who, At: tx.Now(), Ends: tx.Now().Add(invitationLife),
			Token: sha256.Sum256([]byte(token)), Mailed: in.Mail, Word: strings.TrimSpace(in.Word), Status: "waiting",
		}
		entry := teamWho(s.Policy, address)
		entry.Role, entry.Under, entry.From, entry.Until = in.Role, cmp.Or(in.Under, "/"), in.From, in.Until
		for _, site := range in.Sites {
			doc := tx.Site(site)
			if doc == nil {
				return nil, nil, house.ErrNoSite
			}
			if i := slices.IndexFunc(doc.Team, func(e access.TeamEntry) bool { return s.Names(e, inv.Who) && e.Under == entry.Under }); i >= 0 {
				state := "is on the team already"
				if !doc.Team[i].Accepted {
					state = "is invited already"
				}
				wrong["list"] = fmt.Sprintf("%s %s, as %s: change that instead.", nameOf(h, address), state, doc.Team[i].Role)
				continue
			}
			doc.Team = append(doc.Team, entry)
			inv.To = append(inv.To, store.Invited{Site: s.ID(site), Under: entry.Under, Role: entry.Role})
		}
		invitations = append(invitations, inv)
		sent = append(sent, Sent{Address: address.String(), Link: invitationURL(h, token)})
	}
	if len(wrong) > 0 {
		return nil, nil, wrong
	}
	return invitations, sent, nil
}

// keepsOut returns the first of some sites on whose team a house rule does not count an
// address; "" where there is none.
func keepsOut(s *house.State, sites []string, a access.Address, at access.Instant) string {
	if s.Policy.Inside(s.Policy.Address(a)) {
		return ""
	}
	for _, site := range sites {
		if slices.ContainsFunc(s.Policy.RulesInForce(site, at), func(r access.HouseRule) bool { return r.Rule == "inside-team-only" }) {
			return site
		}
	}
	return ""
}

// checkRole is Check, which says of the field of the role what does not fit.
func checkRole(tx *house.Tx) error {
	var refusal access.TeamRefusal
	var problems access.Problems
	switch err := tx.Check(); {
	case errors.As(err, &refusal):
		return house.FieldErrors{"role": refusal.Text}
	case errors.As(err, &problems):
		return house.FieldErrors{"role": "This role, section or time does not fit: " + words.ProblemText(problems[0], tx.State().Zone) + "."}
	default:
		return err
	}
}

// Accept accepts an invitation for whoever is signed in, and returns the address of the
// site to go on to. It returns ErrInvitationEnded, or ErrInvitationNotYours.
func Accept(ctx context.Context, h *house.House, a house.Actor, id string) (site string, err error) {
	if err := endUnfounded(ctx, h, id); err != nil {
		return "", err
	}
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		s := tx.State()
		o, err := answerable(ctx, h, a, id)
		if err != nil {
			return err
		}
		person, err := personOf(tx, a)
		if err != nil {
			return err
		}
		for _, offered := range o.Entries {
			doc := tx.Site(offered.Site)
			for i := range doc.Team {
				for _, to := range o.To {
					if e := &doc.Team[i]; s.SiteAddress(to.Site) == offered.Site && (e.Person == person || s.Names(*e, a.Who)) && e.Under == to.Under {
						e.Accepted = true
						e.Person, e.Address = person, ""
					}
				}
			}
			doc.Team = parts.OnceEach(doc.Team)
		}
		by, _ := h.ActorOf(o.By)
		if o.Stay != "" {
			if err := stepBack(s, tx.Site(s.SiteAddress(o.To[0].Site)), o.By, o.Stay); err != nil {
				return err
			}
		}
		if err := stands(ctx, s, tx, o.Invitation, access.At(tx.Now())); err != nil {
			return ErrInvitationEnded
		}
		tx.TeamBy(by) // what they give must be theirs now
		for _, e := range o.Entries {
			what := fmt.Sprintf("%s accepted to be %s, for %s.", a.Name, e.Role, e.Section)
			if o.Stay != "" {
				what = fmt.Sprintf("%s took the site over from %s.", a.Name, by.Name)
			}
			tx.Log(e.Site, "invitation", what, "", "")
			what = fmt.Sprintf("%s accepted to be %s of %s.", a.Name, e.Role, e.Title)
			tx.Notify([]store.Who{o.By}, e.Site, "invitation", what, "/sites/"+e.Site+"/team")
		}
		site = o.Entries[0].Site
		return store.MarkInvitation(ctx, tx, o.ID, "accepted")
	})
	return site, err
}

// personOf returns the id of whoever accepts: somebody who has only an address until now
// becomes a person of the house, by the name that they typed, from outside.
func personOf(tx *house.Tx, a house.Actor) (string, error) {
	if p := parts.PersonAt(tx.State().Policy.Document(), string(a.Who)); p != nil {
		return p.ID, nil
	}
	doc := tx.Document()
	if p := parts.PersonWith(doc, a.Address); p != nil {
		return p.ID, nil
	}
	id := parts.NewPerson(doc, a.Address, cmp.Or(a.Name, a.Address.Local))
	parts.NameByID(doc, *parts.PersonAt(doc, id))
	tx.Log("", "people", fmt.Sprintf("%s (%s) came into the house by accepting an invitation.", cmp.Or(a.Name, a.Address.Local), a.Address), "", "")
	return id, nil
}

// Decline says no to an invitation. It returns what Accept returns.
func Decline(ctx context.Context, h *house.House, a house.Actor, id string) error {
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		o, err := answerable(ctx, h, a, id)
		if err != nil {
			return err
		}
		dropWaiting(tx, o.Invitation, o.To)
		tx.AnyTeam()
		for _, e := range o.Entries {
			tx.Log(e.Site, "invitation", fmt.Sprintf("%s declined to be %s.", a.Name, e.Role), "", "")
			what := fmt.Sprintf("%s declined to be %s of %s.", a.Name, e.Role, e.Title)
			tx.Notify([]store.Who{o.By}, e.Site, "invitation", what, "/sites/"+e.Site+"/team")
		}
		return store.MarkInvitation(ctx, tx, o.ID, "declined")
	})
}

// dropWaiting takes the entries that an invitation is to off their teams.
func dropWaiting(tx *house.Tx, inv store.Invitation, to []store.Invited) {
	s := tx.State()
	for _, t := range to {
		if doc := tx.Site(s.SiteAddress(t.Site)); doc != nil {
			doc.Team = slices.DeleteFunc(doc.Team, func(e access.TeamEntry) bool {
				return !e.Accepted && s.Names(e, inv.Who) && e.Under == t.Under
			})
		}
	}
}

// Withdraw takes an invitation to a site's team back. It returns house.ErrNothing where
// nobody waits.
func Withdraw(ctx context.Context, h *house.House, a house.Actor, site, id string) error {
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageTeam}, func(tx *house.Tx) error {
		inv, err := store.FindInvitation(ctx, tx, id)
		if err != nil {
			return err
		}
		here := func(t store.Invited) bool { return t.Site == tx.State().ID(site) }
		if inv == nil || inv.Status != "waiting" || !slices.ContainsFunc(inv.To, here) {
			return house.ErrNothing
		}
		elsewhere := slices.DeleteFunc(slices.Clone(inv.To), here)
		dropWaiting(tx, *inv, slices.DeleteFunc(slices.Clone(inv.To), func(t store.Invited) bool { return !here(t) }))
		inv.To = elsewhere
		if len(elsewhere) == 0 {
			inv.Status = "withdrawn"
		}
		tx.Log(site, "invitation", fmt.Sprintf("The invitation to %s was withdrawn.", h.NameOf(inv.Who)), "", "")
		return store.SaveInvitation(ctx, tx, *inv)
	})
}

// SendAgain makes an invitation last anew under a new link; the old one ends. It returns
// house.ErrNothing, or ErrUnreachable.
func SendAgain(ctx context.Context, h *house.House, a house.Actor, site, id string, byMail bool) (sent Sent, err error) {
	err = h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageTeam}, func(tx *house.Tx) error {
		inv, err := store.FindInvitation(ctx, tx, id)
		if err != nil {
			return err
		}
		if inv == nil || inv.Status != "waiting" || !slices.ContainsFunc(inv.To, func(t store.Invited) bool { return t.Site == tx.State().ID(site) }) {
			return house.ErrNothing
		}
		if inv.Stay != "" && inv.By != a.Who { // its link is the site: whoever hands it over sends it
			return house.ErrMayNot
		}
		inv.By = a.Who // who sends it invites, with what they may give
		if err := stands(ctx, tx.State(), tx, *inv, access.At(tx.Now())); err != nil {
			return house.ErrMayNot
		}
		if byMail && !h.Reaches(inv.Who) {
			return ErrUnreachable
		}
		token := identity.Token()
		inv.Token, inv.At, inv.Ends, inv.Mailed = sha256.Sum256([]byte(token)), tx.Now(), tx.Now().Add(invitationLife), byMail
		sent = Sent{Address: h.NameOf(inv.Who), Link: invitationURL(h, token)}
		tx.Try(store.SaveInvitation(ctx, tx, *inv))
		tx.Log(site, "invitation", fmt.Sprintf("The invitation to %s was sent again.", h.NameOf(inv.Who)), "", "")
		return sendInvitation(ctx, h, tx, *inv, sent.Link)
	})
	if err != nil {
		return Sent{}, err
	}
	if byMail {
		sent.Link = ""
	}
	return sent, nil
}

// ChangeInvitation changes what somebody who has not answered yet is invited to. It
// returns house.ErrNothing, or house.FieldErrors.
func ChangeInvitation(ctx context.Context, h *house.House, a house.Actor, site, id string, to access.TeamEntry) error {
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageTeam}, func(tx *house.Tx) error {
		s := tx.State()
		inv, err := store.FindInvitation(ctx, tx, id)
		if err != nil {
			return err
		}
		at := -1
		if inv != nil && inv.Status == "waiting" && inv.Stay == "" {
			at = slices.IndexFunc(inv.To, func(t store.Invited) bool { return t.Site == s.ID(site) })
		}
		if at < 0 {
			return house.ErrNothing
		}
		doc := tx.Site(site)
		i := slices.IndexFunc(doc.Team, func(e access.TeamEntry) bool {
			return !e.Accepted && s.Names(e, inv.Who) && e.Under == inv.To[at].Under
		})
		if i < 0 {
			return house.ErrNothing
		}
		e := &doc.Team[i]
		e.Role, e.Under, e.From, e.Until = to.Role, cmp.Or(to.Under, "/"), to.From, to.Until
		if err := checkRole(tx); err != nil {
			return err
		}
		inv.To[at].Under, inv.To[at].Role, inv.By = e.Under, e.Role, a.Who
		tx.Log(site, "invitation", fmt.Sprintf("The invitation to %s is to be %s now.", h.NameOf(inv.Who), e.Role), "", "")
		return store.SaveInvitation(ctx, tx, *inv)
	})
}
