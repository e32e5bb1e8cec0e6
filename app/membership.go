package app

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"velada/core/access"
	"velada/identity"
	"velada/post"
	"velada/store"
)

// Membership is what being a member of a site is like, beside who may sign up.
type Membership struct {
	Questions []string `json:"questions,omitempty"`
	Terms     string   `json:"terms,omitempty"`  // a text to agree to
	Corner    string   `json:"corner,omitempty"` // where the sign-in corner stands: head, foot; "" shows none to strangers
	SignIn    string   `json:"sign_in,omitempty"`
	Yours     string   `json:"yours,omitempty"`
	First     string   `json:"first,omitempty"` // the page that people see first, signing in or signing up
	List      bool     `json:"list,omitempty"`  // members see a list of members
	NoAsking  bool     `json:"no_asking,omitempty"`
	Comments  []string `json:"comments,omitempty"` // at and below these paths members write comments
	Held      bool     `json:"held,omitempty"`     // comments wait until they are approved
}

// SignInWords and YoursWords are what the sign-in corner says.
func (m Membership) SignInWords() string { return cmp.Or(m.SignIn, "Sign in") }

// YoursWords is what leads a member to their own page.
func (m Membership) YoursWords() string { return cmp.Or(m.Yours, "Your page") }

// WantsComments reports whether members may write comments on a page.
func (m Membership) WantsComments(path string) bool {
	return slices.ContainsFunc(m.Comments, func(p string) bool { return p == "/" || path == p || strings.HasPrefix(path, p+"/") })
}

func (s *State) readMemberships(ctx context.Context, q store.Queryer) (err error) {
	if s.Memberships, err = store.Memberships[Membership](ctx, q); err != nil {
		return fmt.Errorf("reading memberships: %w", err)
	}
	list, err := store.ShownComments(ctx, q)
	s.Comments = map[string]map[string][]store.Comment{}
	for _, c := range list {
		if s.Comments[c.Site] == nil {
			s.Comments[c.Site] = map[string][]store.Comment{}
		}
		s.Comments[c.Site][c.Path] = append(s.Comments[c.Site][c.Path], c)
	}
	return err
}

// readersView is where the members of a site are looked after.
func readersView(address string) string { return "/sites/" + address + "/members" }

func (h *House) mayAdmit(a Actor, site string) error {
	switch caps := h.Can(a, site, "/"); {
	case caps.Has(access.ManageMembers):
		return nil
	case caps == 0:
		return ErrNoSite
	}
	return ErrMayNot
}

// SetMembership sets what membership of a site is like. Who may sign up is
// access, and rehearsed.
func (h *House) SetMembership(ctx context.Context, a Actor, site string, m Membership) error {
	if err := h.mayAdmit(a, site); err != nil {
		return err
	}
	wrong := FieldErrors{}
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
	if len(m.Questions) > 10 {
		wrong["questions"] = "Ask at most ten questions."
	}
	if len(m.SignIn) > 40 || len(m.Yours) > 40 {
		wrong["sign_in"] = "Use at most 40 letters."
	}
	if len(wrong) > 0 {
		return wrong
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	s := h.State()
	next := *s
	next.Memberships = maps.Clone(s.Memberships)
	next.Memberships[site] = m
	err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(store.SaveMembership(ctx, tx, site, m), h.ledger(ctx, tx, a.Address.String(), site, "member", "What membership is like was changed.", "", ""))
	})
	if err != nil {
		return err
	}
	h.swap(&next)
	return nil
}

// Applying is somebody who wants to become a member of a site.
type Applying struct {
	Site, Path    string
	Name, Address string // of who is not signed in
	Password      string // likewise; its hash once it is on its way
	Answers       []string
	Agreed        bool
}

// SignUpOpen reports whether somebody may become a member of a site by themselves;
// why says in words when not.
func (h *House) SignUpOpen(site string, who *access.Address) (why string) {
	s := h.State()
	doc := s.SiteDocument(site)
	if doc == nil || doc.SignUp.Mode == "" || doc.SignUp.Mode == "closed" {
		return "Nobody can become a member here on their own."
	}
	if who == nil {
		return ""
	}
	if p, known := s.Policy.PersonOf(s.Policy.Address(*who)); known {
		for _, m := range doc.Members {
			if m.Who == p.ID {
				return map[string]string{"pending": "You have asked already: your request is waiting.", "approved": "You are a member already.", "blocked": "You cannot become a member here."}[m.Status]
			}
		}
		if p.Blocked {
			return "You cannot become a member here."
		}
	}
	if len(doc.SignUp.Domains) > 0 && !matchesAny(doc.SignUp.Domains, *who) {
		return "Only addresses at " + alternatives(doc.SignUp.Domains) + " can become members here."
	}
	return ""
}

func (h *House) checkApplying(a Applying, signedIn *access.Address) (access.Address, error) {
	wrong := FieldErrors{}
	m := h.State().Memberships[a.Site]
	var address access.Address
	if signedIn != nil {
		address = *signedIn
	} else {
		var err error
		if address, err = access.ParseAddress(strings.TrimSpace(a.Address)); err != nil {
			wrong["address"] = "This is " + err.Error() + "."
		} else if !h.State().Settings.Reaches(address) {
			wrong["address"] = "No mail reaches this address, so that it cannot be proven. Sign in with it first."
		}
		if a.Name = strings.TrimSpace(a.Name); a.Name == "" || len(a.Name) > 120 {
			wrong["name"] = "Say what you are called."
		}
		if text := passwordProblem(a.Password, a.Name, a.Address); text != "" {
			wrong["password"] = text
		}
	}
	if wrong["address"] == "" {
		if doc := h.State().SiteDocument(a.Site); doc != nil && len(doc.SignUp.Domains) > 0 && !matchesAny(doc.SignUp.Domains, address) {
			wrong["address"] = "Only addresses at " + alternatives(doc.SignUp.Domains) + " can become members here."
		}
	}
	for i := range m.Questions {
		if i >= len(a.Answers) || strings.TrimSpace(a.Answers[i]) == "" {
			wrong[fmt.Sprintf("answer%d", i)] = "Please answer this."
		} else if len(a.Answers[i]) > 2000 {
			wrong[fmt.Sprintf("answer%d", i)] = "Use at most 2000 letters."
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

// Apply begins a membership. Who is signed in asks at once; for others a letter
// goes to their address first, and nothing counts before its link is followed.
func (h *House) ApplyForMembership(ctx context.Context, a Applying, signedIn *access.Address, linkTo func(token string) string) (letter bool, err error) {
	if why := h.SignUpOpen(a.Site, signedIn); why != "" {
		return false, FieldErrors{"closed": why}
	}
	address, err := h.checkApplying(a, signedIn)
	if err != nil {
		return false, err
	}
	if signedIn != nil {
		return false, h.becomeMember(ctx, address, h.Actor(address).Name, a)
	}
	a.Password, a.Address = identity.HashPassword(a.Password), address.String()
	title := h.title(a.Site)
	return true, h.visitorLetter(ctx, LinkMember, address, a.Site, a, linkTo, "Become a member of "+title,
		"Somebody, you we hope, wants to become a member of "+title+" with this address. It counts once you say that the address is yours.", "The address is mine")
}

func (h *House) title(site string) string {
	if doc := h.State().SiteDocument(site); doc != nil {
		return cmp.Or(doc.Title, site)
	}
	return site
}

// visitorLetter mails a link that leads to a site's own host.
func (h *House) visitorLetter(ctx context.Context, kind string, address access.Address, site string, detail any, linkTo func(string) string, subject, line, action string) error {
	link, err := h.newMailLink(ctx, h.DB, kind, address.String(), detail, linkLife)
	if err != nil {
		return err
	}
	return h.write(ctx, h.DB, site, kind, post.Letter{
		To: address.String(), Subject: subject, Lines: []string{line}, Action: post.Action{Text: action, URL: linkTo(link[strings.LastIndexByte(link, '/')+1:])},
		After: []string{"It works once, and for half an hour. If you did not ask for it, let it lie: nothing happens."},
	})
}

// Proven is somebody who has shown, on a site's host, that an address is theirs.
type Proven struct {
	Kind, Path string
	Address    access.Address
	Ticket     string // to sign in on the site with; "" where that takes more than the letter
}

// ProveOnSite spends a link of a letter that a site's visitor was sent, and does
// what it is for.
func (h *House) ProveOnSite(ctx context.Context, token, site string) (*Proven, error) {
	l, err := h.FindMailLink(ctx, token)
	if err != nil {
		return nil, err
	}
	if l == nil || l.Kind != LinkMember && l.Kind != LinkAsk {
		return nil, ErrLinkSpent
	}
	p := &Proven{Kind: l.Kind, Address: mustAddress(l.Address)}
	if l.Kind == LinkAsk {
		var ask store.LetIn
		if err := json.Unmarshal([]byte(l.Detail), &ask); err != nil {
			return nil, err
		}
		if ask.Site != site {
			return nil, ErrLinkSpent
		}
		p.Path = ask.Path
		if err := h.spend(ctx, token, func(*sql.Tx) error { return nil }); err != nil {
			return nil, err
		}
		return p, h.ask(ctx, ask)
	}
	var a Applying
	if err := json.Unmarshal([]byte(l.Detail), &a); err != nil {
		return nil, err
	}
	if a.Site != site {
		return nil, ErrLinkSpent
	}
	err = h.spend(ctx, token, func(tx *sql.Tx) error {
		account, err := store.FindAccount(ctx, tx, l.Address)
		if err != nil || account != nil {
			return err // a new account never takes the place of one
		}
		return h.saveAccount(ctx, tx, store.Account{Address: l.Address, Name: a.Name, Password: a.Password})
	})
	if err != nil {
		return nil, err
	}
	p.Path = cmp.Or(h.State().Memberships[site].First, a.Path, "/")
	if why := h.SignUpOpen(site, &p.Address); why == "" {
		if err := h.becomeMember(ctx, p.Address, a.Name, a); err != nil {
			return nil, err
		}
	}
	has, err := h.HasSecondStep(ctx, p.Address)
	if err != nil || has || len(h.SecondStepFor(h.Actor(p.Address))) > 0 {
		return p, err
	}
	id := identity.Token()
	if err := h.Begin(ctx, id, p.Address, "Signed up on "+h.title(site), "a link by mail"); err != nil {
		return nil, err
	}
	p.Ticket = h.Tickets.Issue(identity.Ticket{Site: site, Address: p.Address.String(), Console: id}, h.TicketTime())
	return p, nil
}

// becomeMember makes somebody a member of a site, or puts them among those who
// wait; who is nobody of the house yet becomes somebody.
func (h *House) becomeMember(ctx context.Context, address access.Address, name string, a Applying) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	s := h.State()
	if why := h.SignUpOpen(a.Site, &address); why != "" {
		return FieldErrors{"closed": why}
	}
	m := s.Memberships[a.Site]
	profile := store.Profile{Since: h.now(), Agreed: m.Terms}
	for i, question := range m.Questions {
		profile.Answers = append(profile.Answers, store.Answer{Question: question, Answer: strings.TrimSpace(a.Answers[i])})
	}
	status, what := "pending", name+" asks to become a member."
	if s.SiteDocument(a.Site).SignUp.Mode == "instant" {
		status, what = "approved", name+" became a member."
	}
	doc := editable(s.Policy.Document())
	profile.Person = becomePerson(doc, address, name)
	i := sitePosition(s, a.Site)
	place := *doc.Sites[i]
	place.Members = append(slices.Clone(place.Members), access.Member{Who: profile.Person, Status: status})
	doc.Sites[i] = &place
	then, err := access.Compile(doc, s.Policy)
	if err != nil {
		return err
	}
	return h.putHouse(ctx, address.String(), HouseChange{What: what, Also: func(ctx context.Context, tx *sql.Tx) error {
		err := errors.Join(store.SaveProfile(ctx, tx, a.Site, profile), h.ledger(ctx, tx, address.String(), a.Site, "member", what, "", status))
		if status == "pending" {
			err = errors.Join(err, h.tell(ctx, tx, h.whoMay(s, a.Site, access.ManageMembers), a.Site, "request", name+" asks to become a member of "+h.title(a.Site)+".", readersView(a.Site)))
		}
		return err
	}}, then)
}

// Ask asks to be let in, for who is signed in; for others a letter goes to their
// address first.
func (h *House) Ask(ctx context.Context, l store.LetIn, signedIn *access.Address, linkTo func(string) string) (letter bool, err error) {
	if l.Word = strings.TrimSpace(l.Word); len(l.Word) > 1000 {
		return false, FieldErrors{"word": "Use at most 1000 letters."}
	}
	l.At = h.now()
	if signedIn != nil {
		l.Address = signedIn.String()
		return false, h.ask(ctx, l)
	}
	address, err := access.ParseAddress(strings.TrimSpace(l.Address))
	if err != nil {
		return false, FieldErrors{"address": "This is " + err.Error() + "."}
	}
	if !h.State().Settings.Reaches(address) {
		return false, FieldErrors{"address": "No mail reaches this address. Sign in with it first."}
	}
	l.Address = address.String()
	title := h.title(l.Site)
	return true, h.visitorLetter(ctx, LinkAsk, address, l.Site, l, linkTo, "Ask to be let in to "+title,
		"Somebody, you we hope, asks to be let in to "+title+" with this address. The question goes on once you say that the address is yours.", "The address is mine, go on")
}

func (h *House) ask(ctx context.Context, l store.LetIn) error {
	s := h.State()
	if s.SiteDocument(l.Site) == nil {
		return ErrNoSite
	}
	return store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(store.SaveLetIn(ctx, tx, l),
			h.tell(ctx, tx, h.whoMay(s, l.Site, access.ManageMembers), l.Site, "request", h.nameOf(mustAddress(l.Address))+" asks to be let in to "+h.title(l.Site)+".", readersView(l.Site)+"#asking"))
	})
}

// stopToken is what a link to stop a site's letters carries.
func (h *House) stopToken(site, address string) string {
	mac := hmac.New(sha256.New, h.cookieKey)
	mac.Write([]byte("stop " + site + " " + address))
	text := append([]byte(site+" "+address+" "), mac.Sum(nil)[:16]...)
	return base64.RawURLEncoding.EncodeToString(text)
}

// Stop reads a link to stop a site's letters, and stops them where that is meant.
func (h *House) Stop(ctx context.Context, token string, meant bool) (site, address string, err error) {
	raw, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil || len(raw) < 18 {
		return "", "", ErrLinkSpent
	}
	parts := strings.SplitN(string(raw[:len(raw)-16]), " ", 3)
	if len(parts) != 3 || !hmac.Equal([]byte(token), []byte(h.stopToken(parts[0], parts[1]))) {
		return "", "", ErrLinkSpent
	}
	site, address = parts[0], parts[1]
	if !meant {
		return site, address, nil
	}
	p, known := h.State().Policy.PersonOf(h.State().Policy.Address(mustAddress(address)))
	if !known {
		return site, address, nil
	}
	profile, err := store.FindProfile(ctx, h.DB, site, p.ID)
	if err == nil {
		profile.NoMail = true
		err = store.SaveProfile(ctx, h.DB, site, profile)
	}
	return site, address, err
}

// WriteToMembers writes a letter to members of a site, all of them or some. Who
// wants none gets none.
func (h *House) WriteToMembers(ctx context.Context, a Actor, site string, to []string, subject, text string) (sent, unwanted int, err error) {
	if err := h.mayAdmit(a, site); err != nil {
		return 0, 0, err
	}
	wrong := FieldErrors{}
	if subject = strings.TrimSpace(subject); subject == "" || len(subject) > 150 || strings.ContainsAny(subject, "\r\n") {
		wrong["subject"] = "Say what it is about, in at most 150 letters."
	}
	if strings.TrimSpace(text) == "" {
		wrong["text"] = "There is nothing to send yet."
	}
	if len(wrong) > 0 {
		return 0, 0, wrong
	}
	s := h.State()
	doc := s.SiteDocument(site)
	profiles, err := store.Profiles(ctx, h.DB, site)
	if err != nil {
		return 0, 0, err
	}
	var lines []string
	for _, part := range strings.Split(strings.ReplaceAll(text, "\r\n", "\n"), "\n\n") {
		if part = strings.TrimSpace(part); part != "" {
			lines = append(lines, part)
		}
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		for _, m := range doc.Members {
			if m.Status != "approved" || len(to) > 0 && !slices.Contains(to, m.Who) {
				continue
			}
			p := personAt(s.Policy.Document(), m.Who)
			if profiles[m.Who].NoMail || p == nil || !s.Settings.Reaches(mustAddress(p.Address)) {
				unwanted++
				continue
			}
			sent++
			err := h.write(ctx, tx, site, "letter", post.Letter{
				To: canonical(p.Address), Subject: subject, Lines: lines, After: []string{"You get this as a member of " + h.title(site) + "."},
				Stop: h.ConsoleURL + "/stop/" + h.stopToken(site, canonical(p.Address)),
			})
			if err != nil {
				return err
			}
		}
		return h.ledger(ctx, tx, a.Address.String(), site, "member", fmt.Sprintf("A letter to %d members: %s", sent, subject), "", "")
	})
	return sent, unwanted, err
}
