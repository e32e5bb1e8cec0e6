package house

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"strings"
	"time"

	"velada/core/access"
	"velada/post"
	"velada/store"
)

// What stands before the secret of a link in a letter, and in its place once it is spent.
const (
	byMail        = "/by-mail/"
	toInvitations = "/invitations/"
	notKept       = "not-kept"
)

// linkIn is the hash of the secret in a letter's link, by which the letter is found
// once the link is spent; nil where the link is no secret.
func linkIn(url string) []byte {
	for _, part := range []string{byMail, toInvitations} {
		if _, token, found := strings.Cut(url, part); found {
			hash := sha256.Sum256([]byte(token))
			return hash[:]
		}
	}
	return nil
}

// Letter is a message of the outbox as it may be looked at: the secret in a link that signs
// somebody in, or sets a password, is masked.
type Letter struct {
	store.Mail
	Masked bool
}

// Mail reads a letter with its secret masked; nil where there is none. The link of one that
// was sent, used or has ended is not in it at all.
func (o *Outbox) Mail(ctx context.Context, id int64) (*Letter, error) {
	m, err := o.read(ctx, id)
	if err != nil || m == nil {
		return nil, err
	}
	l := &Letter{Mail: *m}
	if !signsIn(m) {
		return l, nil
	}
	l.Masked = true
	l.Text, l.HTML = mask(m.Text, "masked", byMail), mask(m.HTML, "masked", byMail)
	l.Raw, err = o.rewritten(m, l.Text, l.HTML)
	return l, err
}

// ShowLink reads a letter with the link that signs somebody in, for a steward who hands it on
// because no mail server does. It is written in the ledger, and told to the person concerned.
func (o *Outbox) ShowLink(ctx context.Context, a Actor, id int64) (*Letter, error) {
	var shown *Letter
	err := o.house.Change(ctx, a, Needs{Steward: true}, func(tx *Tx) error {
		m, err := o.read(ctx, id)
		switch {
		case err != nil:
			return err
		case m == nil || !signsIn(m):
			return ErrNothing
		}
		what := fmt.Sprintf("%s looked at the link in the message “%s” to %s.", a.Name, m.Subject, m.Address)
		tx.Log("", "house", what, "", "")
		address, err := access.ParseAddress(m.Address)
		if err != nil {
			return err
		}
		if who := tx.State().WhoHas(address); who != "" && who != a.Who {
			tx.NotifyAccount(who, "Somebody saw a link meant for you", what+" Whoever has that link can sign in as you once, until it is used or half an hour has passed.")
		}
		shown = &Letter{Mail: *m}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return shown, nil
}

func (o *Outbox) read(ctx context.Context, id int64) (*store.Mail, error) {
	m, err := store.FindMail(ctx, o.house.db, id)
	if err != nil || m == nil {
		return nil, err
	}
	return m, o.openMail(m)
}

// signsIn reports whether a letter holds a link that signs somebody in or sets a password.
func signsIn(m *store.Mail) bool {
	return strings.Contains(m.Text, byMail) && !strings.Contains(m.Text, byMail+notKept)
}

// rewritten is a letter's raw form around other words; nil where it has none.
func (o *Outbox) rewritten(m *store.Mail, text, html string) ([]byte, error) {
	head, _, found := bytes.Cut(m.Raw, []byte("\r\n\r\n"))
	if !found {
		return nil, nil
	}
	raw, err := post.Rewrite(head, m.Subject, text, html)
	if err != nil {
		return nil, fmt.Errorf("writing letter %d without its link: %w", m.ID, err)
	}
	return raw, nil
}

// Mails reads letters that have words in their address or subject, the newest first,
// without their raw form.
func (o *Outbox) Mails(ctx context.Context, words string, most int) ([]store.Mail, error) {
	list, err := store.Mails(ctx, o.house.db, store.MailsLike{Words: words}, 0, most)
	for i := range list {
		if err == nil {
			err = o.openMail(&list[i])
		}
	}
	return list, err
}

func (o *Outbox) openMail(m *store.Mail) (err error) {
	if m.Text, err = o.house.Keys.vault.Open(sealedMail, m.Text); err != nil {
		return err
	}
	if m.HTML, err = o.house.Keys.vault.Open(sealedMail, m.HTML); err != nil {
		return err
	}
	raw, err := o.house.Keys.vault.Open(sealedMail, string(m.Raw))
	if err == nil {
		m.Raw, err = unpack(raw)
	}
	return err
}

// StripLetters takes the links out of letters that were sent, and out of those
// whose link was used or has ended.
func (o *Outbox) StripLetters(ctx context.Context) error {
	list, err := store.SpentLetters(ctx, o.house.db, time.Now(), o.house.Now())
	if err != nil || len(list) == 0 {
		return err
	}
	return o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error { return o.strip(ctx, tx, list) })
}

// stripLetters takes a link that is spent out of the letters that have it.
func (o *Outbox) stripLetters(ctx context.Context, q store.Queryer, link []byte) error {
	list, err := store.LettersWith(ctx, q, link)
	if err != nil {
		return err
	}
	return o.strip(ctx, q, list)
}

func (o *Outbox) strip(ctx context.Context, q store.Queryer, ids []int64) error {
	for _, id := range ids {
		m, err := store.FindMail(ctx, q, id)
		if err != nil || m == nil {
			return err
		}
		if err := o.openMail(m); err != nil {
			return err
		}
		text, html := mask(m.Text, notKept, byMail, toInvitations), mask(m.HTML, notKept, byMail, toInvitations)
		raw, err := o.rewritten(m, text, html)
		if err != nil {
			return err
		}
		seal := func(s string) string { return o.house.Keys.vault.Seal(sealedMail, s) }
		if err := store.StripMail(ctx, q, id, seal(text), seal(html), []byte(seal(pack(raw)))); err != nil {
			return err
		}
	}
	return nil
}

// mask puts a word in the place of the secrets of links in a letter's text, by what stands
// before the secret.
func mask(text, word string, before ...string) string {
	for _, part := range before {
		pieces := strings.Split(text, part)
		for i := range pieces[1:] {
			rest := pieces[i+1]
			end := strings.IndexFunc(rest, func(r rune) bool {
				return r != '-' && r != '_' && (r < '0' || r > '9') && (r < 'A' || r > 'Z') && (r < 'a' || r > 'z')
			})
			if end < 0 {
				end = len(rest)
			}
			pieces[i+1] = word + rest[end:]
		}
		text = strings.Join(pieces, part)
	}
	return text
}
