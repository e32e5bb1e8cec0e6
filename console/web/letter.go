package web

import (
	"fmt"
	"strings"

	"velada/store"
	"velada/words"
)

// LetterState is what became of a letter, in words.
type LetterState struct {
	Text  string
	Short string // without what the mail server said
	Bad   bool   // it reached nobody, and will not by itself
}

// LetterState says what became of a letter; nil is none.
func (c *Console) LetterState(m *store.Mail) *LetterState {
	if m == nil {
		return nil
	}
	l := &LetterState{Short: "not sent: there is no mail server."}
	said := m.Tries > 0
	switch m.Status {
	case store.MailSent:
		l.Short = "the mail server took it."
		if said { // not in earlier versions
			l.Short = "the mail server took it, " + c.Moment(m.Last) + "."
		}
	case store.MailWaiting:
		l.Short = "it waits to be sent."
		if said {
			l.Short = fmt.Sprintf("not delivered yet after %s. It is tried again %s.", words.Count(m.Tries, "try", "tries"), c.Moment(m.Next))
		}
	case store.MailFailed:
		l.Bad = true
		l.Short = "it could not be delivered: " + m.Answer + "."
		if said {
			l.Short = fmt.Sprintf("it could not be delivered, given up after %s.", words.Count(m.Tries, "try", "tries"))
		}
	case store.MailUnreachable:
		l.Short = "not sent: this account has no mailbox."
	}
	l.Text = l.Short
	if said && m.Answer != "" {
		l.Text += " The last answer: " + strings.TrimSuffix(m.Answer, ".") + "."
	}
	return l
}
