package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// Slip lets somebody sign in for the first time whom no mail reaches.
type Slip struct{ Name, Address, Code string }

// plainCode takes off a first code how it is printed.
func plainCode(code string) string {
	return strings.ToLower(strings.NewReplacer("-", "", " ", "", "–", "").Replace(code))
}

// MakeSlips gives people of a group new first codes, which they must change when
// they sign in. The codes are given here once and kept nowhere. Whoever may not
// get one is told with why: those whom mail reaches, and for the keepers of a
// group everybody who is more than a learner in it.
func (h *House) MakeSlips(ctx context.Context, a Actor, group string, people []string, again bool) (slips []Slip, left []RosterRow, err error) {
	if err := h.mayChangeHouse(ctx, a, group); err != nil {
		return nil, nil, err
	}
	s := h.State()
	members := s.Policy.GroupMembers(group, access.At(h.now()))
	var accounts []*store.Account
	for _, id := range members {
		if len(people) > 0 && !slices.Contains(people, id) {
			continue
		}
		p := personAt(s.Policy.Document(), id)
		at := mustAddress(p.Address)
		why, err := h.noSlip(ctx, a, *p, at)
		if err != nil {
			return nil, nil, err
		}
		account, err := h.Account(ctx, at)
		if err != nil {
			return nil, nil, err
		}
		if why == "" && !again && account.Password != "" && !account.MustChange {
			why = "has a password of their own: give them a new slip by name if they lost it"
		}
		if why != "" {
			left = append(left, RosterRow{Name: p.Name, Address: p.Address, Text: why})
			continue
		}
		account.Name = p.Name
		accounts = append(accounts, account)
		slips = append(slips, Slip{p.Name, at.String(), identity.FirstCode()})
	}
	var hashing sync.WaitGroup
	for i := range accounts {
		hashing.Go(func() { accounts[i].Password = identity.HashPassword(plainCode(slips[i].Code)) })
	}
	hashing.Wait()
	if len(slips) == 0 {
		return nil, left, nil
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		for _, account := range accounts {
			account.MustChange, account.TOTP, account.TOTPUsed = true, "", 0
			if err := errors.Join(h.saveAccount(ctx, tx, *account), store.SaveRecoveryCodes(ctx, tx, account.Address, nil)); err != nil {
				return err
			}
		}
		what := fmt.Sprintf("New sign-in slips in %s for %d people.", Wording{Document: s.Policy.Document()}.Group(group), len(slips))
		if len(slips) == 1 {
			what = fmt.Sprintf("A new sign-in slip in %s for %s.", Wording{Document: s.Policy.Document()}.Group(group), slips[0].Name)
		}
		return h.ledger(ctx, tx, a.Address.String(), "", "people", what, "", "")
	})
	for _, slip := range slips {
		err = errors.Join(err, h.SignOutEverywhere(ctx, mustAddress(slip.Address), ""))
	}
	return slips, left, err
}

// noSlip says why somebody gets no slip from the one who makes them, or "".
func (h *House) noSlip(ctx context.Context, a Actor, p access.Person, at access.Address) (string, error) {
	s := h.State()
	switch {
	case p.Blocked:
		return "is blocked", nil
	case s.Settings.Reaches(at):
		return "is reached by mail: they can have a link sent", nil
	case h.IsSteward(a):
		return "", nil
	case p.Steward:
		return "is a steward of the house", nil
	}
	kept, err := store.KeptBy(ctx, h.DB, at.String())
	if err != nil {
		return "", err
	}
	if len(kept) > 0 {
		return "keeps a group themself: a steward can do it", nil
	}
	for _, site := range s.Policy.Document().Sites {
		if caps := h.CanAnywhere(h.Actor(at), site.Address) &^ h.CanAnywhere(a, site.Address); caps != 0 {
			return "may do on a site what you may not: a steward can do it", nil
		}
	}
	return "", nil
}

// NewJoinCode makes a code that lets people into a group who say it.
func (h *House) NewJoinCode(ctx context.Context, a Actor, group string, ends time.Time, most int, approval bool) (store.JoinCode, error) {
	c := store.JoinCode{Code: identity.SayableCode(), Group: group, By: a.Address.String(), At: h.now(), Ends: ends, Most: most, Approval: approval}
	if err := h.mayChangeHouse(ctx, a, group); err != nil {
		return c, err
	}
	wrong := FieldErrors{}
	if !h.now().Before(ends) || ends.Sub(h.now()) > 366*24*time.Hour {
		wrong["ends"] = "A code ends within a year from now."
	}
	if most < 1 || most > 1000 {
		wrong["most"] = "A code lets in 1 to 1000 people."
	}
	if len(wrong) > 0 {
		return c, wrong
	}
	policy := h.State().Policy
	doc := policy.Document()
	in := func(outer string) bool {
		return slices.ContainsFunc(groupsWithin(doc, outer), func(g *access.Group) bool { return g.ID == group })
	}
	if err := h.mayGiveRightsOf(a, policy, in); err != nil { // whoever says the code would get them
		return c, err
	}
	what := fmt.Sprintf("A join code for %s, until %s, for %d.", Wording{Document: doc}.Group(group), Moment(ends.In(h.State().Zone)), most)
	return c, store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(store.SaveJoinCode(ctx, tx, c), h.ledger(ctx, tx, a.Address.String(), "", "people", what, "", ""))
	})
}

// DropJoinCode ends a join code.
func (h *House) DropJoinCode(ctx context.Context, a Actor, group, code string) error {
	if err := h.mayChangeHouse(ctx, a, group); err != nil {
		return err
	}
	return store.DropJoinCode(ctx, h.DB, group, code)
}

// Joining is somebody who says a join code.
type Joining struct {
	Code, Name, Password string
	Me                   *Actor // where they are signed in
}

// Joined is what came of it.
type Joined struct {
	Group   string // its name
	Address string // what they sign in with
	Waits   bool   // until it is approved
}

// ErrNoSuchCode says that a join code lets nobody in.
var ErrNoSuchCode = FieldErrors{"code": "This code lets nobody in. It may have ended; ask whoever gave it to you."}

// AskJoinCode tells for which group a join code is, and what address the one who
// says it would get; "" where they must be signed in.
func (h *House) AskJoinCode(ctx context.Context, code, from string) (*store.JoinCode, error) {
	forgive, wait := h.passGuesses.Try(time.Now(), "join from "+from)
	if wait > 0 {
		return nil, TryLater{wait}
	}
	c, err := store.FindJoinCode(ctx, h.DB, strings.Join(strings.FieldsFunc(strings.ToLower(code), func(r rune) bool { return r == ' ' || r == '-' }), "-"))
	if err != nil {
		return nil, err
	}
	if c == nil || !h.now().Before(c.Ends) || c.Used >= c.Most || GroupAt(h.State().Policy.Document(), c.Group) == nil {
		return nil, ErrNoSuchCode
	}
	forgive()
	return c, nil
}

// classDomain is where accounts without a mailbox are made; "" where there is none.
func (s *State) classDomain() string {
	for _, d := range s.Settings.NoMail {
		if !strings.HasPrefix(d, "*.") {
			return d
		}
	}
	return ""
}

// Join lets somebody into a group who says its code, at once or after approval.
func (h *House) Join(ctx context.Context, j Joining, from string) (*Joined, error) {
	c, err := h.AskJoinCode(ctx, j.Code, from)
	if err != nil {
		return nil, err
	}
	r := store.JoinRequest{Group: c.Group, At: h.now()}
	if j.Me != nil {
		r.Address, r.Name = j.Me.Address.String(), j.Me.Name
	} else if r, err = h.newLearner(ctx, j, r); err != nil {
		return nil, err
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	out := &Joined{Group: Wording{Document: h.State().Policy.Document()}.Group(c.Group), Address: r.Address, Waits: c.Approval}
	use := func(ctx context.Context, tx *sql.Tx) error {
		left, err := store.UseJoinCode(ctx, tx, c.Code)
		if err == nil && !left {
			err = ErrNoSuchCode
		}
		return err
	}
	if !c.Approval {
		return out, h.letIn(ctx, h.Actor(mustAddress(c.By)), r, use)
	}
	keepers, err := store.Keepers(ctx, h.DB, c.Group)
	if err != nil {
		return nil, err
	}
	return out, store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(use(ctx, tx), store.SaveJoinRequest(ctx, tx, r),
			h.tell(ctx, tx, append(keepers, c.By), "", "request", fmt.Sprintf("%s asks to join %s.", r.Name, out.Group), "/groups/"+c.Group))
	})
}

// newLearner makes the address and the password of somebody who joins without an account.
func (h *House) newLearner(ctx context.Context, j Joining, r store.JoinRequest) (store.JoinRequest, error) {
	s := h.State()
	domain := s.classDomain()
	if domain == "" {
		return r, FieldErrors{"code": "Sign in first, then say the code."}
	}
	wrong := FieldErrors{}
	if r.Name = strings.TrimSpace(j.Name); r.Name == "" || len(r.Name) > 80 {
		wrong["name"] = "Say what you are called."
	}
	if text := passwordProblem(j.Password, r.Name); text != "" {
		wrong["password"] = text
	}
	if len(wrong) > 0 {
		return r, wrong
	}
	waiting, err := store.JoinRequests(ctx, h.DB, r.Group)
	if err != nil {
		return r, err
	}
	var failed error
	local := freeID(r.Name, "learner", func(local string) bool {
		a := access.Address{Local: local, Domain: domain}
		_, known := s.Policy.PersonOf(s.Policy.Address(a))
		account, err := store.FindAccount(ctx, h.DB, a.String())
		failed = errors.Join(failed, err)
		return err == nil && (known || account != nil || slices.ContainsFunc(waiting, func(w store.JoinRequest) bool { return w.Address == a.String() }))
	})
	r.Address, r.Password = local+"@"+domain, identity.HashPassword(j.Password)
	return r, failed
}

// letIn puts somebody who joins into their group, under the right of whoever
// gave the code or approves; who is nobody of the house yet becomes somebody.
func (h *House) letIn(ctx context.Context, by Actor, r store.JoinRequest, also func(ctx context.Context, tx *sql.Tx) error) error {
	a := mustAddress(r.Address)
	name := Wording{Document: h.State().Policy.Document()}.Group(r.Group)
	return h.applyHouse(ctx, by, HouseChange{
		Group: r.Group, What: fmt.Sprintf("%s (%s) joined %s.", r.Name, r.Address, name),
		Do: func(doc *access.Document) error {
			id := becomePerson(doc, a, r.Name)
			g := GroupAt(doc, r.Group)
			if g == nil {
				return ErrNothing
			}
			if !slices.Contains(g.People, id) {
				g.People = append(g.People, id)
			}
			return nil
		},
		Also: func(ctx context.Context, tx *sql.Tx) error {
			if r.Password != "" {
				if err := h.saveAccount(ctx, tx, store.Account{Address: a.String(), Name: r.Name, Password: r.Password}); err != nil {
					return err
				}
			}
			return also(ctx, tx)
		},
	})
}

// AnswerJoin lets somebody who waits into a group, or refuses them.
func (h *House) AnswerJoin(ctx context.Context, a Actor, group string, id int64, admit bool) error {
	if err := h.mayChangeHouse(ctx, a, group); err != nil {
		return err
	}
	h.writing.Lock()
	defer h.writing.Unlock()
	list, err := store.JoinRequests(ctx, h.DB, group)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(list, func(r store.JoinRequest) bool { return r.ID == id })
	if i < 0 {
		return ErrNothing
	}
	if !admit {
		return store.DropJoinRequest(ctx, h.DB, id)
	}
	return h.letIn(ctx, a, list[i], func(ctx context.Context, tx *sql.Tx) error { return store.DropJoinRequest(ctx, tx, id) })
}
