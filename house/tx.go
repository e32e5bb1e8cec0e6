package house

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/post"
	"velada/store"
)

// Log writes an entry of the ledger in the transaction of the change it tells of.
// site is an address, or "" for the house; what is one sentence.
func (tx *Tx) Log(site, kind, what, before, after string) {
	e := store.Entry{At: tx.at.UTC().Format(time.RFC3339), Who: "velada", Site: site, Kind: kind, What: what, Before: before, After: after}
	if !tx.by.velada {
		e.Who = tx.by.Address.String()
		e.WhoID = store.Who(e.Who)
		if tx.was != nil {
			e.WhoID = tx.was.WhoHas(tx.by.Address)
		}
	}
	tx.entries = append(tx.entries, e)
}

// QueueMail puts a letter into the outbox with the commit of the change. It is sent when
// there is a mail server. It reports false of one that goes nowhere: it could not be written, or its address
// has no mailbox.
func (tx *Tx) QueueMail(site, kind string, l post.Letter) bool {
	return tx.QueueMailAbout(site, kind, "", l)
}

// QueueMailAbout is QueueMail of a letter that is found by what it is about.
func (tx *Tx) QueueMailAbout(site, kind, about string, l post.Letter) bool {
	return tx.house.Outbox.write(tx, site, kind, about, l)
}

// NotifyHere tells people something in the console alone.
func (tx *Tx) NotifyHere(to []store.Who, site, what, path string) {
	for _, who := range to {
		tx.Try(store.SaveNotice(tx.ctx, tx, store.Notice{Who: who, At: tx.at, Site: site, Kind: "waiting", What: what, URL: path}))
	}
}

// MailLink makes a single-use link of a kind and returns its URL. detail is kept with
// it as JSON; life is by the real clock.
func (tx *Tx) MailLink(kind, address string, detail any, life time.Duration) string {
	url, err := tx.house.Outbox.newMailLink(tx.ctx, tx, kind, address, detail, life)
	tx.Try(err)
	return url
}

// Notify tells people something in the console, and by mail who chose that. path is
// where in the console it leads to.
func (tx *Tx) Notify(to []store.Who, site, kind, what, path string) {
	for i, who := range to {
		if slices.Contains(to[:i], who) {
			continue
		}
		if err := store.SaveNotice(tx.ctx, tx, store.Notice{Who: who, At: tx.at, Site: site, Kind: kind, What: what, URL: path}); err != nil {
			tx.Try(fmt.Errorf("telling %s: %w", who, err))
			return
		}
		account, err := store.FindAccount(tx.ctx, tx, who)
		tx.Try(err)
		address, there := tx.was.AddressOf(who)
		if account == nil || !there || !slices.Contains(account.ByMail, kind) {
			continue
		}
		tx.QueueMail(site, "notice", post.Letter{
			To: address.String(), Subject: strings.TrimSuffix(what, "."), Lines: []string{what},
			Action: post.Action{Text: "See it", URL: tx.house.ConsoleURL + path},
			After:  []string{"You chose to be told this by mail. Under “Your account” you can choose otherwise."},
		})
	}
}

// NotifyAccount tells somebody, in the console and by mail, what was done to what
// they sign in with.
func (tx *Tx) NotifyAccount(who store.Who, subject, what string) {
	tx.Try(store.SaveNotice(tx.ctx, tx, store.Notice{Who: who, At: tx.at, Kind: "waiting", What: subject + ". " + what, URL: "/account"}))
	address, there := tx.was.AddressOf(who)
	if !there || !tx.was.Settings.Reaches(address) {
		return
	}
	tx.QueueMail("", "notice", post.Letter{
		To: address.String(), Subject: subject + " at " + tx.was.Policy.Document().House.Name, Lines: []string{what},
		Action: post.Action{Text: "Your account", URL: tx.house.ConsoleURL + "/account"},
	})
}

// EndSignIns signs somebody out everywhere but in one place, on the sites too, and begins a new epoch
// of their account: half sign-ins, links that were mailed, remembered browsers and secret addresses end.
func (tx *Tx) EndSignIns(who store.Who, but string) {
	tx.Try(store.EndSignIns(tx.ctx, tx, who, but))
	if address, there := tx.was.AddressOf(who); there {
		tx.Try(store.DropMailLinksTo(tx.ctx, tx, address.String()))
	}
	tx.After(func() { tx.house.Sessions.dropSignIns(who, but) })
}

// NewAccount makes an account; store.ErrAccount where there is one, which is never
// touched.
func (tx *Tx) NewAccount(a store.Account) error {
	if err := store.NewAccount(tx.ctx, tx, a); err != nil {
		return err
	}
	tx.NameAccount(a.Who, a.Name)
	return nil
}

// NewAccountUnlessThere makes an account where somebody has none.
func (tx *Tx) NewAccountUnlessThere(a store.Account) {
	if err := tx.NewAccount(a); err != nil && !errors.Is(err, store.ErrAccount) {
		tx.Try(err)
	}
}

// NameAccount has a name hold that was written for an account.
func (tx *Tx) NameAccount(who store.Who, name string) {
	tx.After(func() { tx.house.names.Store(who, name) })
}

// Settings returns a draft of the settings of the house, to be written.
func (tx *Tx) Settings() *Settings {
	if tx.settings == nil {
		copied := *tx.was.Settings
		copied.SecondStep, copied.NoMail, copied.Providers = slices.Clone(copied.SecondStep), slices.Clone(copied.NoMail), slices.Clone(copied.Providers)
		tx.settings = &copied
	}
	return tx.settings
}

// WhoMay lists those on a site's team who have a capability on all of it; the
// stewards where nobody has.
func (s *State) WhoMay(site string, c access.Capability, at access.Instant) (list []store.Who) {
	for _, m := range s.Policy.TeamMembers(site, at) {
		if m.Whole.Has(c) {
			list = append(list, store.Who(m.Person))
		}
	}
	for _, e := range s.SiteDocument(site).Team {
		if a, err := access.ParseAddress(e.Address); err == nil && s.Policy.Site(site).Capabilities("/", s.Policy.Address(a), at).Has(c) {
			list = append(list, s.WhoHas(a))
		}
	}
	if len(list) > 0 {
		return list
	}
	return s.Stewards()
}

// Stewards lists those who look after the house and are not blocked.
func (s *State) Stewards() (list []store.Who) {
	for _, p := range s.Policy.Document().People {
		if p.Steward && !p.Blocked {
			list = append(list, store.Who(p.ID))
		}
	}
	return list
}

// WhoMay lists those who have a capability on all of a site, at the change's instant.
func (tx *Tx) WhoMay(site string, c access.Capability) []store.Who {
	return tx.was.WhoMay(site, c, access.At(tx.at))
}
