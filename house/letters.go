package house

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"strings"
	"time"

	"velada/post"
	"velada/store"
)

// linkIn is the hash of the secret in a letter's link, by which the letter is found
// once the link is spent; nil where the link is no secret.
func linkIn(url string) []byte {
	for _, part := range []string{"/by-mail/", "/invitations/"} {
		if _, token, found := strings.Cut(url, part); found {
			hash := sha256.Sum256([]byte(token))
			return hash[:]
		}
	}
	return nil
}

// Mail reads a letter as it was written; nil where there is none. The link of one
// that was sent, used or has ended is not in it any more.
func (o *Outbox) Mail(ctx context.Context, id int64) (*store.Mail, error) {
	m, err := store.FindMail(ctx, o.house.db, id)
	if err != nil || m == nil {
		return nil, err
	}
	return m, o.openMail(m)
}

// Mails reads letters that have words in their address or subject, the newest first,
// without their raw form.
func (o *Outbox) Mails(ctx context.Context, words string, most int) ([]store.Mail, error) {
	list, err := store.Mails(ctx, o.house.db, words, most)
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
	m.Raw = []byte(raw)
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
		text, html := withoutLink(m.Text), withoutLink(m.HTML)
		raw := []byte(nil)
		if head, _, found := bytes.Cut(m.Raw, []byte("\r\n\r\n")); found { // the message is written anew around what is left
			if raw, err = post.Rewrite(head, m.Subject, text, html); err != nil {
				return fmt.Errorf("writing letter %d without its link: %w", id, err)
			}
		}
		seal := func(s string) string { return o.house.Keys.vault.Seal(sealedMail, s) }
		if err := store.StripMail(ctx, q, id, seal(text), seal(html), []byte(seal(string(raw)))); err != nil {
			return err
		}
	}
	return nil
}

// withoutLink puts a word in the place of the secrets in a letter's text.
func withoutLink(text string) string {
	for _, part := range []string{"/by-mail/", "/invitations/"} {
		pieces := strings.Split(text, part)
		for i := range pieces[1:] {
			rest := pieces[i+1]
			end := strings.IndexFunc(rest, func(r rune) bool {
				return r != '-' && r != '_' && (r < '0' || r > '9') && (r < 'A' || r > 'Z') && (r < 'a' || r > 'z')
			})
			if end < 0 {
				end = len(rest)
			}
			pieces[i+1] = "not-kept" + rest[end:]
		}
		text = strings.Join(pieces, part)
	}
	return text
}
