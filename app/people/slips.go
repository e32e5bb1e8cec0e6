package people

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/identity"
	"velada/store"
	"velada/words"
)

// Slip lets somebody sign in for the first time whom no mail reaches.
type Slip struct{ Name, Address, Code string }

// MakeSlips gives people of a group new first codes, which they must change when
// they sign in. The codes are returned here once and kept nowhere. Whoever may not
// get one is told with why: those whom mail reaches, and for the managers of a group
// everybody whose account is more than this group's. A second step stays as it is,
// and everybody who gets a slip is told so.
func MakeSlips(ctx context.Context, h *house.House, a house.Actor, group string, people []string, again bool) (slips []Slip, left []RosterRow, err error) {
	made, _, err := slipsFor(ctx, h, h.Reader(), a, group, people, again)
	if err != nil {
		return nil, nil, err
	}
	codes, hashes := firstCodes(made) // hashed before anything is locked
	err = h.Change(ctx, a, house.Needs{Keeps: group}, func(tx *house.Tx) error {
		made, refused, err := slipsFor(ctx, h, tx, a, group, people, again)
		if err != nil {
			return err
		}
		left = refused
		var names []string
		for _, p := range made {
			who := store.Who(p.ID)
			if hashes[who] == "" { // may get one only since
				continue
			}
			err := tx.NewAccount(store.Account{Who: who, Name: p.Name, Password: hashes[who], MustChange: true, BeganIn: group})
			if errors.Is(err, store.ErrAccount) {
				err = store.SetPassword(ctx, tx, who, hashes[who], true)
			}
			if err != nil {
				return err
			}
			by, in := a.Who, group
			if tx.State().IsSteward(a) {
				in = ""
			}
			tx.Try(store.SetSlipBy(ctx, tx, who, by, in))
			tx.EndSignIns(who, "")
			what := fmt.Sprintf("%s made it. Your password before it no longer works. If you did not ask for a slip, tell a steward.", a.Name)
			tx.NotifyAccount(who, "A new sign-in slip was made for you", what)
			names = append(names, p.Name)
			slips = append(slips, Slip{p.Name, parts.Canonical(p.Address), codes[who]})
		}
		if len(slips) > 0 {
			in := words.Wording{Document: tx.State().Policy.Document()}.Group(group)
			tx.Log("", "people", fmt.Sprintf("New sign-in slips in %s for %s.", in, words.Joined(names, " and ")), "", "")
		}
		return nil
	})
	if err != nil {
		return nil, nil, err
	}
	return slips, left, nil
}

// firstCodes makes a first code for each of some people, and its hash.
func firstCodes(people []access.Person) (codes, hashes map[store.Who]string) {
	codes, hashes = map[store.Who]string{}, map[store.Who]string{}
	var mu sync.Mutex
	var hashing sync.WaitGroup
	for _, p := range people {
		hashing.Go(func() {
			house.Recovered("hashing a first code", func() {
				code := identity.FirstCode()
				hash := identity.HashPassword(identity.PlainCode(code))
				mu.Lock()
				defer mu.Unlock()
				codes[store.Who(p.ID)], hashes[store.Who(p.ID)] = code, hash
			})
		})
	}
	hashing.Wait()
	return codes, hashes
}

// slipsFor lists the people of a group who get a slip, and those who do not.
func slipsFor(ctx context.Context, h *house.House, q store.Reader, a house.Actor, group string, people []string, again bool) (list []access.Person, left []RosterRow, err error) {
	s := h.State()
	if err := s.Allows(ctx, q, a, house.Needs{Keeps: group}, access.At(h.Now())); err != nil {
		return nil, nil, err
	}
	for _, id := range s.Policy.GroupMembers(group, access.At(h.Now())) {
		if len(people) > 0 && !slices.Contains(people, id) {
			continue
		}
		p := parts.PersonAt(s.Policy.Document(), id)
		account, err := store.FindAccount(ctx, q, store.Who(id))
		if err != nil {
			return nil, nil, err
		}
		why, err := noSlip(ctx, h, q, a, group, *p, account)
		if err != nil {
			return nil, nil, err
		}
		if why == "" && !again && account != nil && account.Password != "" && !account.MustChange {
			why = "has a password of their own: give them a new slip by name if they lost it"
		}
		if why != "" {
			left = append(left, RosterRow{Name: p.Name, Address: p.Address, Text: why})
			continue
		}
		list = append(list, *p)
	}
	return list, left, nil
}

// noSlip says why somebody gets no slip from the one who makes them, or "".
func noSlip(ctx context.Context, h *house.House, q store.Reader, a house.Actor, group string, p access.Person, account *store.Account) (string, error) {
	s := h.State()
	who := store.Who(p.ID)
	switch {
	case p.Blocked:
		return "is blocked", nil
	case h.Reaches(who) && s.Settings.Mail != nil:
		return "is reached by mail: they can have a link sent", nil
	case h.Reaches(who) && !h.IsSteward(a): // a keeper does not stand in for somebody's mailbox
		return "has a mailbox, but no mail server is set up: a steward can do it", nil
	case h.IsSteward(a):
		return "", nil
	case p.Steward:
		return "is a steward of the house", nil
	case account != nil && !within(s, group, account.BeganIn):
		return "has an account that began elsewhere: a steward can do it", nil
	case account == nil && inOthers(s, group, p.ID):
		return "is in another group too, and has not begun an account: a steward can do it", nil
	}
	kept, err := store.KeptBy(ctx, q, who)
	if err != nil {
		return "", err
	}
	if len(kept) > 0 {
		return "keeps a group themself: a steward can do it", nil
	}
	for _, site := range s.Policy.Document().Sites {
		if caps := h.CanAnywhere(house.Actor{Who: who}, site.Address) &^ h.CanAnywhere(a, site.Address); caps != 0 {
			return "may do on a site what you may not: a steward can do it", nil
		}
	}
	if s.Policy.OpensMore(s.Identity(who), s.Identity(a.Who), func(of string) bool { return within(s, group, of) || within(s, of, group) }, access.At(h.Now())) {
		return "can open pages that you cannot: a steward can do it", nil
	}
	return "", nil
}

// within reports whether a group is another, or stands in it.
func within(s *house.State, outer, group string) bool {
	return slices.ContainsFunc(parts.GroupsWithin(s.Policy.Document(), outer), func(g *access.Group) bool { return g.ID == group })
}

// inOthers reports whether a group lists somebody that is not within another.
func inOthers(s *house.State, outer, person string) bool {
	return slices.ContainsFunc(s.Policy.Document().Groups, func(g access.Group) bool {
		return slices.Contains(g.People, person) && !within(s, outer, g.ID)
	})
}

// NewJoinCode makes a code that lets people into a group who say it. It returns
// house.FieldErrors; a code ends within a year and lets in up to 1000.
func NewJoinCode(ctx context.Context, h *house.House, a house.Actor, group string, ends time.Time, most int, approval bool) (store.JoinCode, error) {
	c := store.JoinCode{Code: identity.SayableCode(), Group: group, By: a.Who, At: h.Now(), Ends: ends, Most: most, Approval: approval}
	return c, h.Change(ctx, a, house.Needs{Keeps: group}, func(tx *house.Tx) error {
		wrong := house.FieldErrors{}
		if !tx.Now().Before(ends) || ends.Sub(tx.Now()) > house.LongestJoining {
			wrong["ends"] = "A code ends within a year from now."
		}
		if most < 1 || most > house.MostJoining {
			wrong["most"] = fmt.Sprintf("A code lets in 1 to %d people.", house.MostJoining)
		}
		if len(wrong) > 0 {
			return wrong
		}
		s := tx.State()
		doc := s.Policy.Document()
		in := func(outer string) bool {
			return slices.ContainsFunc(parts.GroupsWithin(doc, outer), func(g *access.Group) bool { return g.ID == group })
		}
		if err := house.MayGiveRightsOf(tx, s.Policy, in); err != nil { // whoever says the code would get them
			return err
		}
		what := fmt.Sprintf("A join code for %s, until %s, for %d.", words.Wording{Document: doc}.Group(group), words.Moment(ends.In(s.Zone)), most)
		tx.Log("", "people", what, "", "")
		return store.SaveJoinCode(ctx, tx, c)
	})
}

// DropJoinCode ends a join code.
func DropJoinCode(ctx context.Context, h *house.House, a house.Actor, group, code string) error {
	return h.Change(ctx, a, house.Needs{Keeps: group}, func(tx *house.Tx) error {
		return store.DropJoinCode(ctx, tx, group, code)
	})
}

// Joining is somebody who says a join code.
type Joining struct {
	Code, Name, Password string
	Me                   *house.Actor // where they are signed in
}

// Joined is what came of it.
type Joined struct {
	Group   string // its name
	Address string // what they sign in with
	Waits   bool   // until it is approved
}

// ErrNoSuchCode says that a join code lets nobody in.
var ErrNoSuchCode = house.FieldErrors{"code": "This code lets nobody in. It may have ended; ask whoever gave it to you."}

// AskJoinCode tells for which group a join code is, and what address the one who says it
// would get; "" where they must be signed in. It returns ErrNoSuchCode, or
// identity.TryLater after too many.
func AskJoinCode(ctx context.Context, h *house.House, code string, from house.From) (*store.JoinCode, error) {
	forgive, err := house.Try(h.Throttles.Codes, "Too many codes from your network that are none.", from.Source())
	if err != nil {
		return nil, err
	}
	forgiveAll, err := house.Slow(ctx, h.Throttles.AllCodes, "join codes")
	if err != nil {
		return nil, err
	}
	c, err := store.FindJoinCode(ctx, h.Reader(), strings.Join(strings.FieldsFunc(strings.ToLower(code), func(r rune) bool { return r == ' ' || r == '-' }), "-"))
	if err != nil {
		return nil, err
	}
	if c == nil || codeEnded(ctx, h, c) {
		return nil, ErrNoSuchCode
	}
	forgive()
	forgiveAll()
	return c, nil
}

// codeEnded reports whether a join code lets nobody in any more: it ended or was used
// up, its group is gone, or whoever made it may not let people in now.
func codeEnded(ctx context.Context, h *house.House, c *store.JoinCode) bool {
	return !h.Now().Before(c.Ends) || c.Used >= c.Most || parts.GroupAt(h.State().Policy.Document(), c.Group) == nil ||
		h.Stands(ctx, c.By, house.Needs{Keeps: c.Group}) != nil
}

// classDomain is where accounts without a mailbox are made; "" where there is none.
func classDomain(s *house.State) string {
	for _, d := range s.Settings.NoMail {
		if !strings.HasPrefix(d, "*.") {
			return d
		}
	}
	return ""
}

// Join lets somebody into a group who says its code, at once or after approval. It
// returns ErrNoSuchCode, house.FieldErrors, or identity.TryLater.
func Join(ctx context.Context, h *house.House, j Joining, from house.From) (joined *Joined, err error) {
	c, err := AskJoinCode(ctx, h, j.Code, from)
	if err != nil {
		return nil, err
	}
	r := store.JoinRequest{Group: c.Group, At: h.Now()}
	if j.Me != nil {
		r.Who, r.Name = j.Me.Who, j.Me.Name
	} else if r, err = newLearner(h, j, r); err != nil {
		return nil, err
	}
	if _, err := house.Try(h.Throttles.Joins, "Very many people join by this code just now.", c.Code); err != nil {
		return nil, err
	}
	by, need := house.Velada, house.Needs{}
	if !c.Approval { // by the right of whoever made the code
		by, _ = h.ActorOf(c.By)
		need = house.Needs{Keeps: c.Group}
	}
	err = h.Change(ctx, by, need, func(tx *house.Tx) error {
		if codeEnded(ctx, h, c) { // meanwhile
			return ErrNoSuchCode
		}
		if r.Password != "" {
			if r.Who, err = freeLearner(tx, r.Name); err != nil {
				return err
			}
		}
		joined = &Joined{
			Group: words.Wording{Document: tx.State().Policy.Document()}.Group(c.Group), Waits: c.Approval, Address: h.AddressText(r.Who),
		}
		left, err := store.UseJoinCode(ctx, tx, c.Code)
		if err == nil && !left {
			err = ErrNoSuchCode
		}
		if err != nil {
			return err
		}
		if !c.Approval {
			return letIn(h, tx, r)
		}
		keepers, err := store.Keepers(ctx, tx, c.Group)
		if err != nil {
			return err
		}
		tx.Notify(append(keepers, c.By), "", "request", fmt.Sprintf("%s asks to join %s.", r.Name, joined.Group), "/groups/"+c.Group)
		return store.SaveJoinRequest(ctx, tx, r)
	})
	if err != nil {
		return nil, err
	}
	return joined, nil
}

// newLearner reads what somebody says who joins without an account.
func newLearner(h *house.House, j Joining, r store.JoinRequest) (store.JoinRequest, error) {
	if classDomain(h.State()) == "" {
		return r, house.FieldErrors{"code": "Sign in first, then say the code."}
	}
	wrong := house.FieldErrors{}
	var text string
	if r.Name, text = house.NameTyped(j.Name); text != "" {
		wrong["name"] = text
	}
	if text := identity.PasswordProblem(j.Password, r.Name); text != "" {
		wrong["password"] = text
	}
	if len(wrong) > 0 {
		return r, wrong
	}
	r.Password = identity.HashPassword(j.Password)
	return r, nil
}

// freeLearner makes up an address for a learner that nobody has, had, or waits
// under.
func freeLearner(tx *house.Tx, name string) (store.Who, error) {
	s := tx.State()
	domain := classDomain(s)
	var failed error
	local := parts.FreeID(name, "learner", func(local string) bool {
		a := access.Address{Local: local, Domain: domain}
		if s.WhoHas(a) != store.Who(a.String()) {
			return true
		}
		account, err1 := store.FindAccount(tx.Context(), tx, store.Who(a.String()))
		asks, err2 := store.AsksToJoin(tx.Context(), tx, store.Who(a.String()))
		failed = errors.Join(failed, err1, err2)
		return failed == nil && (account != nil || asks)
	})
	return store.Who(local + "@" + domain), failed
}

// ErrAddressTaken says that the address that was made for somebody who waits is
// another's by now.
var ErrAddressTaken = errors.New("somebody else has this address by now: decline the request, and have them join again")

// letIn puts somebody who joins into their group, under the right of whoever
// gave the code or approves; who is nobody of the house yet becomes somebody. An
// account that is there is never touched.
func letIn(h *house.House, tx *house.Tx, r store.JoinRequest) error {
	s := tx.State()
	if !s.Identity(r.Who).Known() || r.Password != "" && !r.Who.Bare() { // gone, or the address is a person's by now
		return ErrAddressTaken
	}
	if r.Password == "" && s.Blocked(r.Who) {
		return house.ErrMayNot
	}
	account := store.Account{Name: r.Name, Password: r.Password, BeganIn: r.Group, SignedIn: true}
	in := words.Wording{Document: s.Policy.Document()}.Group(r.Group)
	return house.PeopleChange{
		Group: r.Group, What: fmt.Sprintf("%s (%s) joined %s.", r.Name, h.AddressText(r.Who), in),
		Do: func(doc *access.Document) error {
			id := house.BecomePersonAs(h, doc, r.Who, r.Name)
			account.Who = store.Who(id)
			g := parts.GroupAt(doc, r.Group)
			if g == nil {
				return house.ErrNothing
			}
			if !slices.Contains(g.People, id) {
				g.People = append(g.People, id)
			}
			return nil
		},
		Also: func(tx *house.Tx) error {
			if r.Password == "" {
				return nil
			}
			if there, err := store.FindAccount(tx.Context(), tx, r.Who); err != nil || there != nil {
				return errors.Join(err, ErrAddressTaken)
			}
			return tx.NewAccount(account)
		},
	}.In(tx)
}

// AnswerJoin lets somebody who waits into a group, or declines. It returns
// house.ErrNothing, or ErrAddressTaken.
func AnswerJoin(ctx context.Context, h *house.House, a house.Actor, group string, id int64, admit bool) error {
	return h.Change(ctx, a, house.Needs{Keeps: group}, func(tx *house.Tx) error {
		list, err := store.JoinRequests(ctx, tx, group)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(r store.JoinRequest) bool { return r.ID == id })
		if i < 0 {
			return house.ErrNothing
		}
		if err := store.DropJoinRequest(ctx, tx, id); err != nil || !admit {
			return err
		}
		return letIn(h, tx, list[i])
	})
}
