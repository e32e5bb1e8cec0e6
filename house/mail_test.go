package house_test

import (
	"context"
	"errors"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/teams"
	"velada/house"
	"velada/post"
	"velada/standin"
	"velada/store"
)

// mailing is the demo house with a mail server, by a clock of its own.
type mailing struct {
	*testing.T
	*house.House
	server *standin.Mail
	at     post.Server
	ines   house.Actor
	now    time.Time
}

func mailingHouse(t *testing.T) *mailing {
	t.Helper()
	m := &mailing{T: t, House: demoHouse(t), server: standin.NewMail(), now: time.Unix(1_800_000_000, 0)}
	m.ConsoleURL = "https://velada.example"
	var served sync.WaitGroup
	port, err := m.server.Run(t.Context(), &served)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { m.server.Close(); served.Wait() })
	m.Outbox.Clock, m.Outbox.Patience = func() time.Time { return m.now }, 150*time.Millisecond
	m.ines = who(t, m.House, "ines@cerroalcor.example")
	m.at = post.Server{Host: "127.0.0.1", Port: port, Lock: "none", From: "Cerro Alcor <house@cerroalcor.example>", Pace: 6000}
	m.use(&m.at)
	return m
}

func (m *mailing) use(s *post.Server) {
	m.Helper()
	if err := m.ChangeSettings(ctx, m.ines, "x", func(set *house.Settings) { set.Mail = s }); err != nil {
		m.Fatal(err)
	}
}

// write puts a letter to an address into the outbox.
func (m *mailing) write(to string) {
	m.Helper()
	if err := m.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		tx.QueueMail("", "notice", post.Letter{To: to, Subject: "For " + to, Lines: []string{"Hello."}})
		return nil
	}); err != nil {
		m.Fatal(err)
	}
}

// send sends what is due after a while.
func (m *mailing) send(after time.Duration) {
	m.Helper()
	m.now = m.now.Add(after)
	if err := m.Outbox.SendWaiting(ctx); err != nil {
		m.Fatal(err)
	}
}

// is reads the newest letter to an address.
func (m *mailing) is(to, status string, tries int) *store.Mail {
	m.Helper()
	list, err := m.Outbox.Mails(ctx, to, 1)
	if err != nil || len(list) != 1 {
		m.Fatal(list, err)
	}
	if list[0].Status != status || list[0].Tries != tries {
		m.Errorf("to %s: %s after %d tries (%s), want %s after %d", to, list[0].Status, list[0].Tries, list[0].Answer, status, tries)
	}
	return &list[0]
}

func (m *mailing) told(address string) string {
	m.Helper()
	list, err := store.Notices(ctx, m.Reader(), who(m.T, m.House, address).Who, 99)
	if err != nil {
		m.Fatal(err)
	}
	var text strings.Builder
	for _, n := range list {
		text.WriteString(n.What + " (" + n.URL + ")\n")
	}
	return text.String()
}

func TestMailIsTriedAgainUnlessItIsRefusedForGood(t *testing.T) {
	m := mailingHouse(t)
	for _, to := range []string{"zoe@press.example", "later@press.example", "nobody@press.example", "hang@press.example", "tom@press.example"} {
		m.write(to)
	}
	m.send(0)
	m.is("zoe@", store.MailSent, 1)
	m.is("later@", store.MailWaiting, 1)
	m.is("hang@", store.MailWaiting, 1)
	m.is("tom@", store.MailSent, 1) // though the connection broke before it
	if got := m.is("nobody@", store.MailFailed, 1); got.Answer != "550 5.1.1 nobody of that name here" {
		t.Errorf("the answer is %q", got.Answer)
	}
	if told := m.told("ines@cerroalcor.example"); !strings.Contains(told, "1 letter could not be delivered. (/outbox?state=failed)") {
		t.Errorf("stewards are told %s", told)
	}
	if n := m.server.Connections(); n != 2 {
		t.Errorf("over %d connections", n)
	}
	m.send(30 * time.Second) // too early
	m.is("later@", store.MailWaiting, 1)
	m.send(31 * time.Second)
	m.is("later@", store.MailWaiting, 2)
	m.send(2 * time.Minute)
	m.is("later@", store.MailSent, 3)
	for _, g := range m.server.Taken() {
		list, err := m.Outbox.Mails(ctx, g.To, 1)
		if err != nil {
			t.Fatal(err)
		}
		if kept, err := m.Outbox.Mail(ctx, list[0].ID); err != nil || string(kept.Raw) != g.Raw {
			t.Errorf("to %s arrived what the outbox does not show (%v):\n%s\n%s", g.To, err, g.Raw, kept.Raw)
		}
	}
	// by hand
	if _, err := m.Outbox.SendNow(ctx, who(t, m.House, "jonas@cerroalcor.example"), store.MailFailed, 0); !errors.Is(err, house.ErrMayNot) {
		t.Error("somebody who is no steward sends mail:", err)
	}
	if n, err := m.Outbox.SendNow(ctx, m.ines, store.MailWaiting, 0); n != 1 || err != nil {
		t.Error(n, err)
	}
	m.send(0)
	m.is("hang@", store.MailWaiting, 1)
	if n, err := m.Outbox.SendNow(ctx, m.ines, store.MailFailed, m.is("nobody@", store.MailFailed, 1).ID); n != 1 || err != nil {
		t.Error(n, err)
	}
	m.send(0)
	m.is("nobody@", store.MailFailed, 1)
}

func TestMailIsGivenUpAfterTwoDays(t *testing.T) {
	m := mailingHouse(t)
	m.server.Later = 1000
	m.write("later@press.example")
	began, tries := m.now, 0
	for m.is("later@", "waiting", tries).Status == store.MailWaiting && tries < 100 {
		next := m.is("later@", store.MailWaiting, tries).Next
		before := m.now
		m.send(max(0, next.Sub(m.now)))
		tries++
		if list, err := m.Outbox.Mails(ctx, "later@", 1); err != nil || list[0].Status == store.MailFailed {
			if m.now.Sub(began) < 40*time.Hour || m.now.Sub(began) > 48*time.Hour || tries > 25 || err != nil {
				t.Errorf("given up after %d tries and %s (%v)", tries, m.now.Sub(began), err)
			}
			return
		}
		if m.now.Sub(before) > 4*time.Hour {
			t.Errorf("a pause of %s", m.now.Sub(before))
		}
	}
	t.Errorf("%d tries, and it is not given up", tries)
}

func TestAMailServerThatIsAwayAndComesBack(t *testing.T) {
	m := mailingHouse(t)
	away := m.at
	away.Port = 1
	m.use(&away)
	m.write("zoe@press.example")
	m.send(0)
	if got := m.is("zoe@", store.MailWaiting, 1); !strings.Contains(got.Answer, "127.0.0.1:1") || !strings.Contains(got.Answer, "refused") {
		t.Errorf("the answer is %q", got.Answer)
	}
	if state := m.Outbox.ServerState(); state.Away != m.now {
		t.Errorf("%+v", state)
	}
	if told := m.told("ines@cerroalcor.example"); strings.Contains(told, "Mail waits") {
		t.Error("told at once")
	}
	for range 20 {
		m.send(5 * time.Minute)
	}
	if told := m.told("ines@cerroalcor.example"); strings.Count(told, "Mail waits: the mail server takes none. 127.0.0.1:1") != 1 {
		t.Errorf("stewards are told %s", told)
	}
	m.use(&m.at)
	m.send(time.Hour)
	if got := m.is("zoe@", store.MailSent, m.tries("zoe@")); got.Tries < 4 || got.Tries > 12 || !m.Outbox.ServerState().Away.IsZero() {
		t.Errorf("%d tries, %+v", got.Tries, m.Outbox.ServerState())
	}
	m.use(&away)
	m.write("tom@press.example")
	m.send(0)
	m.send(49 * time.Hour)
	m.is("tom@", store.MailFailed, 2)
}

func (m *mailing) tries(to string) int {
	list, err := m.Outbox.Mails(ctx, to, 1)
	if err != nil || len(list) != 1 {
		m.Fatal(list, err)
	}
	return list[0].Tries
}

var linkByMail = regexp.MustCompile(`/by-mail/[\w-]+`)

func TestALinkThatArrivesWorksAndOneThatIsSpentIsNotSent(t *testing.T) {
	m := mailingHouse(t)
	link := func() {
		t.Helper()
		if err := m.Outbox.SendMailLink(ctx, house.LinkSignIn, "pilar@cerroalcor.example", house.GoOnTo{}); err != nil {
			t.Fatal(err)
		}
	}
	link()
	m.send(0)
	got := m.server.Taken()
	if len(got) != 1 {
		t.Fatalf("%d letters arrived", len(got))
	}
	path := linkByMail.FindString(strings.ReplaceAll(got[0].Raw, "=\r\n", ""))
	token := strings.TrimPrefix(path, "/by-mail/")
	if _, _, err := accounts.FollowMailLink(ctx, m.House, token, "Zoe", "walnut ferry indigo moss"); err != nil {
		t.Errorf("the link %q that arrived leads nowhere: %v", path, err)
	}
	kept, err := m.Outbox.Mail(ctx, m.is("pilar@", store.MailSent, 1).ID)
	if err != nil {
		t.Fatal(err)
	}
	unfolded := func(s string) string { return strings.ReplaceAll(s, "=\r\n", "") }
	if want := strings.ReplaceAll(unfolded(got[0].Raw), token, "not-kept"); unfolded(string(kept.Raw)) != want {
		t.Errorf("but for the link it is another letter:\n%s\n%s", unfolded(string(kept.Raw)), want)
	}
	if _, err := m.Outbox.SendNow(ctx, m.ines, store.MailSent, kept.ID); !errors.Is(err, house.ErrNothing) {
		t.Error("a letter without its link is sent again:", err)
	}
	// one that waits while its link ends
	away := m.at
	away.Port = 1
	m.use(&away)
	link()
	m.send(0)
	m.is("pilar@", store.MailWaiting, 1)
	if err := m.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		return store.DropMailLinks(context.Background(), tx, house.LinkSignIn, "pilar@cerroalcor.example")
	}); err != nil {
		t.Fatal(err)
	}
	m.use(&m.at)
	m.send(time.Hour)
	if got := m.is("pilar@", store.MailFailed, 1); !strings.Contains(got.Answer, "its link was used") {
		t.Errorf("the answer is %q", got.Answer)
	}
	if n := len(m.server.Taken()); n != 1 {
		t.Errorf("%d letters arrived", n)
	}
}

func TestWhoInvitedIsToldThatTheLetterWasNotDelivered(t *testing.T) {
	m := mailingHouse(t)
	pilar := who(t, m.House, "pilar@cerroalcor.example")
	if _, err := teams.Invite(ctx, m.House, pilar, teams.Invitation{Addresses: []string{"nobody@press.example"}, Sites: []string{"society"}, Role: "viewer", Under: "/", Mail: true}); err != nil {
		t.Fatal(err)
	}
	m.send(0)
	m.is("nobody@", store.MailFailed, 1)
	if told := m.told("pilar@cerroalcor.example"); !strings.Contains(told, "The invitation to nobody@press.example could not be delivered: 550 5.1.1 nobody of that name here (/sites/society/team#waiting)") {
		t.Errorf("who invited is told %s", told)
	}
	if told := m.told("ines@cerroalcor.example"); strings.Contains(told, "could not be delivered") {
		t.Errorf("stewards are told too: %s", told)
	}
	waiting, err := store.WaitingInvitations(ctx, m.Reader(), m.State().ID("society"))
	if err != nil || len(waiting) == 0 {
		t.Fatal(waiting, err)
	}
	letter, err := store.MailAbout(ctx, m.Reader(), house.AboutInvitation(waiting[len(waiting)-1].ID))
	if err != nil || letter == nil || letter.Status != store.MailFailed {
		t.Errorf("beside the invitation: %+v %v", letter, err)
	}
}

func TestALetterThatCannotBeOpenedHoldsNothingUp(t *testing.T) {
	m := mailingHouse(t)
	for _, to := range []string{"first@press.example", "second@press.example"} {
		m.write(to)
	}
	if _, err := m.DB().Exec(`UPDATE mails SET raw = 'sealed:1:AAAA' WHERE address = 'first@press.example'`); err != nil {
		t.Fatal(err)
	}
	m.send(0)
	m.is("second@", store.MailSent, 1)
	if got := m.is("first@", store.MailFailed, 0); !strings.Contains(got.Answer, "sealed by a key") {
		t.Errorf("the answer is %q", got.Answer)
	}
}
