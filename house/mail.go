package house

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/mail"
	"net/url"
	"strings"
	"sync"
	"time"

	"velada/core/access"
	"velada/identity"
	"velada/post"
	"velada/store"
)

// Outbox holds the letters that the house writes, whether or not they are sent.
type Outbox struct {
	house    *House
	Clock    func() time.Time // by which mail is tried again: the real one, also where the house's stands still
	Patience time.Duration    // with each step of a delivery
	wake     chan struct{}    // something is due
	Anew     map[string]Anew  // by kind, letters that are written anew at the moment they are sent

	mu     sync.Mutex
	server MailServerState
}

// Anew writes a letter anew at the moment it is sent; false says that nothing is left of it.
type Anew func(ctx context.Context, m *store.Mail) (post.Letter, bool, error)

// ErrLinkSpent says that a link that was sent by mail cannot be followed any more.
var ErrLinkSpent = errors.New("this link ended or was used already: ask for another one")

// NoMailServer says, to people without a right here, what becomes of letters where no mail
// server takes them.
const NoMailServer = "No mail server sends it: ask those who look after this house to hand it on."

// LetterSays says to whoever waits for a letter what becomes of it.
func (h *House) LetterSays(address string) string {
	if h.State().Settings.Mail != nil {
		return "A message goes to " + address + "."
	}
	return "A message to " + address + " is written. " + NoMailServer
}

// GoOnTo is where a link leads after signing in.
type GoOnTo struct {
	Then string `json:"then,omitempty"`
	Site string `json:"site,omitempty"`
	Path string `json:"path,omitempty"`
}

// PendingAccount is an account that is made once its address is proven, by whoever proves it. Name is
// what they were called by whoever asked.
type PendingAccount struct {
	Name string
	GoOnTo
}

// SendMailLink mails a single-use link of a kind to an address, which leads on by detail.
func (o *Outbox) SendMailLink(ctx context.Context, kind, address string, detail any) error {
	house := o.house.State().Policy.Document().House.Name
	l := post.Letter{To: address, After: []string{"It works once, and for half an hour. If you did not ask for it, ignore it: nothing happens."}}
	switch kind {
	case LinkReset:
		l.Subject, l.Action.Text = "A new password for "+house, "Set a new password"
		l.Lines = []string{"Somebody, you we hope, asked to set a new password for your account. The old one stays until you do."}
	case LinkAccount:
		l.Subject, l.Action.Text = "Your account at "+house, "Make the account"
		l.Lines = []string{"Somebody, you we hope, makes an account with this address. It begins once you follow the link and choose a password."}
	default:
		l.Subject, l.Action.Text = "Sign in to "+house, "Sign in"
		l.Lines = []string{"Here is the link to sign in that you asked for."}
	}
	return o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		l.Action.URL = tx.MailLink(kind, address, detail, LinkLife)
		tx.QueueMail("", kind, l)
		return nil
	})
}

// Spend spends a link in one transaction with what it is for. Who the address
// signs in is asked then: it may be nobody's any more.
func (o *Outbox) Spend(ctx context.Context, token, address string, also func(tx *Tx, who store.Who) error) (who store.Who, err error) {
	a, err := access.ParseAddress(address)
	if err != nil {
		return "", ErrLinkSpent
	}
	hash := sha256.Sum256([]byte(token))
	err = o.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		var signsIn bool
		if who, signsIn = tx.State().WhoSignsIn(a); !signsIn {
			return ErrLinkSpent
		}
		there, err := store.SpendMailLink(ctx, tx, hash)
		if err == nil && !there {
			err = ErrLinkSpent
		}
		if err == nil {
			err = o.stripLetters(ctx, tx, hash[:])
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

// write puts a letter to what a change writes into the outbox. It is sent from there when there is a
// mail server. One that cannot be written fails alone, and says why. It reports whether it may be sent.
func (o *Outbox) write(tx *Tx, site, kind, about string, l post.Letter) bool {
	s := o.house.State()
	status := store.MailKept
	switch a, err := access.ParseAddress(l.To); {
	case err != nil || !s.Settings.Reaches(a):
		status = store.MailUnreachable
	case s.Settings.Mail != nil:
		status = store.MailWaiting
		tx.After(o.Wake)
	}
	host := "localhost"
	if u, err := url.Parse(o.house.ConsoleURL); err == nil && u.Hostname() != "" {
		host = u.Hostname()
	}
	from := (&mail.Address{Name: s.Policy.Document().House.Name, Address: "velada@" + host}).String()
	if s.Settings.Mail != nil && s.Settings.Mail.From != "" {
		from = s.Settings.Mail.From
	}
	answer := ""
	written, err := l.Write(from, identity.Token()+"@"+host, o.house.Now())
	if err != nil { // this letter alone: what it tells of happens
		slog.Error("a letter could not be written", "kind", kind, "error", err)
		written, status, answer = &post.Written{Text: strings.Join(l.Lines, "\n\n")}, store.MailFailed, "It could not be written: "+err.Error()
	}
	tx.letters = append(tx.letters, store.Mail{
		At: o.house.Now(), Address: l.To, Site: site, Kind: kind, About: about, Subject: l.Subject, Status: status, Answer: answer, Link: linkIn(l.Action.URL),
		Text: o.house.Keys.vault.Seal(sealedMail, written.Text), HTML: o.house.Keys.vault.Seal(sealedMail, written.HTML), Raw: []byte(o.house.Keys.vault.Seal(sealedMail, pack(written.Raw))),
	})
	return status == store.MailWaiting || status == store.MailKept
}

// saveLetters writes what a change put into the outbox.
func (tx *Tx) saveLetters() error {
	for i := range tx.letters {
		id, err := store.SaveMail(tx.ctx, tx, tx.letters[i])
		if err != nil {
			return fmt.Errorf("writing a letter: %w", err)
		}
		tx.letters[i].ID = id
	}
	return nil
}

// TryServer hands a letter to a steward over to a mail server, which need not be the house's, to see whether it
// takes mail. Nothing is kept. It returns what the server answered; its errors say why it takes none.
func (o *Outbox) TryServer(ctx context.Context, a Actor, server post.Server) (answer string, err error) {
	if err := o.house.May(ctx, a, Needs{Steward: true}); err != nil {
		return "", err
	}
	l := post.Letter{
		To: a.Address.String(), Subject: "Mail from " + o.house.State().Policy.Document().House.Name + " arrives",
		Lines: []string{"You asked for this letter to see whether mail is sent. It is."},
	}
	written, err := l.Write(server.From, identity.Token()+"@velada", o.house.Now())
	if err != nil {
		return "", err
	}
	ctx, cancel := context.WithTimeout(ctx, longestTry)
	defer cancel()
	open, err := server.Connect(ctx, min(o.Patience, longestTry))
	if err != nil {
		return "", err
	}
	defer open.Close()
	return open.Send(ctx, l.To, written.Raw)
}

// longestTry is how long somebody waits for a mail server that they try.
const longestTry = 10 * time.Second

// The kinds of links that are sent by mail.
const (
	LinkSignIn  = "sign-in"
	LinkReset   = "reset"
	LinkAccount = "account" // proves the address of an account that is to be made
)

// linkLife is how long a link sent by mail can be followed, by the real clock.
const LinkLife = 30 * time.Minute

// newMailLink makes a link of a kind and returns its URL.
func (o *Outbox) newMailLink(ctx context.Context, q store.Queryer, kind, address string, detail any, life time.Duration) (string, error) {
	text, err := json.Marshal(detail)
	if err != nil {
		return "", err
	}
	token := identity.Token()
	l := store.MailLink{Kind: kind, Address: address, Detail: string(text), Ends: time.Now().Add(life)}
	return o.house.ConsoleURL + "/by-mail/" + token, store.SaveMailLink(ctx, q, sha256.Sum256([]byte(token)), l, time.Now())
}

// FindMailLink reads what a link that was sent by mail is for; nil where it
// ended or was used.
func (o *Outbox) FindMailLink(ctx context.Context, token string) (*store.MailLink, error) {
	return store.FindMailLink(ctx, o.house.db, sha256.Sum256([]byte(token)), time.Now())
}

// NoticeKinds are what somebody can be told of, with what they are called.
var NoticeKinds = []struct{ ID, Name string }{
	{"invitation", "an invitation of mine is accepted or declined"},
	{"request", "somebody asks for something that I may answer"},
	{"role", "what I may do on a site changes"},
	{"answer", "something that I asked for is answered"},
	{"waiting", "something of mine waits or did not work"},
}

// SeeNotices notes that somebody has seen what they were told, up to a notice.
func (o *Outbox) SeeNotices(ctx context.Context, a Actor, last int64) error {
	return o.house.Change(ctx, a, Needs{Asks: true}, func(tx *Tx) error { return store.SeeNotices(ctx, tx, a.Who, last) })
}
