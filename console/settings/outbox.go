package settings

import (
	"fmt"
	"html/template"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/content"
	"velada/house"
	"velada/store"
)

// outboxView is all mail as it was written, for stewards.
type outboxView struct {
	Rows  []mailRow
	Find  string
	Mail  *mailView
	Sends string // what becomes of mail
	Pager web.Pager
}

type mailRow struct {
	ID                                 int64
	When, To, Subject, Status, Trouble string
	Here                               bool
}

type mailView struct {
	mailRow
	HTML   template.HTML
	Text   string
	Masked bool // its link signs somebody in, and is not shown
	Shown  bool // it is
}

var mailStatus = map[string]string{
	"kept": "not sent: there is no mail server", "waiting": "waits to be sent", "sent": "the mail server took it", "failed": "could not be sent", "unreachable": "not sent: this account has no mailbox",
}

func outbox(c *web.Console, x *gin.Context) {
	if !c.House.IsSteward(web.Actor(x)) {
		c.NotFound(x)
		return
	}
	v := &outboxView{Find: x.Query("find")}
	n, err := store.CountMails(x.Request.Context(), c.House.Reader(), v.Find)
	if err != nil {
		c.Fail(x, err)
		return
	}
	from, to := v.Pager.Cut(x, n)
	list, err := store.MailsFrom(x.Request.Context(), c.House.Reader(), v.Find, from, to-from)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v.Sends = "There is no mail server: messages lie here and reach nobody. Set one up under Settings, or hand them on yourself."
	if m := c.House.State().Settings.Mail; m != nil {
		v.Sends = fmt.Sprintf("Mail is handed to %s, and kept here as it was written. A message counts as sent once that server took it.", m.Host)
	}
	row := func(m store.Mail) mailRow {
		return mailRow{m.ID, c.Moment(m.At), m.Address, m.Subject, mailStatus[m.Status], m.Trouble, false}
	}
	for _, m := range list {
		v.Rows = append(v.Rows, row(m))
	}
	if id, err := web.ReadNumber(x.Param("id")); err == nil {
		m, err := c.House.Outbox.Mail(x.Request.Context(), id)
		if err != nil {
			c.Fail(x, err)
			return
		}
		if m == nil {
			c.NotFound(x)
			return
		}
		if shown, there := web.Take[*house.Letter](c.Shelf, c.Sessions.PopString(x.Request.Context(), "letter"), web.Actor(x).Who); there && shown.ID == id {
			m = shown
		}
		v.Mail = &mailView{mailRow: row(m.Mail), HTML: template.HTML(content.Sanitise(m.HTML)), Text: m.Text, Masked: m.Masked} // sanitised by content
		v.Mail.Shown = !m.Masked && strings.Contains(m.Text, "/by-mail/") && !strings.Contains(m.Text, "/by-mail/not-kept")
		for i := range v.Rows {
			v.Rows[i].Here = v.Rows[i].ID == id
		}
	}
	p := c.Page(x, "Outbox")
	p.Here, p.View = "Outbox", v
	c.Show(x, http.StatusOK, "outbox", p)
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
	id, err := web.ReadNumber(x.Param("id"))
	if err != nil {
		c.NotFound(x)
		return
	}
	m, err := c.House.Outbox.Mail(x.Request.Context(), id)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if m == nil {
		c.NotFound(x)
		return
	}
	x.Header("Content-Disposition", fmt.Sprintf(`attachment; filename="velada-%d.eml"`, id))
	x.Data(http.StatusOK, "message/rfc822", m.Raw)
}
