package settings

import (
	"context"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/content"
	"velada/house"
	"velada/store"
	"velada/words"
)

// outboxView is all mail as it was written, for stewards.
type outboxView struct {
	List   web.List
	Rows   []mailRow
	States []web.Choice
	Query  template.URL // what is looked for, to go on with
	Mail   *mailView
	Sends  string // what becomes of mail
	Away   string // why no mail goes out now; "" where it does
	Send   *sendAll
}

// sendAll sends all messages of a state.
type sendAll struct{ Status, Text string }

type mailRow struct {
	ID                      int64
	When, To, Subject, Says string
	Bad, Here               bool
}

type mailView struct {
	mailRow
	HTML   template.HTML
	Text   string
	State  mailState
	Masked bool // its link signs somebody in, and is not shown
	Shown  bool // it is
}

// mailState is what became of a message, and what can be done about it.
type mailState struct {
	*web.LetterState
	ID     int64
	Status string
	Again  string // what the button does that sends it; "" where it is good for nothing any more
	Soon   bool   // it is on its way: look again
}

// mailStates are what one can look for, with what they are called.
var mailStates = []web.Choice{
	{ID: "", Name: "all"}, {ID: store.MailWaiting, Name: "waits to be sent"}, {ID: store.MailSent, Name: "taken by the mail server"},
	{ID: store.MailFailed, Name: "not delivered"}, {ID: store.MailKept, Name: "written without a mail server"}, {ID: store.MailUnreachable, Name: "for accounts without a mailbox"},
}

// sendTexts are what the button is called that sends all of a state.
var sendTexts = map[string]string{
	"": "Send all that wait", store.MailWaiting: "Send all that wait", store.MailKept: "Send what was written without a mail server", store.MailFailed: "Send again all that were not delivered",
}

func outbox(c *web.Console, x *gin.Context) {
	ctx := x.Request.Context()
	if !c.House.IsSteward(web.Actor(x)) {
		c.NotFound(x)
		return
	}
	like := store.MailsLike{Words: x.Query("find"), Status: x.Query("state")}
	if x.Query("as") == "csv" {
		sendOutbox(c, x, like)
		return
	}
	v := &outboxView{List: web.NewList(x)}
	v.List.Table("/outbox", "as", "csv")
	query := url.Values{}
	for name, is := range map[string]string{"find": like.Words, "state": like.Status} {
		if is != "" {
			query.Set(name, is)
		}
	}
	if len(query) > 0 {
		v.Query = template.URL("?" + query.Encode())
	}
	for _, s := range mailStates {
		s.On = s.ID == like.Status
		v.States = append(v.States, s)
	}
	n, err := store.CountMails(ctx, c.House.Reader(), like)
	if err != nil {
		c.Fail(x, err)
		return
	}
	from, to := v.List.Found(x, n, "message", "messages")
	list, err := store.Mails(ctx, c.House.Reader(), like, from, to-from)
	if err == nil {
		err = howItIsSent(c, x, v, like)
	}
	if err != nil {
		c.Fail(x, err)
		return
	}
	for _, m := range list {
		v.Rows = append(v.Rows, rowOf(c, &m))
	}
	if id, err := web.ReadNumber(x.Param("id")); err == nil {
		if v.Mail, err = openedMail(c, x, id); err != nil {
			c.Fail(x, err)
			return
		}
		if v.Mail == nil {
			c.NotFound(x)
			return
		}
		for i := range v.Rows {
			v.Rows[i].Here = v.Rows[i].ID == id
		}
	}
	p := c.Page(x, "Outbox")
	p.Here, p.View = "Outbox", v
	c.Show(x, http.StatusOK, "outbox", p)
}

// sendOutbox sends what there is to say of messages as a table, the oldest first: not what
// stands in them.
func sendOutbox(c *web.Console, x *gin.Context, like store.MailsLike) {
	row, end := web.SendTable(x, "outbox", "When", "To", "Subject", "What became of it", "What the mail server said")
	ctx, zone := x.Request.Context(), c.House.State().Zone
	err := store.EachMail(ctx, c.House.Reader(), like, func(m store.Mail) error {
		if !row(m.At.In(zone).Format("2006-01-02 15:04"), m.Address, m.Subject, c.LetterState(&m).Short, m.Answer) {
			return context.Canceled
		}
		return nil
	})
	if err != nil && ctx.Err() == nil {
		panic(err) // what is said then stands at the end of what has gone out, which must not look whole
	}
	end()
}

func rowOf(c *web.Console, m *store.Mail) mailRow {
	state := c.LetterState(m)
	return mailRow{m.ID, c.Moment(m.At), m.Address, m.Subject, state.Short, state.Bad, false}
}

// howItIsSent says what becomes of mail, and offers to send what lies here.
func howItIsSent(c *web.Console, x *gin.Context, v *outboxView, like store.MailsLike) error {
	m := c.House.State().Settings.Mail
	if m == nil {
		v.Sends = "There is no mail server: messages lie here and reach nobody. Set one up under Settings, or hand them on yourself."
		return nil
	}
	v.Sends = fmt.Sprintf("Mail is handed to %s, and kept here as it was written. A message counts as sent once that server took it; what it does not take yet is tried again for two days.", m.Host)
	if state := c.House.Outbox.ServerState(); !state.Away.IsZero() {
		v.Away = fmt.Sprintf("No mail goes out since %s: %s.", c.Moment(state.Away), strings.TrimSuffix(state.Answer, "."))
	}
	text, sendable := sendTexts[like.Status]
	if !sendable || like.Words != "" {
		return nil
	}
	if like.Status == "" {
		like.Status = store.MailWaiting
	}
	n, err := store.CountSendable(x.Request.Context(), c.House.Reader(), like.Status, 0)
	if n > 0 {
		v.Send = &sendAll{like.Status, fmt.Sprintf("%s (%d)", text, n)}
	}
	return err
}

// openedMail is a message as it is read; nil where there is none.
func openedMail(c *web.Console, x *gin.Context, id int64) (*mailView, error) {
	m, err := c.House.Outbox.Mail(x.Request.Context(), id)
	if err != nil || m == nil {
		return nil, err
	}
	if shown, there := web.Take[*house.Letter](c.Shelf, c.Sessions.PopString(x.Request.Context(), "letter"), web.Actor(x).Who); there && shown.ID == id {
		m = shown
	}
	v := &mailView{mailRow: rowOf(c, &m.Mail), HTML: template.HTML(content.Sanitise(m.HTML)), Text: m.Text, Masked: m.Masked} // sanitised by content
	v.Shown = !m.Masked && strings.Contains(m.Text, "/by-mail/") && !strings.Contains(m.Text, "/by-mail/not-kept")
	v.State, err = stateOf(c, x, &m.Mail)
	return v, err
}

func stateOf(c *web.Console, x *gin.Context, m *store.Mail) (mailState, error) {
	v := mailState{LetterState: c.LetterState(m), ID: m.ID, Status: m.Status}
	if c.House.State().Settings.Mail == nil || m.Status == store.MailUnreachable {
		return v, nil
	}
	v.Soon = m.Status == store.MailWaiting && m.Tries == 0 && c.House.Outbox.ServerState().Away.IsZero()
	n, err := store.CountSendable(x.Request.Context(), c.House.Reader(), m.Status, m.ID)
	if n > 0 && !v.Soon {
		v.Again = "Send again"
		if m.Status == store.MailWaiting || m.Status == store.MailKept {
			v.Again = "Send it now"
		}
	}
	return v, err
}

// mailAsked is the message that a request is about; nil where there is none, which is answered then.
func mailAsked(c *web.Console, x *gin.Context) *house.Letter {
	id, err := web.ReadNumber(x.Param("id"))
	if err != nil {
		c.NotFound(x)
		return nil
	}
	m, err := c.House.Outbox.Mail(x.Request.Context(), id)
	switch {
	case err != nil:
		c.Fail(x, err)
	case m == nil:
		c.NotFound(x)
	}
	return m
}

// outboxState is what became of a message, while one waits for it.
func outboxState(c *web.Console, x *gin.Context) {
	m := mailAsked(c, x)
	if m == nil {
		return
	}
	v, err := stateOf(c, x, &m.Mail)
	if err != nil {
		c.Fail(x, err)
		return
	}
	c.Show(x, http.StatusOK, "outbox-state", v)
}

// sendMail sends one message, or all of a state, without waiting for their time.
func sendMail(c *web.Console, x *gin.Context) {
	to, id := "/outbox", int64(0)
	if text := x.Param("id"); text != "" {
		var err error
		if id, err = web.ReadNumber(text); err != nil || id == 0 {
			c.NotFound(x)
			return
		}
		to += "/" + text
	}
	n, err := c.House.Outbox.SendNow(x.Request.Context(), web.Actor(x), x.PostForm("status"), id)
	c.Done(x, err, "Being sent: "+words.Count(int(n), "message", "messages")+".", to)
}

// showLink shows the link of a message that signs somebody in: it is written in the ledger,
// and told to the person concerned.
func showLink(c *web.Console, x *gin.Context) {
	id, err := web.ReadNumber(x.Param("id"))
	if err != nil {
		c.NotFound(x)
		return
	}
	letter, err := c.House.Outbox.ShowLink(x.Request.Context(), web.Actor(x), id)
	if err != nil {
		c.Done(x, err, "", "/outbox/"+x.Param("id"))
		return
	}
	c.Sessions.Put(x.Request.Context(), "letter", c.Shelf.Put(web.Actor(x).Who, letter, time.Minute))
	c.Flash(x, "The link is shown this once. That you looked at it is in the ledger, and "+letter.Address+" is told.")
	x.Redirect(http.StatusSeeOther, "/outbox/"+x.Param("id"))
}

// mailFile returns a message as it stands on the wire.
func mailFile(c *web.Console, x *gin.Context) {
	if !c.House.IsSteward(web.Actor(x)) {
		c.NotFound(x)
		return
	}
	m := mailAsked(c, x)
	if m == nil {
		return
	}
	x.Header("Content-Disposition", fmt.Sprintf(`attachment; filename="velada-%d.eml"`, m.ID))
	x.Data(http.StatusOK, "message/rfc822", m.Raw)
}
