package members

import (
	"context"
	"fmt"
	"strings"

	"velada/core/access"
	"velada/house"
	"velada/limits"
	"velada/post"
)

// Message is what somebody writes to those who look after a site, on a form of one of its pages.
type Message struct {
	Path                string // of the page
	Name, Address, Text string
}

const mostMessage = 8000

// Reaches reports whether what is written on a form of a site has an address to go to.
func Reaches(s *house.State, site string) bool {
	return strings.Contains(s.Site(site).Details.Contact, "@")
}

// SendMessage writes a message of a visitor's to the address of a site. The page with the form
// opens to whoever sends it: the caller has asked. It returns house.FieldErrors, house.ErrNothing
// where the site has no address, or identity.TryLater.
func SendMessage(ctx context.Context, h *house.House, site string, m Message, from house.From) error {
	if !Reaches(h.State(), site) {
		return house.ErrNothing
	}
	wrong := house.FieldErrors{}
	if m.Name = strings.TrimSpace(m.Name); m.Name == "" || limits.Longer(m.Name, 120) || strings.ContainsAny(m.Name, "\r\n") {
		wrong["name"] = "Enter your name, of at most 120 letters."
	}
	address, err := access.ParseAddress(strings.TrimSpace(m.Address))
	if err != nil {
		wrong["address"] = "This is " + err.Error() + "."
	}
	if m.Text = strings.TrimSpace(m.Text); m.Text == "" || limits.Longer(m.Text, mostMessage) {
		wrong["text"] = fmt.Sprintf("Write something, of at most %d letters.", mostMessage)
	}
	if len(wrong) > 0 {
		return wrong
	}
	if _, err := house.Try(h.Throttles.Asks, "Several messages were sent from your network just now.", "contact "+site+" "+from.Source()); err != nil {
		return err
	}
	to := h.State().Site(site).Details.Contact
	if _, err := house.Try(h.Throttles.Letters, "Very many messages were sent to this site just now.", "contact "+to); err != nil {
		return err
	}
	return h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		title := tx.State().SiteTitle(site)
		tx.QueueMail(site, "contact", post.Letter{
			To: to, Subject: "A message to " + title, Word: m.Text, From: m.Name, ReplyTo: address.String(),
			Facts: [][2]string{{"From", m.Name + ", " + address.String()}, {"Written on", tx.State().Title(site, m.Path)}},
			After: []string{"Whoever wrote this could enter any address. Your answer goes to the one above."},
		})
		return nil
	})
}
