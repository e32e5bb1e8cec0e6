package app

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"
	"unicode"

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
	s := h.State()
	who, signsIn := s.WhoSignsIn(a)
	if !signsIn { // somebody's before: who reads its mail now is not known
		return false, nil
	}
	account, err := store.FindAccount(ctx, h.DB, who)
	if err != nil || account != nil || !who.Bare() {
		return err == nil, err
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
func (h *House) SendLink(kind, address string, to map[string]string, from From) error {
	a, err := access.ParseAddress(address)
	if err != nil {
		return FieldErrors{"address": "This is " + err.Error() + "."}
	}
	if _, err := try(h.throttles.asks, "You have asked for several links to this address.", "link to "+a.String()+" from "+from.source()); err != nil {
		return err
	}
	if _, err := h.CountForm("link", from); err != nil {
		return err
	}
	if _, err := try(h.throttles.letters, "", a.String()); err != nil {
		return nil // enough are in the mailbox already, and each of them works
	}
	goOn := goOnTo{to["then"], to["site"], to["path"]}
	h.inBackground("sending a link", func(ctx context.Context) error {
		known, err := h.known(ctx, a)
		if err != nil || !known {
			return err
		}
		return h.sendLink(ctx, kind, a.String(), goOn)
	})
	return nil
}

func (h *House) sendLink(ctx context.Context, kind, address string, detail any) error {
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
	return h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		l.Action.URL = tx.MailLink(kind, address, detail, linkLife)
		tx.Mail("", kind, l)
		return nil
	})
}

// FollowMailLink spends a link to sign in, or one that proves the address of a new
// account, and returns whose it is and where they go on to.
func (h *House) FollowMailLink(ctx context.Context, token string) (store.Who, map[string]string, error) {
	l, err := h.FindMailLink(ctx, token)
	switch {
	case err != nil:
		return "", nil, err
	case l == nil || l.Kind != LinkSignIn && l.Kind != LinkAccount:
		return "", nil, ErrLinkSpent
	}
	var n newAccount
	if err := json.Unmarshal([]byte(l.Detail), &n); err != nil {
		return "", nil, err
	}
	who, err := h.spend(ctx, token, l.Address, func(tx *Tx, who store.Who) error {
		tx.NewAccountUnlessThere(store.Account{Who: who, Name: n.Name, Password: n.Password, SignedIn: n.Password != ""})
		return nil
	})
	return who, map[string]string{"then": n.Then, "site": n.Site, "path": n.Path}, err
}

// spend spends a link in one transaction with what it is for. Who the address
// signs in is asked then: it may be nobody's any more.
func (h *House) spend(ctx context.Context, token, address string, also func(tx *Tx, who store.Who) error) (who store.Who, err error) {
	a, err := access.ParseAddress(address)
	if err != nil {
		return "", ErrLinkSpent
	}
	hash := sha256.Sum256([]byte(token))
	err = h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		var signsIn bool
		if who, signsIn = tx.State().WhoSignsIn(a); !signsIn {
			return ErrLinkSpent
		}
		there, err := store.SpendMailLink(ctx, tx, hash)
		if err == nil && !there {
			err = ErrLinkSpent
		}
		if err == nil {
			err = h.stripLetters(ctx, tx, hash[:])
		}
		if err != nil {
			return err
		}
		return also(tx, who)
	})
	if err != nil {
		return "", err
	}
	return who, nil
}

// ResetPassword spends a link to set a new password. Everywhere else the
// account is signed out.
func (h *House) ResetPassword(ctx context.Context, token, password string) (store.Who, error) {
	l, err := h.FindMailLink(ctx, token)
	if err != nil {
		return "", err
	}
	if l == nil || l.Kind != LinkReset {
		return "", ErrLinkSpent
	}
	if text := passwordProblem(password, l.Address); text != "" {
		return "", FieldErrors{"password": text}
	}
	hash := identity.HashPassword(password)
	return h.spend(ctx, token, l.Address, func(tx *Tx, who store.Who) error {
		tx.EndSignIns(who, "")
		return errors.Join(
			store.EnsureAccount(ctx, tx, who, h.NameOf(who)), store.SetPassword(ctx, tx, who, hash, false),
			store.DropMailLinks(ctx, tx, LinkReset, l.Address), store.DropMailLinks(ctx, tx, LinkSignIn, l.Address),
		)
	})
}

// BeginAccount makes an account by an invitation. Where the invitation's link was
// mailed to its address alone, following it has proven the address and the account
// is made at once; otherwise a letter goes there first, and made is false.
func (h *House) BeginAccount(ctx context.Context, invitation, name, password string) (who store.Who, made bool, err error) {
	o, err := h.Offer(ctx, invitation)
	if err != nil {
		return "", false, err
	}
	if o == nil || o.Over {
		return "", false, ErrInvitationEnded
	}
	address, there := h.State().AddressOf(o.Who)
	if !there {
		return "", false, ErrInvitationEnded
	}
	wrong := FieldErrors{}
	name, text := nameTyped(name)
	if text != "" {
		wrong["name"] = text
	}
	if text := passwordProblem(password, name, address.String()); text != "" {
		wrong["password"] = text
	}
	if len(wrong) > 0 {
		return "", false, wrong
	}
	hash := identity.HashPassword(password)
	if !o.Mailed {
		return o.Who, false, h.sendLink(ctx, LinkAccount, address.String(), newAccount{name, hash, goOnTo{Then: "/invitations/" + invitation}})
	}
	invited, _ := h.ActorOf(o.Who)
	err = h.Change(ctx, invited, Needs{Asks: true}, func(tx *Tx) error {
		now, err := store.FindInvitation(ctx, tx, o.ID)
		switch {
		case err != nil:
			return err
		case now == nil || now.Status != "waiting" || !now.Mailed || now.Who != o.Who || now.Token != o.Token:
			return ErrInvitationEnded // changed while the form was filled in
		}
		err = tx.NewAccount(store.Account{Who: o.Who, Name: name, Password: hash, SignedIn: true})
		if errors.Is(err, store.ErrAccount) {
			return FieldErrors{"password": "There is an account for this address already: sign in with it."}
		}
		return err
	})
	if err != nil {
		return "", false, err
	}
	return o.Who, true, nil
}

// longestName is how long a name may be, in bytes.
const longestName = 120

// nameTyped takes a name as it was typed: one line, without what cannot be seen. The
// second value says what is wrong with it; "" where nothing is.
func nameTyped(name string) (string, string) {
	name = strings.Join(strings.FieldsFunc(name, func(r rune) bool { return unicode.IsSpace(r) || unicode.IsControl(r) }), " ")
	if name == "" || len(name) > longestName {
		return name, fmt.Sprintf("A name has 1 to %d letters.", longestName)
	}
	return name, ""
}

// Account reads somebody's account; one without a password where there is none yet.
func (h *House) Account(ctx context.Context, who store.Who) (*store.Account, error) {
	account, err := store.FindAccount(ctx, h.DB, who)
	if err == nil && account == nil {
		account = &store.Account{Who: who}
	}
	return account, err
}

// ChangePassword sets a new password, and signs somebody out everywhere but in one
// place. The old one is asked for where there is one, unless it was a first code,
// just entered.
func (h *House) ChangePassword(ctx context.Context, a Actor, old, password string, from From, but string) error {
	account, err := h.Account(ctx, a.Who)
	if err != nil {
		return err
	}
	wrong := FieldErrors{}
	if account.Password != "" && !account.MustChange {
		var later TryLater
		switch err := h.CheckPassword(ctx, a, old, from); {
		case errors.As(err, &later):
			wrong["old"] = later.Error()
		case err != nil:
			wrong["old"] = "This is not your password of now."
		}
	}
	if text := passwordProblem(password, account.Name, a.Address.String()); text != "" {
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
	hash := identity.HashPassword(password)
	return h.Change(ctx, a, Needs{Asks: true}, func(tx *Tx) error {
		if err := store.EnsureAccount(ctx, tx, a.Who, a.Name); err != nil {
			return err
		}
		now, err := store.FindAccount(ctx, tx, a.Who)
		if err != nil {
			return err
		}
		if now.Password != account.Password { // set anew meanwhile, by a slip or a link
			return FieldErrors{"old": "Your password was changed meanwhile. Sign in with the new one."}
		}
		tx.EndSignIns(a.Who, but)
		tx.NotifyAccount(a.Who, "Your password was changed", "If that was not you, set a new one by a link by mail.")
		return store.SetPassword(ctx, tx, a.Who, hash, false)
	})
}

// ChangeAccount sets somebody's name and what they are told by mail.
func (h *House) ChangeAccount(ctx context.Context, a Actor, name string, byMail []string) error {
	name, text := nameTyped(name)
	if text != "" {
		return FieldErrors{"name": text}
	}
	var kinds []string
	for _, k := range NoticeKinds {
		if slices.Contains(byMail, k.ID) {
			kinds = append(kinds, k.ID)
		}
	}
	return h.Change(ctx, a, Needs{Asks: true}, func(tx *Tx) error {
		tx.NameAccount(a.Who, name)
		return errors.Join(store.EnsureAccount(ctx, tx, a.Who, name), store.SetAccountName(ctx, tx, a.Who, name, kinds))
	})
}

// SignInWith returns whom a provider vouches for. Their address must be at one of
// the provider's domains, and the provider must have seen that it is read.
func (h *House) SignInWith(ctx context.Context, p *Provider, claims identity.Claims) (who store.Who, err error) {
	a, err := access.ParseAddress(claims.Address)
	switch {
	case err != nil:
		return "", fmt.Errorf("%s did not tell an address", p.Name)
	case !claims.Verified:
		return "", fmt.Errorf("%s does not vouch that %s is yours: the address is not verified there", p.Name, a)
	case !matchesAny(p.Domains, a):
		return "", fmt.Errorf("%s cannot vouch for %s: it is trusted for %s alone", p.Name, a, alternativesAnd(p.Domains))
	}
	name, text := nameTyped(claims.Name)
	if text != "" {
		name = ""
	}
	err = h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		var signsIn bool
		if who, signsIn = tx.State().WhoSignsIn(a); !signsIn {
			return fmt.Errorf("%s signs nobody in here: somebody had it before", a)
		}
		tx.NewAccountUnlessThere(store.Account{Who: who, Name: name})
		return nil
	})
	if err != nil {
		return "", err
	}
	return who, nil
}

// Begin writes that somebody signed in on the console in one browser.
func (h *House) Begin(ctx context.Context, id string, who store.Who, device, how string) error {
	now := time.Now()
	return h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		return store.SaveSignedIn(ctx, tx, store.SignedIn{ID: id, Who: who, Device: device, How: how, Began: now, Used: now})
	})
}

// StillIn returns who a sign-in is of, when it was not ended from elsewhere, and
// keeps when it was used last, to the minute.
func (h *House) StillIn(ctx context.Context, id string) (store.Who, bool, error) {
	s, err := store.FindSignedIn(ctx, h.DB, id)
	if err != nil || s == nil {
		return "", false, err
	}
	if now := time.Now(); now.Sub(s.Used) >= time.Minute {
		err := h.Change(ctx, Velada, Needs{}, func(tx *Tx) error { return store.UseSignedIn(ctx, tx, id, now) })
		if err != nil {
			return "", false, err
		}
	}
	return s.Who, true, nil
}

// SignOutEverywhere ends every sign-in of somebody but one, on the sites too.
func (h *House) SignOutEverywhere(ctx context.Context, who store.Who, but string) error {
	return h.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		tx.EndSignIns(who, but)
		return nil
	})
}

// EndOne ends one sign-in of somebody's own.
func (h *House) EndOne(ctx context.Context, a Actor, id string) error {
	s, err := store.FindSignedIn(ctx, h.DB, id)
	if err != nil || s == nil || s.Who != a.Who {
		return err
	}
	return h.EndSession(ctx, id)
}
