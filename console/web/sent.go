package web

import (
	"github.com/gin-gonic/gin"

	"velada/store"
	"velada/words"
)

// MailWords says what becomes of mail; "" where a mail server takes it.
func (c *Console) MailWords(x *gin.Context) string {
	switch {
	case c.House.State().Settings.Mail != nil:
		return ""
	case c.House.IsSteward(Actor(x)):
		return "There is no mail server: mail lies in the Outbox. Set a server up under Settings, or hand the messages on yourself."
	}
	return "There is no mail server: mail lies in the Outbox of the house. A steward can hand it on."
}

// Told says how those whom a change concerns are told of it: people of the house, by id.
func (c *Console) Told(x *gin.Context, who ...string) string {
	s, without := c.House.State(), 0
	for _, id := range who {
		if a, there := s.AddressOf(store.Who(id)); there && !s.Settings.Reaches(a) {
			without++
		}
	}
	switch lies := c.MailWords(x); {
	case without > 0 && without == len(who):
		return "Nobody is told by mail: no mail reaches them."
	case lies != "":
		return "A message to them is written. " + lies
	case without > 0:
		return "They are told by mail, but for " + Count(without, "person", "people") + " whom no mail reaches."
	}
	return "They are told by mail."
}

// Sent says what became of so many letters that were written.
func (c *Console) Sent(x *gin.Context, n int, one, many string) string {
	text := words.Capital(Count(n, one, many))
	if lies := c.MailWords(x); lies != "" {
		return text + Plural(n, " lies", " lie") + " in the Outbox. " + lies
	}
	return text + Plural(n, " is", " are") + " handed to the mail server now. The Outbox shows when it took them."
}
