package gate

import (
	"errors"
	"net/http"
	"strings"

	"velada/app/members"
	"velada/core/access"
	"velada/house"
	"velada/identity"
)

// contactSight is the form by which visitors write to those who look after a site.
type contactSight struct {
	Path   string
	Values map[string]string
	Wrong  map[string]string
}

// contactForm is the form as it stands on a page; "" where the site has no address that messages
// would go to.
func (q meeting) contactForm() string {
	if !members.Reaches(q.state, q.address) {
		return ""
	}
	v := contactSight{Path: q.path, Values: q.contactValues, Wrong: q.contactWrong}
	var b strings.Builder
	if err := execute(&b, "contact.html", v); err != nil {
		panic(err)
	}
	return b.String()
}

// contact takes a message that somebody wrote on a page that opens to them and has a form.
func (q meeting) contact() {
	if !q.asMember().form(32 << 10) {
		return
	}
	path, err := access.DocumentPath(q.PostFormValue("path"))
	if err != nil {
		path = "/"
	}
	q.path = path
	d := q.site.Decide(path, &q.visitor, q.at)
	page := q.edition().Page(path)
	if d.Outcome != access.Open || page == nil {
		if d.Outcome == access.Open {
			d.Outcome = access.Missing
		}
		q.meeting().meet(d)
		return
	}
	text, err := q.gate.House.PageHTML(q.Context(), q.edition(), page)
	if err != nil {
		panic(err)
	}
	if !strings.Contains(text, `<div class="v-contact">`) || !members.Reaches(q.state, q.address) {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	m := members.Message{Path: path, Name: q.PostFormValue("name"), Address: q.PostFormValue("address"), Text: q.PostFormValue("text")}
	if q.PostFormValue("leave") == "" { // no person sees that field, and programs fill it in
		err = members.SendMessage(q.Context(), q.gate.House, q.address, m, q.from())
	}
	var wrong house.FieldErrors
	var later identity.TryLater
	status := http.StatusUnprocessableEntity
	switch {
	case errors.As(err, &later):
		wrong, status = house.FieldErrors{"text": later.Error()}, http.StatusTooManyRequests
	case errors.As(err, &wrong):
	case err != nil:
		panic(err)
	default:
		q.asMember().private("said.html", http.StatusOK, "Your message was sent", &memberSight{Says: "It went to those who look after this site. They answer to " + m.Address + "."})
		return
	}
	q.contactWrong, q.contactValues = wrong, map[string]string{"name": m.Name, "address": m.Address, "text": m.Text}
	q.meeting().send("page.html", status, q.meeting().whole(page, text))
}
