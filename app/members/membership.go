package members

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/identity"
	"velada/limits"
	"velada/post"
	"velada/store"
	"velada/words"
)

// readersView is where the members of a site are looked after.
func readersView(address string) string { return "/sites/" + address + "/members" }

// SetMembership sets what membership of a site is like. Who may sign up is access, and
// rehearsed. It returns house.FieldErrors.
func SetMembership(ctx context.Context, h *house.House, a house.Actor, site string, m house.Membership) error {
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageMembers}, func(tx *house.Tx) error {
		wrong := house.FieldErrors{}
		paths := func(field string, list []string) {
			for i, p := range list {
				normal, err := access.DocumentPath(p)
				if err != nil {
					wrong[field] = fmt.Sprintf("“%s” is no path: %v.", p, err)
					continue
				}
				list[i] = normal
			}
		}
		paths("comments", m.Comments)
		if m.First != "" {
			first := []string{m.First}
			paths("first", first)
			m.First = first[0]
		}
		if len(m.Questions) > house.MostQuestions {
			wrong["questions"] = fmt.Sprintf("Ask at most %d questions.", house.MostQuestions)
		}
		if limits.Longer(m.SignIn, house.MostLabel) || limits.Longer(m.Yours, house.MostLabel) {
			wrong["sign_in"] = fmt.Sprintf("Use at most %d letters.", house.MostLabel)
		}
		if len(wrong) > 0 {
			return wrong
		}
		tx.Renew(tx.State().ID(site), house.MembershipOf)
		tx.Log(site, "member", "The membership settings changed.", "", "")
		return store.SaveMembership(ctx, tx, tx.State().ID(site), m)
	})
}

// Applying is somebody who wants to become a member of a site.
type Applying struct {
	Site          store.SiteID
	Path          string
	Name, Address string // of who is not signed in
	Answers       []string
	Agreed        bool
}

// SignUpOpen reports whether somebody may become a member of a site by themselves;
// why says in words when not.
func SignUpOpen(h *house.House, site string, who store.Who) (why string) {
	s := h.State()
	doc := s.SiteDocument(site)
	if doc == nil || doc.SignUp.Mode == "" || doc.SignUp.Mode == "closed" {
		return "Nobody can become a member here on their own."
	}
	if who == "" {
		return ""
	}
	if p, known := s.Policy.PersonOf(s.Identity(who)); known {
		for _, m := range doc.Members {
			if m.Who == p.ID {
				return map[string]string{"pending": "You have asked already: your request is waiting.", "approved": "You are a member already.", "blocked": "You cannot become a member here."}[m.Status]
			}
		}
		if p.Blocked {
			return "You cannot become a member here."
		}
	}
	if address, there := s.AddressOf(who); !there || len(doc.SignUp.Domains) > 0 && !access.MatchesAny(doc.SignUp.Domains, address) {
		return "Only addresses at " + words.Or(doc.SignUp.Domains) + " can become members here."
	}
	return ""
}

func checkApplying(h *house.House, site string, a Applying, signedIn store.Who) (access.Address, error) {
	wrong := house.FieldErrors{}
	m := h.State().Site(site).Membership
	var address access.Address
	if signedIn != "" {
		address, _ = h.State().AddressOf(signedIn)
	} else {
		var err error
		if address, err = access.ParseAddress(strings.TrimSpace(a.Address)); err != nil {
			wrong["address"] = "This is " + err.Error() + "."
		} else if !h.State().Settings.Reaches(address) {
			wrong["address"] = "No mail reaches this address, so that it cannot be proven. Sign in with it first."
		}
		if _, text := house.NameTyped(a.Name); text != "" {
			wrong["name"] = text
		}
	}
	if wrong["address"] == "" {
		if doc := h.State().SiteDocument(site); doc != nil && len(doc.SignUp.Domains) > 0 && !access.MatchesAny(doc.SignUp.Domains, address) {
			wrong["address"] = "Only addresses at " + words.Or(doc.SignUp.Domains) + " can become members here."
		}
	}
	for i := range m.Questions {
		if i >= len(a.Answers) || strings.TrimSpace(a.Answers[i]) == "" {
			wrong[fmt.Sprintf("answer%d", i)] = "Please answer this."
		} else if limits.Longer(a.Answers[i], house.MostAbout) {
			wrong[fmt.Sprintf("answer%d", i)] = fmt.Sprintf("Use at most %d letters.", house.MostAbout)
		}
	}
	if m.Terms != "" && !a.Agreed {
		wrong["agreed"] = "Without it you cannot become a member."
	}
	if len(wrong) > 0 {
		return address, wrong
	}
	return address, nil
}

// LinkMember and LinkAsk are the kinds of links by which a visitor of a site
// proves their address.
const (
	LinkMember = "member"
	LinkAsk    = "ask"
)

// ApplyForMembership begins a membership. Who is signed in asks at once; for others a
// letter goes to their address first, and nothing counts before its link is followed. It
// returns house.FieldErrors, or identity.TryLater.
func ApplyForMembership(ctx context.Context, h *house.House, site string, a Applying, signedIn store.Who, from house.From, linkTo func(token string) string) (letter bool, err error) {
	a.Site = h.SiteID(site)
	if why := SignUpOpen(h, site, signedIn); why != "" {
		return false, house.FieldErrors{"closed": why}
	}
	address, err := checkApplying(h, site, a, signedIn)
	if err != nil {
		return false, err
	}
	if _, err := h.CountForm("sign up", from); err != nil { // one that was wrong does not count
		return false, err
	}
	if signedIn != "" {
		return false, becomeMember(ctx, h, signedIn, "", a)
	}
	a.Name, _ = house.NameTyped(a.Name)
	a.Address = address.String()
	title := h.State().SiteTitle(site)
	return true, visitorLetter(ctx, h, LinkMember, address, site, a, from, linkTo, "Become a member of "+title,
		"Somebody, you we hope, wants to become a member of "+title+" with this address. Nothing begins before you follow the link and choose a password.", "Go on")
}

// visitorLetter mails a link that leads to a site's own host. Where the address has
// been sent many, no further one goes out: those that lie there work.
func visitorLetter(ctx context.Context, h *house.House, kind string, address access.Address, site string, detail any, from house.From, linkTo func(string) string, subject, line, action string) error {
	if _, err := house.Try(h.Throttles.Asks, "You have asked for several letters to this address.", kind+" "+address.String()+" from "+from.Source()); err != nil {
		return err
	}
	if !h.MayWriteTo(address, kind) {
		return nil
	}
	if _, signsIn := h.State().WhoSignsIn(address); !signsIn { // somebody's before: nothing goes there
		return nil
	}
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		link := tx.MailLink(kind, address.String(), detail, house.LinkLife)
		tx.QueueMail(site, kind, post.Letter{
			To: address.String(), Subject: subject, Lines: []string{line},
			Action: post.Action{Text: action, URL: linkTo(link[strings.LastIndexByte(link, '/')+1:])},
			After:  []string{"It works once, and for half an hour. If you did not ask for it, ignore it: nothing happens."},
		})
		return nil
	})
}

// Proven is somebody who has shown, on a site's host, that an address is theirs.
type Proven struct {
	Kind, Path string
	Session    string // that begins with it; "" where signing in takes more than the letter
}

// Begins is what begins when the link of a letter is followed to its end.
type Begins struct {
	Kind, Address string
	Name          string // as whoever asked was called
	New           bool   // an account, whose name and password whoever followed the link chooses
}

// WhatBegins tells what a link is for. It returns house.ErrLinkSpent where it cannot be followed any
// more, or on another site.
func WhatBegins(ctx context.Context, h *house.House, token, site string) (*Begins, error) {
	l, err := h.Outbox.FindMailLink(ctx, token)
	if err != nil {
		return nil, err
	}
	if l == nil || l.Kind != LinkMember && l.Kind != LinkAsk {
		return nil, house.ErrLinkSpent
	}
	b := &Begins{Kind: l.Kind, Address: l.Address}
	if l.Kind == LinkMember {
		var a Applying
		if err := json.Unmarshal([]byte(l.Detail), &a); err != nil {
			return nil, err
		}
		if a.Site == "" || a.Site != h.SiteID(site) {
			return nil, house.ErrLinkSpent
		}
		who, signsIn := h.State().WhoSignsIn(parts.MustAddress(l.Address))
		if !signsIn {
			return nil, house.ErrLinkSpent
		}
		account, err := store.FindAccount(ctx, h.Reader(), who)
		if err != nil {
			return nil, err
		}
		b.Name, b.New = a.Name, account == nil
	}
	return b, nil
}

// ProveOnSite spends a link of a letter that a site's visitor was sent, and does what it is for. Name
// and password are those of an account that begins with it. It returns house.ErrLinkSpent where the link
// cannot be followed any more, or on another site, and house.FieldErrors.
func ProveOnSite(ctx context.Context, h *house.House, token, site, name, password string) (*Proven, error) {
	l, err := h.Outbox.FindMailLink(ctx, token)
	if err != nil {
		return nil, err
	}
	if l == nil || l.Kind != LinkMember && l.Kind != LinkAsk {
		return nil, house.ErrLinkSpent
	}
	p := &Proven{Kind: l.Kind}
	if l.Kind == LinkAsk {
		var asked store.LetIn
		if err := json.Unmarshal([]byte(l.Detail), &asked); err != nil {
			return nil, err
		}
		if asked.Site == "" || asked.Site != h.SiteID(site) {
			return nil, house.ErrLinkSpent
		}
		p.Path = asked.Path
		if asked.Who, err = h.Outbox.Spend(ctx, token, l.Address, func(*house.Tx, store.Who) error { return nil }); err != nil {
			return nil, err
		}
		return p, ask(ctx, h, asked)
	}
	var a Applying
	if err := json.Unmarshal([]byte(l.Detail), &a); err != nil {
		return nil, err
	}
	if a.Site == "" || a.Site != h.SiteID(site) {
		return nil, house.ErrLinkSpent
	}
	begins, err := WhatBegins(ctx, h, token, site)
	if err != nil {
		return nil, err
	}
	account := store.Account{Name: a.Name}
	if begins.New {
		if account, err = house.AccountTyped(name, password, l.Address); err != nil {
			return nil, err
		}
		a.Name = account.Name
	}
	who, err := h.Outbox.Spend(ctx, token, l.Address, func(tx *house.Tx, who store.Who) error {
		account.Who = who
		tx.NewAccountUnlessThere(account)
		return nil
	})
	if err != nil {
		return nil, err
	}
	p.Path = cmp.Or(h.State().Site(site).Membership.First, a.Path, "/")
	if why := SignUpOpen(h, site, who); why == "" {
		if err := becomeMember(ctx, h, who, a.Name, a); err != nil {
			return nil, err
		}
	}
	who = h.State().WhoHas(parts.MustAddress(l.Address)) // a person by now, maybe
	has, err := h.Sessions.HasSecondStep(ctx, who)
	if err != nil || has || len(h.SecondStepFor(house.Actor{Who: who})) > 0 {
		return p, err
	}
	id := identity.Token()
	if err := h.Sessions.BeginSession(ctx, id, who, "Signed up on "+h.State().SiteTitle(site), "a link by mail"); err != nil {
		return nil, err
	}
	p.Session = id
	return p, nil
}

// becomeMember makes somebody a member of a site, or puts them among those who
// wait; who is nobody of the house yet becomes somebody.
func becomeMember(ctx context.Context, h *house.House, who store.Who, name string, a Applying) error {
	by, _ := h.ActorOf(who)
	return h.Change(ctx, by, house.Needs{Asks: true}, func(tx *house.Tx) error {
		s := tx.State()
		site := s.SiteAddress(a.Site)
		if why := SignUpOpen(h, site, who); why != "" {
			return house.FieldErrors{"closed": why}
		}
		name := cmp.Or(name, by.Name)
		m := s.Site(site).Membership
		profile := store.Profile{Since: tx.Now(), Agreed: m.Terms}
		for i, question := range m.Questions {
			if i >= len(a.Answers) { // asked since they answered
				break
			}
			profile.Answers = append(profile.Answers, store.Answer{Question: question, Answer: strings.TrimSpace(a.Answers[i])})
		}
		status, what := "pending", name+" asks to become a member."
		if s.SiteDocument(site).SignUp.Mode == "instant" {
			status, what = "approved", name+" became a member."
		}
		profile.Person = house.BecomePersonAs(h, tx.Document(), who, name)
		doc := tx.Site(site)
		doc.Members = append(doc.Members, access.Member{Who: profile.Person, Status: status})
		tx.Log("", "people", what, "", "")
		tx.Log(site, "member", what, "", status)
		if status == "pending" {
			tx.Notify(tx.WhoMay(site, access.ManageMembers), site, "request",
				name+" asks to become a member of "+s.SiteTitle(site)+".", readersView(site))
		}
		return store.SaveProfile(ctx, tx, a.Site, profile)
	})
}

// Ask asks to be let in to a site, for who is signed in (l.Who); for others a letter
// goes to their address first. It returns house.FieldErrors, house.ErrNoSite, or
// identity.TryLater.
func Ask(ctx context.Context, h *house.House, site, address string, l store.LetIn, from house.From, linkTo func(string) string) (letter bool, err error) {
	if l.Word = strings.TrimSpace(l.Word); limits.Longer(l.Word, house.MostWord) {
		return false, house.FieldErrors{"word": fmt.Sprintf("Use at most %d letters.", house.MostWord)}
	}
	l.At, l.Site = h.Now(), h.SiteID(site)
	if l.Who != "" {
		if _, err := h.CountForm("ask", from); err != nil {
			return false, err
		}
		return false, ask(ctx, h, l)
	}
	a, err := access.ParseAddress(strings.TrimSpace(address))
	if err != nil {
		return false, house.FieldErrors{"address": "This is " + err.Error() + "."}
	}
	if !h.State().Settings.Reaches(a) {
		return false, house.FieldErrors{"address": "No mail reaches this address. Sign in with it first."}
	}
	if _, err := h.CountForm("ask", from); err != nil {
		return false, err
	}
	title := h.State().SiteTitle(site)
	return true, visitorLetter(ctx, h, LinkAsk, a, site, l, from, linkTo, "Ask to be let in to "+title,
		"Somebody, you we hope, asks to be let in to "+title+" with this address. The question goes on once you say that the address is yours.", "The address is mine, go on")
}

func ask(ctx context.Context, h *house.House, l store.LetIn) error {
	a, _ := h.ActorOf(l.Who)
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		s := tx.State()
		site := s.SiteAddress(l.Site)
		if site == "" || !s.Identity(l.Who).Known() {
			return house.ErrNoSite
		}
		tx.Notify(tx.WhoMay(site, access.ManageMembers), site, "request",
			a.Name+" asks to be let in to "+s.SiteTitle(site)+".", readersView(site)+"#asking")
		return store.SaveLetIn(ctx, tx, l)
	})
}

// Stop reads a link to stop a site's letters to somebody, and stops them where that is
// meant. It returns house.ErrLinkSpent for a link that is none.
func Stop(ctx context.Context, h *house.House, token string, meant bool) (site, address string, err error) {
	id, who, err := h.Outbox.ReadStop(token)
	if err != nil {
		return "", "", err
	}
	s := h.State()
	to, there := s.AddressOf(who)
	if site = s.SiteAddress(id); site == "" || !there {
		return "", "", house.ErrLinkSpent
	}
	if !meant {
		return site, to.String(), nil
	}
	a, _ := h.ActorOf(who)
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error { // the token is the right
		profile, err := store.FindProfile(ctx, tx, id, string(who))
		if err != nil {
			return err
		}
		profile.NoMail = true
		return errors.Join(store.SaveProfile(ctx, tx, id, profile), store.StopNews(ctx, tx, id, who))
	})
	return site, to.String(), err
}

// WriteToMembers writes a letter to members of a site, all of them or some. Who wants
// none gets none. It returns how many letters were written and how many members get none, or
// house.FieldErrors.
func WriteToMembers(ctx context.Context, h *house.House, a house.Actor, site string, to []string, subject, text string) (sent, unwanted int, err error) {
	err = h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageMembers}, func(tx *house.Tx) error {
		wrong := house.FieldErrors{}
		if subject = strings.TrimSpace(subject); subject == "" || limits.Longer(subject, house.MostSubject) || strings.ContainsAny(subject, "\r\n") {
			wrong["subject"] = fmt.Sprintf("Enter a subject of at most %d letters.", house.MostSubject)
		}
		if strings.TrimSpace(text) == "" {
			wrong["text"] = "There is nothing to send yet."
		}
		if len(wrong) > 0 {
			return wrong
		}
		if _, err := house.Try(h.Throttles.ToMany, "This site has sent many messages to its members today.", site); err != nil {
			return house.FieldErrors{"text": err.Error()}
		}
		s := tx.State()
		doc := s.SiteDocument(site)
		profiles, err := store.Profiles(ctx, tx, tx.State().ID(site))
		if err != nil {
			return err
		}
		var lines []string
		for _, part := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n\n") {
			if part = strings.TrimSpace(part); part != "" {
				lines = append(lines, part)
			}
		}
		for _, m := range doc.Members {
			if m.Status != "approved" || len(to) > 0 && !slices.Contains(to, m.Who) {
				continue
			}
			p := parts.PersonAt(s.Policy.Document(), m.Who)
			if profiles[m.Who].NoMail || p == nil || !s.Settings.Reaches(parts.MustAddress(p.Address)) {
				unwanted++
				continue
			}
			written := tx.QueueMail(site, "letter", post.Letter{
				To: parts.Canonical(p.Address), Subject: subject, Lines: lines, After: []string{"You get this as a member of " + s.SiteTitle(site) + "."},
				Stop: h.Outbox.StopLink(s.ID(site), store.Who(p.ID)),
			})
			if written {
				sent++
			} else {
				unwanted++
			}
		}
		tx.Log(site, "member", fmt.Sprintf("A letter to %s: %s", words.Count(sent, "member", "members"), subject), "", "")
		return nil
	})
	return sent, unwanted, err
}
