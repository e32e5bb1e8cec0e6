package house

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"velada/identity"
	"velada/post"
	"velada/store"
	"velada/words"
)

func newOutbox(h *House) *Outbox {
	return &Outbox{house: h, Clock: time.Now, Patience: post.Patience, wake: make(chan struct{}, 1)}
}

// MailServerState is how it goes with the mail server, since this program began.
type MailServerState struct {
	Taken  time.Time // when it last took a letter
	Away   time.Time // since when none can be handed over; zero while it can
	Answer string    // why
	told   bool      // stewards were told
}

// ServerState returns how it goes with the mail server.
func (o *Outbox) ServerState() MailServerState {
	o.mu.Lock()
	defer o.mu.Unlock()
	return o.server
}

// Wake has what is due sent now.
func (o *Outbox) Wake() {
	select {
	case o.wake <- struct{}{}:
	default:
	}
}

// RunMail sends what waits until ctx ends, in the background.
func (o *Outbox) RunMail(ctx context.Context, interval time.Duration) {
	o.house.everyOr(ctx, interval, o.wake, "sending mail", o.SendWaiting)
}

// MailDays is how long a letter that cannot be delivered yet is tried again.
const MailDays = 48 * time.Hour

// pauses are how long it takes from one try to the next; the last one stays.
var pauses = []time.Duration{
	time.Minute, 2 * time.Minute, 5 * time.Minute, 10 * time.Minute, 20 * time.Minute, 40 * time.Minute, time.Hour, 2 * time.Hour, 4 * time.Hour,
}

func pause(tries int) time.Duration { return pauses[min(max(tries, 1), len(pauses))-1] }

// toldAfter is how long the mail server may be away until stewards are told.
const toldAfter = 15 * time.Minute

// linkSpent is said of a letter that is not worth sending any more.
const linkSpent = "its link was used, withdrawn or had ended before it was sent"

// SendWaiting hands the mail that is due to the mail server, if there is one: one
// letter after another over one connection.
func (o *Outbox) SendWaiting(ctx context.Context) error {
	s := o.house.State()
	if s == nil {
		return nil
	}
	if s.Settings.Mail == nil {
		return o.StripLetters(ctx)
	}
	if err := o.giveUpSpent(ctx); err != nil {
		return err
	}
	if err := o.sendDue(ctx, s.Settings.Mail); err != nil {
		return err
	}
	return o.StripLetters(ctx)
}

// sendDue hands over what is due, until nothing is, the connection breaks or the
// settings are others.
func (o *Outbox) sendDue(ctx context.Context, server *post.Server) error {
	var open *post.Connection
	defer func() {
		if open != nil {
			open.Close()
		}
	}()
	var failed []store.Mail
	defer func() { o.tellFailed(context.WithoutCancel(ctx), failed) }()
	for between := false; ; between = true {
		m, err := store.NextMail(ctx, o.house.db, o.Clock())
		if err != nil {
			return fmt.Errorf("reading what is to be sent: %w", err)
		}
		if m == nil {
			return nil
		}
		if between {
			select {
			case <-ctx.Done():
				return nil
			case <-time.After(server.Between()):
			}
		}
		if now := o.house.State().Settings.Mail; now == nil || *now != *server {
			o.Wake()
			return nil
		}
		if open == nil {
			if open, err = server.Connect(ctx, o.Patience); err != nil {
				open = nil
				if ctx.Err() != nil {
					return nil
				}
				return o.putOff(ctx, err.Error())
			}
		}
		whole, err := o.read(ctx, m.ID)         // anew: meanwhile its link may have been used
		if errors.Is(err, identity.ErrSealed) { // the others are not to wait for it
			m.Status, m.Answer = store.MailFailed, "it was sealed by a key that this house does not have"
			failed = append(failed, *m)
			if err := o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error { return store.MarkMail(tx.Context(), tx, *m) }); err != nil {
				return err
			}
			continue
		}
		if err != nil {
			return err
		}
		if whole == nil || whole.Status != store.MailWaiting {
			continue
		}
		if stays, err := o.anew(ctx, whole); err != nil {
			return err
		} else if !stays {
			continue
		}
		answer, err := open.Send(ctx, whole.Address, whole.Raw)
		if err != nil && ctx.Err() != nil {
			return nil
		}
		o.outcome(whole, answer, err)
		if whole.Status == store.MailFailed {
			failed = append(failed, *whole)
		}
		if err := o.house.Change(context.WithoutCancel(ctx), Velada, Needs{}, func(tx *Tx) error { return store.MarkMail(tx.Context(), tx, *whole) }); err != nil {
			return err
		}
		if open.Broken() {
			open.Close()
			open = nil
			if err := o.giveUpSpent(ctx); err != nil {
				return err
			}
		}
	}
}

// nothingLeft is said of a letter that tells its reader of nothing any more.
const nothingLeft = "what it told of does not open to its reader any more, or they want no such mail"

// anew writes a letter anew where its kind is; false where it is not sent at all.
func (o *Outbox) anew(ctx context.Context, m *store.Mail) (bool, error) {
	write := o.Anew[m.Kind]
	if write == nil {
		return true, nil
	}
	l, stays, err := write(ctx, m)
	if err != nil {
		return false, err
	}
	if !stays {
		m.Status, m.Answer, m.Next = store.MailFailed, nothingLeft, time.Time{}
		return false, o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error { return store.MarkMail(tx.Context(), tx, *m) })
	}
	w, err := l.Write("velada@localhost", "anew@localhost", o.Clock())
	if err != nil {
		return false, err
	}
	if w.Text == m.Text {
		return true, nil
	}
	if m.Raw, err = o.rewritten(m, w.Text, w.HTML); err != nil {
		return false, err
	}
	m.Text, m.HTML = w.Text, w.HTML
	seal := func(s string) string { return o.house.Keys.vault.Seal(sealedMail, s) }
	return true, o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		return store.ReplaceMail(tx.Context(), tx, m.ID, seal(m.Text), seal(m.HTML), []byte(seal(pack(m.Raw))))
	})
}

// outcome writes into a letter what became of a try to send it.
func (o *Outbox) outcome(m *store.Mail, answer string, err error) {
	now := o.Clock()
	if m.First.IsZero() {
		m.First = now
	}
	m.Last, m.Tries, m.Answer = now, m.Tries+1, answer
	if err == nil {
		m.Status, m.Next = store.MailSent, time.Time{}
		o.mu.Lock()
		o.server = MailServerState{Taken: now}
		o.mu.Unlock()
		return
	}
	m.Answer = err.Error()
	m.Next = now.Add(pause(m.Tries))
	var no *post.Refused
	if errors.As(err, &no) && no.Permanent || m.Next.Sub(m.First) > MailDays {
		m.Status, m.Next = store.MailFailed, time.Time{}
	}
	slog.Warn("mail was not sent", "mail", m.ID, "tries", m.Tries, "given up", m.Status == store.MailFailed, "error", err)
}

// putOff has what is due wait, since the mail server takes nothing at all. Stewards are
// told once that lasts.
func (o *Outbox) putOff(ctx context.Context, why string) error {
	now := o.Clock()
	o.mu.Lock()
	if o.server.Away.IsZero() {
		o.server.Away = now
	}
	o.server.Answer = why
	away := now.Sub(o.server.Away)
	tell := !o.server.told && away >= toldAfter
	o.server.told = o.server.told || tell
	o.mu.Unlock()
	slog.Warn("the mail server takes no mail", "error", why)
	i := 0
	for i < len(pauses)-1 && pauses[i] < away/2 {
		i++
	}
	return o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		gaveUp, err := store.PutOffMails(tx.Context(), tx, now, now.Add(pauses[i]), now.Add(-MailDays), why)
		if tell {
			tx.NotifyHere(tx.State().Stewards(), "", "Mail waits: the mail server takes none. "+why+".", "/outbox?state=waiting")
		}
		if gaveUp > 0 {
			tx.NotifyHere(tx.State().Stewards(), "", words.Count(int(gaveUp), "letter was", "letters were")+" given up after two days.", "/outbox?state=failed")
		}
		return err
	})
}

// tellFailed tells who invited somebody that the letter was not delivered, and stewards of all others.
func (o *Outbox) tellFailed(ctx context.Context, failed []store.Mail) {
	if len(failed) == 0 {
		return
	}
	err := o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		rest := 0
		for _, m := range failed {
			id, is := strings.CutPrefix(m.About, AboutInvitation(""))
			if !is {
				rest++
				continue
			}
			inv, err := store.FindInvitation(tx.Context(), tx, id)
			if err != nil {
				return err
			}
			if inv == nil {
				rest++
				continue
			}
			tx.NotifyHere([]store.Who{inv.By}, m.Site, fmt.Sprintf("The invitation to %s could not be delivered: %s", m.Address, m.Answer), "/sites/"+m.Site+"/team#waiting")
		}
		if rest > 0 {
			tx.NotifyHere(tx.State().Stewards(), "", words.Count(rest, "letter", "letters")+" could not be delivered.", "/outbox?state=failed")
		}
		return nil
	})
	if err != nil {
		slog.Error("telling that mail was not delivered", "error", err)
	}
}

// AboutInvitation is what the letter of an invitation is about.
func AboutInvitation(id string) string { return "invitation:" + id }

func (o *Outbox) giveUpSpent(ctx context.Context) error {
	spent, err := store.AnySpentWaiting(ctx, o.house.db, time.Now(), o.house.Now())
	if err != nil || !spent {
		return err
	}
	return o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		return store.GiveUpSpent(tx.Context(), tx, time.Now(), o.house.Now(), linkSpent)
	})
}

// sendable are what may be sent by hand; a letter that was sent may be sent again where
// it has no link that was taken out.
var sendable = []string{store.MailKept, store.MailWaiting, store.MailFailed, store.MailSent}

// SendNow sends a letter, or with 0 all that have a status, without waiting for their
// time. It returns how many.
func (o *Outbox) SendNow(ctx context.Context, a Actor, status string, id int64) (n int64, err error) {
	err = o.house.Change(ctx, a, Needs{Steward: true}, func(tx *Tx) error {
		if tx.State().Settings.Mail == nil || !slices.Contains(sendable, status) || id == 0 && status == store.MailSent {
			return ErrNothing
		}
		if n, err = store.SendMailsNow(tx.Context(), tx, status, id); err != nil {
			return err
		}
		if n == 0 {
			return ErrNothing
		}
		what := words.Count(int(n), "letter was", "letters were") + " sent again."
		tx.Log("", "house", what, "", "")
		tx.After(o.Wake)
		return nil
	})
	return n, err
}
