package settings

import (
	"fmt"
	"html/template"
	"net/http"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/content"
	"velada/store"
)

// outboxView is all mail as it was written, for stewards.
type outboxView struct {
	Rows  []mailRow
	Find  string
	Mail  *mailView
	Sends string // what becomes of mail
}

type mailRow struct {
	ID                                 int64
	When, To, Subject, Status, Trouble string
	Here                               bool
}

type mailView struct {
	mailRow
	HTML template.HTML
	Text string
}

var mailStatus = map[string]string{
	"kept": "kept here", "waiting": "waits to be sent", "sent": "sent", "failed": "could not be sent", "unreachable": "no mail reaches this address",
}

func outbox(c *web.Console, x *gin.Context) {
	if !c.House.IsSteward(web.Actor(x)) {
		c.NotFound(x)
		return
	}
	list, err := store.Mails(x.Request.Context(), c.House.Reader(), x.Query("find"), 200)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v := &outboxView{Find: x.Query("find"), Sends: "There is no mail server: messages are kept here, and nowhere else."}
	if m := c.House.State().Settings.Mail; m != nil {
		v.Sends = fmt.Sprintf("Mail is handed to %s, and kept here as it was written.", m.Host)
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
		v.Mail = &mailView{row(*m), template.HTML(content.Sanitise(m.HTML)), m.Text} // sanitised by content
		for i := range v.Rows {
			v.Rows[i].Here = v.Rows[i].ID == id
		}
	}
	p := c.Page(x, "Outbox")
	p.Here, p.View = "Outbox", v
	c.Show(x, http.StatusOK, "outbox", p)
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
