package app

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/post"
	"velada/store"
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

// reaches reports whether mail reaches somebody at the address that they have now.
func (h *House) reaches(who store.Who) bool {
	s := h.State()
	a, there := s.AddressOf(who)
	return there && s.Settings.Reaches(a)
}

// Names reports whether an entry of a team names somebody themself: by their id, or by
// an address that is theirs.
func (s *State) Names(e access.TeamEntry, who store.Who) bool {
	switch {
	case e.Person != "":
		return store.Who(e.Person) == who
	case e.Address != "":
		a, err := access.ParseAddress(e.Address)
		return err == nil && s.WhoHas(a) == who
	}
	return false
}

// change is a change of several sites at once, on its way.
type siteChanges struct {
	next    *access.Policy
	changed map[string]*access.Site
	order   []string
}

func (h *House) beginChanges() *siteChanges {
	return &siteChanges{next: h.State().Policy, changed: map[string]*access.Site{}}
}

// site gives a site to be changed: a copy with a team of its own.
func (c *siteChanges) site(address string) *access.Site {
	if c.changed[address] == nil {
		doc := c.next.Site(address).Document()
		if doc == nil {
			return nil
		}
		copied := *doc
		copied.Team, copied.Members = slices.Clone(copied.Team), slices.Clone(copied.Members)
		c.changed[address], c.order = &copied, append(c.order, address)
	}
	return c.changed[address]
}

// check works out the policy with every change in it. by is whose right to
// change teams it is checked against.
func (c *siteChanges) check(h *House, by access.Identity) error {
	before := h.State().Policy
	for _, address := range c.order {
		then, err := c.next.Replace(c.changed[address])
		if err != nil {
			return err
		}
		c.next = then
	}
	for _, address := range c.order {
		if err := before.CheckTeam(c.next, address, by, access.At(h.now())); err != nil {
			return err
		}
	}
	return nil
}

// put writes the changed sites and what else belongs to them in one
// transaction, and swaps the state.
func (c *siteChanges) put(ctx context.Context, h *House, also func(tx *sql.Tx) error) error {
	s := h.State()
	next := *s
	next.Policy = c.next
	err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		for _, address := range c.order {
			if err := store.SaveSite(ctx, tx, c.changed[address], sitePosition(s, address)); err != nil {
				return err
			}
		}
		return also(tx)
	})
	if err != nil {
		return err
	}
	h.swapFor(&next, c.order...)
	return nil
}

// Invite asks addresses to join the teams of sites. Nothing that they may do
// changes until they accept. What is wrong is said of the fields of the form.
func (h *House) Invite(ctx context.Context, a Actor, in Invitation) ([]Sent, error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	for _, site := range in.Sites {
		if err := h.mayManageTeam(a, site); err != nil {
			return nil, err
		}
	}
	s := h.State()
	wrong := FieldErrors{}
	if len(in.Sites) == 0 {
		wrong["sites"] = "Choose at least one site."
	}
	guests := ReadGuests(strings.Join(in.Addresses, "\n"), s.Policy.Document())
	if len(guests.Problems) > 0 {
		wrong["list"] = strings.Join(guests.Problems, " ")
	} else if len(guests.People) == 0 {
		wrong["list"] = "Write at least one address."
	}
	changes := h.beginChanges()
	var invitations []store.Invitation
	var sent []Sent
	for _, who := range guests.People {
		text := who
		if i := slices.IndexFunc(s.Policy.Document().People, func(p access.Person) bool { return p.ID == who }); i >= 0 {
			text = s.Policy.Document().People[i].Address
		}
		address, err := access.ParseAddress(text)
		if err != nil {
			return nil, err
		}
		if in.Mail && !s.Settings.Reaches(address) {
			wrong["list"] = fmt.Sprintf("No mail reaches %s. Choose to hand the link on yourself, or give them a sign-in slip.", address)
			continue
		}
		token := identity.Token()
		inv := store.Invitation{
			ID: identity.Token(), Who: s.WhoHas(address), By: a.Who, At: h.now(), Ends: h.now().Add(invitationLife),
			Token: sha256.Sum256([]byte(token)), Mailed: in.Mail, Word: strings.TrimSpace(in.Word), Status: "waiting",
		}
		entry := teamWho(s.Policy, address)
		entry.Role, entry.Under, entry.From, entry.Until = in.Role, cmp.Or(in.Under, "/"), in.From, in.Until
		for _, site := range in.Sites {
			doc := changes.site(site)
			if doc == nil {
				return nil, ErrNoSite
			}
			if i := slices.IndexFunc(doc.Team, func(e access.TeamEntry) bool { return s.Names(e, inv.Who) && e.Under == entry.Under }); i >= 0 {
				state := "is on the team already"
				if !doc.Team[i].Accepted {
					state = "is invited already"
				}
				wrong["list"] = fmt.Sprintf("%s %s, as %s: change that instead.", h.nameOf(address), state, doc.Team[i].Role)
				continue
			}
			doc.Team = append(doc.Team, entry)
			inv.To = append(inv.To, store.Invited{Site: h.id(site), Under: entry.Under, Role: entry.Role})
		}
		invitations = append(invitations, inv)
		sent = append(sent, Sent{Address: address.String(), Link: h.invitationURL(token)})
	}
	if len(wrong) > 0 {
		return nil, wrong
	}
	var refusal access.TeamRefusal
	var problems access.Problems
	switch err := changes.check(h, s.Identity(a.Who)); {
	case errors.As(err, &refusal):
		return nil, FieldErrors{"role": refusal.Text}
	case errors.As(err, &problems):
		return nil, FieldErrors{"role": "This role, section or time does not fit: " + problems[0].Text + "."}
	case err != nil:
		return nil, err
	}
	err := changes.put(ctx, h, func(tx *sql.Tx) error {
		for i, inv := range invitations {
			if err := store.SaveInvitation(ctx, tx, inv); err != nil {
				return err
			}
			for _, to := range inv.To {
				if in.Reason != "" {
					if err := store.SaveTeamReason(ctx, tx, to.Site, string(inv.Who), in.Reason); err != nil {
						return err
					}
				}
				what := fmt.Sprintf("%s was invited to the team as %s.", h.NameOf(inv.Who), to.Role)
				if err := h.ledger(ctx, tx, a.Address.String(), s.SiteAddress(to.Site), "invitation", what, "", ""); err != nil {
					return err
				}
			}
			if err := h.sendInvitation(ctx, tx, changes.next, a, inv, sent[i].Link); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, fmt.Errorf("inviting: %w", err)
	}
	if in.Mail {
		for i := range sent {
			sent[i].Link = ""
		}
	}
	return sent, nil
}

func mustAddress(text string) access.Address {
	a, err := access.ParseAddress(text)
	if err != nil {
		panic(err) // what is kept was parsed before
	}
	return a
}

// nameOf is what somebody with an address is called.
func (h *House) nameOf(a access.Address) string {
	return h.Actor(a).Name
}

func (h *House) invitationURL(token string) string { return h.ConsoleURL + "/invitations/" + token }

func (h *House) mayManageTeam(a Actor, site string) error {
	switch caps := h.Can(a, site, "/"); {
	case caps.Has(access.ManageTeam):
		return nil
	case caps == 0:
		return ErrNoSite
	}
	return ErrMayNot
}

// sendInvitation mails an invitation and tells in the console who has an account.
func (h *House) sendInvitation(ctx context.Context, tx *sql.Tx, p *access.Policy, by Actor, inv store.Invitation, link string) error {
	var sites []string
	var facts [][2]string
	address, there := h.State().AddressOf(inv.Who)
	if !there {
		return ErrNothing
	}
	for _, to := range inv.To {
		site := p.Site(h.State().SiteAddress(to.Site))
		if site == nil {
			continue
		}
		title := cmp.Or(site.Document().Title, site.Document().Address)
		sites = append(sites, title)
		w := Wording{Document: p.Document(), Site: site.Document(), Zone: h.State().Zone}
		what := fmt.Sprintf("%s, for %s: you may %s", to.Role, w.Section(to.Under), CapabilityWords(site.RoleCapabilities(to.Role)))
		for _, e := range site.Document().Team {
			if h.State().Names(e, inv.Who) && e.Under == to.Under && (!e.From.IsZero() || !e.Until.IsZero()) {
				what += ", " + w.Window(e.From, e.Until)
			}
		}
		facts = append(facts, [2]string{title, what})
	}
	subject := fmt.Sprintf("%s invites you to work on %s", by.Name, alternativesAnd(sites))
	if inv.Stay != "" {
		subject = fmt.Sprintf("%s wants to hand %s over to you", by.Name, alternativesAnd(sites))
	}
	if account, err := store.FindAccount(ctx, tx, inv.Who); err != nil {
		return err
	} else if account != nil {
		if err := h.tell(ctx, tx, []store.Who{inv.Who}, "", "waiting", subject+".", "/account#invitations"); err != nil {
			return err
		}
	}
	if !inv.Mailed {
		return nil
	}
	return h.write(ctx, tx, h.State().SiteAddress(inv.To[0].Site), "invitation", post.Letter{
		To: address.String(), Subject: subject, Word: inv.Word, From: by.Name, Facts: facts,
		Lines:  []string{fmt.Sprintf("This is an invitation from %s.", p.Document().House.Name)},
		Action: post.Action{Text: "See the invitation", URL: link},
		After: []string{
			fmt.Sprintf("It is for %s alone, works once, and ends on %s.", address, Moment(inv.Ends.In(h.State().Zone))),
			"If you do not know what this is about, let it lie: nothing happens.",
		},
	})
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

// Offer reads an invitation by its token.
func (h *House) Offer(ctx context.Context, token string) (*Offer, error) {
	inv, err := store.InvitationByToken(ctx, h.DB, sha256.Sum256([]byte(token)))
	if err != nil || inv == nil {
		return nil, err
	}
	return h.offer(ctx, *inv)
}

// OffersTo reads what somebody is invited to.
func (h *House) OffersTo(ctx context.Context, a Actor) (list []*Offer, err error) {
	invitations, err := store.InvitationsTo(ctx, h.DB, a.Who)
	if err != nil {
		return nil, err
	}
	for _, inv := range invitations {
		o, err := h.offer(ctx, inv)
		if err != nil {
			return nil, err
		}
		if !o.Over {
			list = append(list, o)
		}
	}
	return list, nil
}

func (h *House) offer(ctx context.Context, inv store.Invitation) (*Offer, error) {
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
		w := Wording{Document: s.Policy.Document(), Site: doc, Zone: s.Zone}
		for _, e := range doc.Team {
			if !e.Accepted && s.Names(e, inv.Who) && e.Under == to.Under {
				o.Entries = append(o.Entries, OfferedEntry{
					Site: site, Title: cmp.Or(doc.Title, site), Role: e.Role, Section: w.Section(e.Under), Window: w.Window(e.From, e.Until),
					Means: CapabilityWords(s.Policy.Site(site).RoleCapabilities(e.Role)),
				})
			}
		}
	}
	account, err := store.FindAccount(ctx, h.DB, inv.Who)
	o.Account = account != nil
	o.Over = inv.Status != "waiting" || !h.now().Before(inv.Ends) || len(o.Entries) == 0 || !there || s.blocked(inv.By)
	return o, err
}

// Accept accepts an invitation for whoever is signed in, and gives the site to go on to.
func (h *House) Accept(ctx context.Context, a Actor, id string) (string, error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	s := h.State()
	o, err := h.answerable(ctx, a, id)
	if err != nil {
		return "", err
	}
	changes := h.beginChanges()
	for _, offered := range o.Entries {
		doc := changes.site(offered.Site)
		for i := range doc.Team {
			for _, to := range o.To {
				if e := &doc.Team[i]; s.SiteAddress(to.Site) == offered.Site && s.Names(*e, a.Who) && e.Under == to.Under {
					e.Accepted = true
				}
			}
		}
	}
	by, _ := h.ActorOf(o.By)
	if o.Stay != "" {
		if err := s.stepBack(changes.site(s.SiteAddress(o.To[0].Site)), o.By, o.Stay); err != nil {
			return "", err
		}
		if err := changes.check(h, s.Identity(o.By)); err != nil { // it must still be theirs to hand over
			return "", err
		}
	} else if err := changes.recompile(); err != nil {
		return "", err
	}
	err = changes.put(ctx, h, func(tx *sql.Tx) error {
		if err := store.MarkInvitation(ctx, tx, o.ID, "accepted"); err != nil {
			return err
		}
		for _, e := range o.Entries {
			what := fmt.Sprintf("%s accepted to be %s, for %s.", a.Name, e.Role, e.Section)
			if o.Stay != "" {
				what = fmt.Sprintf("%s took the site over from %s.", a.Name, by.Name)
			}
			if err := h.ledger(ctx, tx, a.Address.String(), e.Site, "invitation", what, "", ""); err != nil {
				return err
			}
			if err := h.tell(ctx, tx, []store.Who{o.By}, e.Site, "invitation", fmt.Sprintf("%s accepted to be %s of %s.", a.Name, e.Role, e.Title), "/sites/"+e.Site+"/team"); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return "", fmt.Errorf("accepting: %w", err)
	}
	return o.Entries[0].Site, nil
}

// recompile works out the policy with the changes, where nobody's right is in question.
func (c *siteChanges) recompile() error {
	for _, address := range c.order {
		then, err := c.next.Replace(c.changed[address])
		if err != nil {
			return err
		}
		c.next = then
	}
	return nil
}

// answerable finds an invitation that somebody may answer.
func (h *House) answerable(ctx context.Context, a Actor, id string) (*Offer, error) {
	inv, err := store.FindInvitation(ctx, h.DB, id)
	if err != nil {
		return nil, err
	}
	if inv == nil {
		return nil, ErrInvitationEnded
	}
	if inv.Who != a.Who {
		return nil, ErrInvitationNotYours
	}
	o, err := h.offer(ctx, *inv)
	if err == nil && o.Over {
		err = ErrInvitationEnded
	}
	return o, err
}

// Decline says no to an invitation.
func (h *House) Decline(ctx context.Context, a Actor, id string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	o, err := h.answerable(ctx, a, id)
	if err != nil {
		return err
	}
	changes := h.beginChanges()
	h.dropWaiting(changes, o.Invitation, o.To)
	if err := changes.recompile(); err != nil {
		return err
	}
	return changes.put(ctx, h, func(tx *sql.Tx) error {
		err := store.MarkInvitation(ctx, tx, o.ID, "declined")
		for _, e := range o.Entries {
			err = errors.Join(err,
				h.ledger(ctx, tx, a.Address.String(), e.Site, "invitation", fmt.Sprintf("%s declined to be %s.", a.Name, e.Role), "", ""),
				h.tell(ctx, tx, []store.Who{o.By}, e.Site, "invitation", fmt.Sprintf("%s declined to be %s of %s.", a.Name, e.Role, e.Title), "/sites/"+e.Site+"/team"))
		}
		return err
	})
}

// dropWaiting takes the entries that an invitation is to off their teams.
func (h *House) dropWaiting(changes *siteChanges, inv store.Invitation, to []store.Invited) {
	s := h.State()
	for _, t := range to {
		if doc := changes.site(s.SiteAddress(t.Site)); doc != nil {
			doc.Team = slices.DeleteFunc(doc.Team, func(e access.TeamEntry) bool { return !e.Accepted && s.Names(e, inv.Who) && e.Under == t.Under })
		}
	}
}

// Withdraw takes an invitation to a site's team back.
func (h *House) Withdraw(ctx context.Context, a Actor, site, id string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayManageTeam(a, site); err != nil {
		return err
	}
	s := h.State()
	inv, err := store.FindInvitation(ctx, h.DB, id)
	if err != nil {
		return err
	}
	here := func(t store.Invited) bool { return t.Site == h.id(site) }
	if inv == nil || inv.Status != "waiting" || !slices.ContainsFunc(inv.To, here) {
		return ErrNothing
	}
	changes := h.beginChanges()
	elsewhere := slices.DeleteFunc(slices.Clone(inv.To), here)
	h.dropWaiting(changes, *inv, slices.DeleteFunc(slices.Clone(inv.To), func(t store.Invited) bool { return !here(t) }))
	if err := changes.check(h, s.Identity(a.Who)); err != nil {
		return err
	}
	return changes.put(ctx, h, func(tx *sql.Tx) error {
		inv.To = elsewhere
		if len(elsewhere) == 0 {
			inv.Status = "withdrawn"
		}
		return errors.Join(store.SaveInvitation(ctx, tx, *inv),
			h.ledger(ctx, tx, a.Address.String(), site, "invitation", fmt.Sprintf("The invitation to %s was withdrawn.", h.NameOf(inv.Who)), "", ""))
	})
}

// SendAgain makes an invitation last anew under a new link; the old one ends.
func (h *House) SendAgain(ctx context.Context, a Actor, site, id string, byMail bool) (Sent, error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayManageTeam(a, site); err != nil {
		return Sent{}, err
	}
	s := h.State()
	inv, err := store.FindInvitation(ctx, h.DB, id)
	if err != nil {
		return Sent{}, err
	}
	if inv == nil || inv.Status != "waiting" || !slices.ContainsFunc(inv.To, func(t store.Invited) bool { return t.Site == h.id(site) }) {
		return Sent{}, ErrNothing
	}
	if byMail && !h.reaches(inv.Who) {
		return Sent{}, ErrUnreachable
	}
	token := identity.Token()
	inv.Token, inv.At, inv.Ends, inv.Mailed = sha256.Sum256([]byte(token)), h.now(), h.now().Add(invitationLife), byMail
	sent := Sent{Address: h.NameOf(inv.Who), Link: h.invitationURL(token)}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(
			store.SaveInvitation(ctx, tx, *inv),
			h.ledger(ctx, tx, a.Address.String(), site, "invitation", fmt.Sprintf("The invitation to %s was sent again.", h.NameOf(inv.Who)), "", ""),
			h.sendInvitation(ctx, tx, s.Policy, a, *inv, sent.Link),
		)
	})
	if byMail {
		sent.Link = ""
	}
	return sent, err
}

// ErrUnreachable says that no mail reaches an address.
var ErrUnreachable = errors.New("no mail reaches this address: hand the link on yourself, or give them a sign-in slip")

// AskForAnother tells whoever made an invitation that somebody who is signed in
// with another address would accept it with that.
func (h *House) AskForAnother(ctx context.Context, a Actor, token string) error {
	o, err := h.Offer(ctx, token)
	if err != nil {
		return err
	}
	if o == nil || o.Over {
		return ErrInvitationEnded
	}
	site := h.State().SiteAddress(o.To[0].Site)
	return h.tell(ctx, h.DB, []store.Who{o.By}, site, "request",
		fmt.Sprintf("%s (%s) has the invitation to %s, and asks to be invited under their own address.", a.Name, a.Address, o.Address), "/sites/"+site+"/team")
}

// ChangeInvitation changes what somebody who has not answered yet is invited to.
func (h *House) ChangeInvitation(ctx context.Context, a Actor, site, id string, to access.TeamEntry) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayManageTeam(a, site); err != nil {
		return err
	}
	s := h.State()
	inv, err := store.FindInvitation(ctx, h.DB, id)
	if err != nil {
		return err
	}
	at := -1
	if inv != nil && inv.Status == "waiting" && inv.Stay == "" {
		at = slices.IndexFunc(inv.To, func(t store.Invited) bool { return t.Site == h.id(site) })
	}
	if at < 0 {
		return ErrNothing
	}
	changes := h.beginChanges()
	doc := changes.site(site)
	i := slices.IndexFunc(doc.Team, func(e access.TeamEntry) bool {
		return !e.Accepted && s.Names(e, inv.Who) && e.Under == inv.To[at].Under
	})
	if i < 0 {
		return ErrNothing
	}
	e := &doc.Team[i]
	e.Role, e.Under, e.From, e.Until = to.Role, cmp.Or(to.Under, "/"), to.From, to.Until
	var problems access.Problems
	var refusal access.TeamRefusal
	switch err := changes.check(h, s.Identity(a.Who)); {
	case errors.As(err, &refusal):
		return FieldErrors{"role": refusal.Text}
	case errors.As(err, &problems):
		return FieldErrors{"role": "This role, section or time does not fit: " + problems[0].Text + "."}
	case err != nil:
		return err
	}
	inv.To[at].Under, inv.To[at].Role = e.Under, e.Role
	return changes.put(ctx, h, func(tx *sql.Tx) error {
		return errors.Join(store.SaveInvitation(ctx, tx, *inv),
			h.ledger(ctx, tx, a.Address.String(), site, "invitation", fmt.Sprintf("The invitation to %s is to be %s now.", h.NameOf(inv.Who), e.Role), "", ""))
	})
}
