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
	memberships, err := store.Memberships[Membership](ctx, q)
	if err != nil {
		return fmt.Errorf("reading memberships: %w", err)
	}
	s.Memberships = byAddress(s, memberships)
	return s.readComments(ctx, q, "")
}

// readComments reads the comments of all sites, or of one.
func (s *State) readComments(ctx context.Context, q store.Queryer, site string) error {
	list, err := store.ShownComments(ctx, q, s.ID(site))
	if err != nil {
		return err
	}
	if site == "" {
		s.Comments = map[string]map[string][]store.Comment{}
	} else {
		s.Comments = maps.Clone(s.Comments)
		delete(s.Comments, site)
	}
	for _, c := range list {
		site := s.addresses[c.Site]
		if s.Comments[site] == nil {
			s.Comments[site] = map[string][]store.Comment{}
		}
		s.Comments[site][c.Path] = append(s.Comments[site][c.Path], c)
	}
	return nil
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
	h.writing.Lock()
	defer h.writing.Unlock()
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
	s := h.State()
	next := *s
	next.Memberships = maps.Clone(s.Memberships)
	next.Memberships[site] = m
	err := store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(store.SaveMembership(ctx, tx, h.id(site), m), h.ledger(ctx, tx, a.Address.String(), site, "member", "What membership is like was changed.", "", ""))
	})
	if err != nil {
		return err
	}
	h.swapFor(&next, site)
	return nil
}

// Applying is somebody who wants to become a member of a site.
type Applying struct {
	Site          store.SiteID
	Path          string
	Name, Address string // of who is not signed in
	Password      string // likewise; its hash once it is on its way
	Answers       []string
	Agreed        bool
}

// SignUpOpen reports whether somebody may become a member of a site by themselves;
// why says in words when not.
func (h *House) SignUpOpen(site string, who store.Who) (why string) {
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
	if address, there := s.AddressOf(who); !there || len(doc.SignUp.Domains) > 0 && !matchesAny(doc.SignUp.Domains, address) {
		return "Only addresses at " + alternatives(doc.SignUp.Domains) + " can become members here."
	}
	return ""
}

func (h *House) checkApplying(site string, a Applying, signedIn store.Who) (access.Address, error) {
	wrong := FieldErrors{}
	m := h.State().Memberships[site]
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
		if _, text := nameTyped(a.Name); text != "" {
			wrong["name"] = text
		}
		if text := passwordProblem(a.Password, a.Name, a.Address); text != "" {
			wrong["password"] = text
		}
	}
	if wrong["address"] == "" {
		if doc := h.State().SiteDocument(site); doc != nil && len(doc.SignUp.Domains) > 0 && !matchesAny(doc.SignUp.Domains, address) {
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
func (h *House) ApplyForMembership(ctx context.Context, site string, a Applying, signedIn store.Who, from From, linkTo func(token string) string) (letter bool, err error) {
	a.Site = h.id(site)
	if why := h.SignUpOpen(site, signedIn); why != "" {
		return false, FieldErrors{"closed": why}
	}
	address, err := h.checkApplying(site, a, signedIn)
	if err != nil {
		return false, err
	}
	if _, err := h.CountForm("sign up", from); err != nil { // one that was wrong does not count
		return false, err
	}
	if signedIn != "" {
		return false, h.becomeMember(ctx, signedIn, "", a)
	}
	a.Name, _ = nameTyped(a.Name)
	a.Password, a.Address = identity.HashPassword(a.Password), address.String()
	title := h.title(site)
	return true, h.visitorLetter(ctx, LinkMember, address, site, a, from, linkTo, "Become a member of "+title,
		"Somebody, you we hope, wants to become a member of "+title+" with this address. It counts once you say that the address is yours.", "The address is mine")
}

func (h *House) title(site string) string {
	if doc := h.State().SiteDocument(site); doc != nil {
		return cmp.Or(doc.Title, site)
	}
	return site
}

// visitorLetter mails a link that leads to a site's own host. Where the address has
// been sent many, no further one goes out: those that lie there work.
func (h *House) visitorLetter(ctx context.Context, kind string, address access.Address, site string, detail any, from From, linkTo func(string) string, subject, line, action string) error {
	if _, err := try(h.throttles.asks, "You have asked for several letters to this address.", kind+" "+address.String()+" from "+from.source()); err != nil {
		return err
	}
	if _, err := try(h.throttles.letters, "", address.String()); err != nil {
		return nil
	}
	if _, signsIn := h.State().WhoSignsIn(address); !signsIn { // somebody's before: nothing goes there
		return nil
	}
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
	Session    string // that begins with it; "" where signing in takes more than the letter
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
	p := &Proven{Kind: l.Kind}
	if l.Kind == LinkAsk {
		var ask store.LetIn
		if err := json.Unmarshal([]byte(l.Detail), &ask); err != nil {
			return nil, err
		}
		if ask.Site == "" || ask.Site != h.id(site) {
			return nil, ErrLinkSpent
		}
		p.Path = ask.Path
		if ask.Who, err = h.spend(ctx, token, l.Address, func(*sql.Tx, store.Who) error { return nil }); err != nil {
			return nil, err
		}
		return p, h.ask(ctx, ask)
	}
	var a Applying
	if err := json.Unmarshal([]byte(l.Detail), &a); err != nil {
		return nil, err
	}
	if a.Site == "" || a.Site != h.id(site) {
		return nil, ErrLinkSpent
	}
	who, err := h.spend(ctx, token, l.Address, func(tx *sql.Tx, who store.Who) error {
		return h.accountUnlessThere(ctx, tx, store.Account{Who: who, Name: a.Name, Password: a.Password, SignedIn: true})
	})
	if err != nil {
		return nil, err
	}
	p.Path = cmp.Or(h.State().Memberships[site].First, a.Path, "/")
	if why := h.SignUpOpen(site, who); why == "" {
		if err := h.becomeMember(ctx, who, a.Name, a); err != nil {
			return nil, err
		}
	}
	who = h.State().WhoHas(mustAddress(l.Address)) // a person by now, maybe
	has, err := h.HasSecondStep(ctx, who)
	if err != nil || has || len(h.SecondStepFor(Actor{Who: who})) > 0 {
		return p, err
	}
	id := identity.Token()
	if err := h.Begin(ctx, id, who, "Signed up on "+h.title(site), "a link by mail"); err != nil {
		return nil, err
	}
	p.Session = id
	return p, nil
}

// becomeMember makes somebody a member of a site, or puts them among those who
// wait; who is nobody of the house yet becomes somebody.
func (h *House) becomeMember(ctx context.Context, who store.Who, name string, a Applying) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	s := h.State()
	site := s.SiteAddress(a.Site)
	if why := h.SignUpOpen(site, who); why != "" {
		return FieldErrors{"closed": why}
	}
	if name == "" {
		name = h.NameOf(who)
	}
	m := s.Memberships[site]
	profile := store.Profile{Since: h.now(), Agreed: m.Terms}
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
	doc := editable(s.Policy.Document())
	profile.Person = h.becomePersonAs(doc, who, name)
	i := sitePosition(s, site)
	place := *doc.Sites[i]
	place.Members = append(slices.Clone(place.Members), access.Member{Who: profile.Person, Status: status})
	doc.Sites[i] = &place
	then, err := access.Compile(doc, s.Policy)
	if err != nil {
		return err
	}
	address, _ := s.AddressOf(who)
	return h.putHouse(ctx, address.String(), HouseChange{What: what, Also: func(ctx context.Context, tx *sql.Tx) error {
		err := errors.Join(store.SaveProfile(ctx, tx, a.Site, profile), h.ledger(ctx, tx, address.String(), site, "member", what, "", status))
		if status == "pending" {
			err = errors.Join(err, h.tell(ctx, tx, h.whoMay(s, site, access.ManageMembers), site, "request", name+" asks to become a member of "+h.title(site)+".", readersView(site)))
		}
		return err
	}}, then)
}

// Ask asks to be let in to a site, for who is signed in (l.Who); for others a letter
// goes to their address first.
func (h *House) Ask(ctx context.Context, site, address string, l store.LetIn, from From, linkTo func(string) string) (letter bool, err error) {
	if l.Word = strings.TrimSpace(l.Word); len(l.Word) > 1000 {
		return false, FieldErrors{"word": "Use at most 1000 letters."}
	}
	l.At, l.Site = h.now(), h.id(site)
	if l.Who != "" {
		if _, err := h.CountForm("ask", from); err != nil {
			return false, err
		}
		return false, h.ask(ctx, l)
	}
	a, err := access.ParseAddress(strings.TrimSpace(address))
	if err != nil {
		return false, FieldErrors{"address": "This is " + err.Error() + "."}
	}
	if !h.State().Settings.Reaches(a) {
		return false, FieldErrors{"address": "No mail reaches this address. Sign in with it first."}
	}
	if _, err := h.CountForm("ask", from); err != nil {
		return false, err
	}
	title := h.title(site)
	return true, h.visitorLetter(ctx, LinkAsk, a, site, l, from, linkTo, "Ask to be let in to "+title,
		"Somebody, you we hope, asks to be let in to "+title+" with this address. The question goes on once you say that the address is yours.", "The address is mine, go on")
}

func (h *House) ask(ctx context.Context, l store.LetIn) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	s := h.State()
	site := s.SiteAddress(l.Site)
	if site == "" || !s.Identity(l.Who).Known() {
		return ErrNoSite
	}
	return store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(store.SaveLetIn(ctx, tx, l),
			h.tell(ctx, tx, h.whoMay(s, site, access.ManageMembers), site, "request", h.NameOf(l.Who)+" asks to be let in to "+h.title(site)+".", readersView(site)+"#asking"))
	})
}

// stopToken is what a link to stop a site's letters to a member carries.
func (h *House) stopToken(site store.SiteID, person string) string {
	mac := hmac.New(sha256.New, h.cookieKey)
	mac.Write([]byte("stop " + string(site) + " " + person))
	text := append([]byte(string(site)+" "+person+" "), mac.Sum(nil)[:16]...)
	return base64.RawURLEncoding.EncodeToString(text)
}

// Stop reads a link to stop a site's letters, and stops them where that is meant.
func (h *House) Stop(ctx context.Context, token string, meant bool) (site, address string, err error) {
	raw, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil || len(raw) < 18 {
		return "", "", ErrLinkSpent
	}
	parts := strings.SplitN(string(raw[:len(raw)-16]), " ", 3)
	if len(parts) != 3 || !hmac.Equal([]byte(token), []byte(h.stopToken(store.SiteID(parts[0]), parts[1]))) {
		return "", "", ErrLinkSpent
	}
	id, person := store.SiteID(parts[0]), parts[1]
	s := h.State()
	if at, err := access.ParseAddress(person); err == nil { // letters of earlier versions named both by their addresses
		id, person = s.ID(cmp.Or(s.Old[parts[0]], parts[0])), string(s.WhoHas(at))
	}
	to, there := s.AddressOf(store.Who(person))
	if site = s.SiteAddress(id); site == "" || !there {
		return "", "", ErrLinkSpent
	}
	if !meant {
		return site, to.String(), nil
	}
	profile, err := store.FindProfile(ctx, h.DB, id, person)
	if err == nil {
		profile.NoMail = true
		err = store.SaveProfile(ctx, h.DB, id, profile)
	}
	return site, to.String(), err
}

// WriteToMembers writes a letter to members of a site, all of them or some. Who
// wants none gets none.
func (h *House) WriteToMembers(ctx context.Context, a Actor, site string, to []string, subject, text string) (sent, unwanted int, err error) {
	h.writing.Lock()
	defer h.writing.Unlock()
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
	profiles, err := store.Profiles(ctx, h.DB, h.id(site))
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
				Stop: h.ConsoleURL + "/stop/" + h.stopToken(h.id(site), p.ID),
			})
			if err != nil {
				return err
			}
		}
		return h.ledger(ctx, tx, a.Address.String(), site, "member", fmt.Sprintf("A letter to %d members: %s", sent, subject), "", "")
	})
	return sent, unwanted, err
}
