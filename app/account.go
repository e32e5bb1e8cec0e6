package app

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/post"
	"velada/store"
)

// ErrLinkSpent says that a link that was sent by mail cannot be followed any more.
var ErrLinkSpent = errors.New("this link ended or was used already: ask for another one")

// inBackground goes on after the answer was given, so that how long an answer
// takes tells nothing.
func (h *House) inBackground(what string, f func(ctx context.Context) error) {
	h.background.Go(func() {
		ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
		defer cancel()
		if err := f(ctx); err != nil {
			slog.Error(what, "error", err)
		}
	})
}

// goOnTo is where a link leads after signing in.
type goOnTo struct {
	Then string `json:"then,omitempty"`
	Site string `json:"site,omitempty"`
	Path string `json:"path,omitempty"`
}

// newAccount is an account that is made once its address is proven.
type newAccount struct {
	Name, Password string // the password's hash
	goOnTo
}

// known reports whether a house has to do with an address: an account, a person,
// a guest, somebody on a team.
func (h *House) known(ctx context.Context, a access.Address) (bool, error) {
	account, err := store.FindAccount(ctx, h.DB, a.String())
	if err != nil || account != nil {
		return account != nil, err
	}
	s := h.State()
	if _, person := s.Policy.PersonOf(s.Policy.Address(a)); person {
		return true, nil
	}
	is := func(text string) bool { return strings.Contains(text, "@") && canonical(text) == a.String() }
	ways := func(list []access.Way) bool {
		return slices.ContainsFunc(list, func(w access.Way) bool {
			return slices.ContainsFunc(w.People, is) || w.Way == "domain" && matchesAny(w.Domains, a)
		})
	}
	for _, site := range s.Policy.Document().Sites {
		if ways(site.Door.Ways) || ways(site.Holding.LetIn) || slices.ContainsFunc(site.Team, func(e access.TeamEntry) bool { return is(e.Address) }) ||
			slices.ContainsFunc(site.Doors, func(d access.PageDoor) bool { return ways(d.Ways) }) {
			return true, nil
		}
	}
	return false, nil
}

// SendLink mails a link by which somebody signs in or sets a new password, when
// the house has to do with their address. Whether it has is not to be seen from
// the answer, nor from how long it takes.
func (h *House) SendLink(kind, address string, to map[string]string, from string) error {
	a, err := access.ParseAddress(address)
	if err != nil {
		return FieldErrors{"address": "This is " + err.Error() + "."}
	}
	if _, wait := h.mailAsks.Try(time.Now(), "from "+from, "to "+a.String()); wait > 0 {
		return TryLater{wait}
	}
	goOn := goOnTo{to["then"], to["site"], to["path"]}
	h.inBackground("sending a link", func(ctx context.Context) error {
		known, err := h.known(ctx, a)
		if err != nil || !known {
			return err
		}
		return h.sendLink(ctx, h.DB, kind, a.String(), goOn)
	})
	return nil
}

func (h *House) sendLink(ctx context.Context, q store.Queryer, kind, address string, detail any) error {
	link, err := h.newMailLink(ctx, q, kind, address, detail, linkLife)
	if err != nil {
		return err
	}
	house := h.State().Policy.Document().House.Name
	l := post.Letter{To: address, After: []string{"It works once, and for half an hour. If you did not ask for it, let it lie: nothing happens."}}
	switch kind {
	case LinkReset:
		l.Subject, l.Action.Text = "A new password for "+house, "Set a new password"
		l.Lines = []string{"Somebody, you we hope, asked to set a new password for your account. The old one stays until you do."}
	case LinkAccount:
		l.Subject, l.Action.Text = "Your address for "+house, "Make the account"
		l.Lines = []string{"Somebody, you we hope, makes an account with this address. It counts once you say that the address is yours."}
	default:
		l.Subject, l.Action.Text = "Sign in to "+house, "Sign in"
		l.Lines = []string{"Here is the link to sign in that you asked for."}
	}
	l.Action.URL = link
	return h.write(ctx, q, "", kind, l)
}

// FollowMailLink spends a link to sign in, or one that proves the address of a new
// account, and gives whose it is and where they go on to.
func (h *House) FollowMailLink(ctx context.Context, token string) (access.Address, map[string]string, error) {
	l, err := h.FindMailLink(ctx, token)
	switch {
	case err != nil:
		return access.Address{}, nil, err
	case l == nil || l.Kind != LinkSignIn && l.Kind != LinkAccount:
		return access.Address{}, nil, ErrLinkSpent
	}
	a := mustAddress(l.Address)
	var n newAccount
	if err := json.Unmarshal([]byte(l.Detail), &n); err != nil {
		return a, nil, err
	}
	err = h.spend(ctx, token, func(tx *sql.Tx) error {
		account, err := store.FindAccount(ctx, tx, l.Address)
		if err != nil || account != nil {
			return err // a new account never takes the place of one
		}
		return h.saveAccount(ctx, tx, store.Account{Address: l.Address, Name: n.Name, Password: n.Password})
	})
	return a, map[string]string{"then": n.Then, "site": n.Site, "path": n.Path}, err
}

// spend spends a link in one transaction with what it is for.
func (h *House) spend(ctx context.Context, token string, also func(tx *sql.Tx) error) error {
	return store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		there, err := store.SpendMailLink(ctx, tx, sha256.Sum256([]byte(token)))
		if err == nil && !there {
			err = ErrLinkSpent
		}
		if err != nil {
			return err
		}
		return also(tx)
	})
}

// ResetPassword spends a link to set a new password. Everywhere else the
// account is signed out.
func (h *House) ResetPassword(ctx context.Context, token, password string) (access.Address, error) {
	l, err := h.FindMailLink(ctx, token)
	if err != nil {
		return access.Address{}, err
	}
	if l == nil || l.Kind != LinkReset {
		return access.Address{}, ErrLinkSpent
	}
	a := mustAddress(l.Address)
	if text := passwordProblem(password, l.Address); text != "" {
		return a, FieldErrors{"password": text}
	}
	hash := identity.HashPassword(password)
	err = h.spend(ctx, token, func(tx *sql.Tx) error {
		account, err := store.FindAccount(ctx, tx, l.Address)
		if err != nil {
			return err
		}
		if account == nil {
			account = &store.Account{Address: l.Address}
		}
		account.Password, account.MustChange = hash, false
		return errors.Join(h.saveAccount(ctx, tx, *account), store.DropMailLinks(ctx, tx, LinkReset, l.Address), store.DropMailLinks(ctx, tx, LinkSignIn, l.Address))
	})
	if err == nil {
		err = h.SignOutEverywhere(ctx, a, "")
	}
	return a, err
}

// BeginAccount makes an account by an invitation. Where the invitation's link was
// mailed to its address alone, following it has proven the address and the account
// is made at once; otherwise a letter goes there first, and made is false.
func (h *House) BeginAccount(ctx context.Context, invitation, name, password string) (a access.Address, made bool, err error) {
	o, err := h.Offer(ctx, invitation)
	if err != nil {
		return a, false, err
	}
	if o == nil || o.Over {
		return a, false, ErrInvitationEnded
	}
	a = mustAddress(o.Address)
	wrong := FieldErrors{}
	if name = strings.TrimSpace(name); name == "" {
		wrong["name"] = "Say what you are called."
	}
	if text := passwordProblem(password, name, o.Address); text != "" {
		wrong["password"] = text
	}
	if len(wrong) > 0 {
		return a, false, wrong
	}
	hash := identity.HashPassword(password)
	if !o.Mailed {
		return a, false, h.sendLink(ctx, h.DB, LinkAccount, o.Address, newAccount{name, hash, goOnTo{Then: "/invitations/" + invitation}})
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		account, err := store.FindAccount(ctx, tx, o.Address)
		if err != nil {
			return err
		}
		if account != nil {
			return FieldErrors{"password": "There is an account for this address already: sign in with it."}
		}
		return h.saveAccount(ctx, tx, store.Account{Address: o.Address, Name: name, Password: hash})
	})
	return a, err == nil, err
}

// Account reads the account of an address; one without a password where there
// is none yet.
func (h *House) Account(ctx context.Context, a access.Address) (*store.Account, error) {
	account, err := store.FindAccount(ctx, h.DB, a.String())
	if err == nil && account == nil {
		account = &store.Account{Address: a.String()}
	}
	return account, err
}

// ChangePassword sets a new password. The old one is asked for where there is
// one, unless it was a first code, just entered.
func (h *House) ChangePassword(ctx context.Context, a Actor, old, password, from string) error {
	account, err := h.Account(ctx, a.Address)
	if err != nil {
		return err
	}
	wrong := FieldErrors{}
	if account.Password != "" && !account.MustChange {
		var later TryLater
		switch _, err := h.SignIn(ctx, account.Address, old, from); {
		case errors.As(err, &later):
			wrong["old"] = later.Error()
		case err != nil:
			wrong["old"] = "This is not your password of now."
		}
	}
	if text := passwordProblem(password, account.Name, account.Address); text != "" {
		wrong["password"] = text
	}
	if account.MustChange && len(wrong) == 0 {
		if same, err := identity.CheckPassword(account.Password, plainCode(password)); err == nil && same {
			wrong["password"] = "That is the code from the slip. Choose a password that only you know."
		}
	}
	if len(wrong) > 0 {
		return wrong
	}
	account.Password, account.MustChange = identity.HashPassword(password), false
	return h.saveAccount(ctx, h.DB, *account)
}

// ChangeAccount sets what somebody is called and what they are told by mail.
func (h *House) ChangeAccount(ctx context.Context, a Actor, name string, byMail []string) error {
	name = strings.TrimSpace(name)
	if name == "" || len(name) > 120 {
		return FieldErrors{"name": "Say what you are called, in at most 120 letters."}
	}
	account, err := h.Account(ctx, a.Address)
	if err != nil {
		return err
	}
	account.Name, account.ByMail = name, nil
	for _, k := range NoticeKinds {
		if slices.Contains(byMail, k.ID) {
			account.ByMail = append(account.ByMail, k.ID)
		}
	}
	return h.saveAccount(ctx, h.DB, *account)
}

// SignInWith gives the address that a provider vouches for. It must be at one of
// the provider's domains, and the provider must have seen that it is read.
func (h *House) SignInWith(ctx context.Context, p *Provider, claims identity.Claims) (access.Address, error) {
	a, err := access.ParseAddress(claims.Address)
	switch {
	case err != nil:
		return a, fmt.Errorf("%s did not tell an address", p.Name)
	case !claims.Verified:
		return a, fmt.Errorf("%s does not vouch that %s is yours: the address is not verified there", p.Name, a)
	case !matchesAny(p.Domains, a):
		return a, fmt.Errorf("%s cannot vouch for %s: it is trusted for %s alone", p.Name, a, alternativesAnd(p.Domains))
	}
	account, err := store.FindAccount(ctx, h.DB, a.String())
	if err == nil && account == nil {
		err = h.saveAccount(ctx, h.DB, store.Account{Address: a.String(), Name: claims.Name})
	}
	return a, err
}

// Begin writes that somebody signed in on the console in one browser.
func (h *House) Begin(ctx context.Context, id string, a access.Address, device, how string) error {
	now := time.Now()
	return store.SaveSignedIn(ctx, h.DB, store.SignedIn{ID: id, Address: a.String(), Device: device, How: how, Began: now, Used: now})
}

// StillIn reports whether a sign-in was not ended from elsewhere, and keeps when
// it was used last, to the minute.
func (h *House) StillIn(ctx context.Context, id string) (bool, error) {
	s, err := store.FindSignedIn(ctx, h.DB, id)
	if err != nil || s == nil {
		return false, err
	}
	if now := time.Now(); now.Sub(s.Used) >= time.Minute {
		s.Used = now
		err = store.SaveSignedIn(ctx, h.DB, *s)
	}
	return true, err
}

// SignOutEverywhere ends every sign-in of an address but one, on the sites too.
func (h *House) SignOutEverywhere(ctx context.Context, a access.Address, but string) error {
	list, err := store.SignedInOf(ctx, h.DB, a.String())
	for _, s := range list {
		if s.ID != but {
			err = errors.Join(err, h.EndSession(ctx, s.ID))
		}
	}
	return err
}

// EndOne ends one sign-in of somebody's own.
func (h *House) EndOne(ctx context.Context, a Actor, id string) error {
	s, err := store.FindSignedIn(ctx, h.DB, id)
	if err != nil || s == nil || s.Address != a.Address.String() {
		return err
	}
	return h.EndSession(ctx, id)
}

// SlowDown counts something that anybody can ask for against a key, and says to
// wait when there was too much of it.
func (h *House) SlowDown(key string) error {
	if _, wait := h.mailAsks.Try(time.Now(), key); wait > 0 {
		return TryLater{wait}
	}
	return nil
}
