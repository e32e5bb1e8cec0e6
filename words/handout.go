package words

import (
	"velada/core/access"
)

// Audience is whom a page is handed to, by what their way in is.
type Audience struct {
	ID   string // "everybody", "guests", "members", "jury" or "team"
	Name string
	Line string // who it is for, on a sheet
	Step string // what they do to get in; "" is nothing
}

// Audiences lists to whom a page can be handed, by what it offers a stranger. hidden says that it
// looks as if it did not exist until one is signed in.
func Audiences(d access.Decision) (list []Audience) {
	if d.Outcome == access.Open {
		return []Audience{{"everybody", "Everybody", "For everybody", ""}}
	}
	if d.Offers&access.OfferSignIn != 0 {
		list = append(list, Audience{"guests", "Guests", "For those who are invited: sign in",
			"Sign in there with the address to which this was sent. Without a password choose “Have a link sent to you by mail”."})
	}
	if d.Offers&access.OfferJoin != 0 {
		list = append(list, Audience{"members", "Members", "For members: join on the page",
			"It is for members. If you are none yet, choose “Become a member” there; you are told when you are let in."})
	}
	if d.Offers&access.OfferPassword != 0 {
		list = append(list, Audience{"jury", "The jury, and whoever has a password", "With the password that you were given",
			"You are asked for a password there. It comes separately: please do not pass it on."})
	}
	if len(list) == 0 {
		list = append(list, Audience{"team", "Those who are let in", "For those who are let in", "It shows itself only to those who are signed in: sign in first, at the address below."})
	}
	return list
}

// ToSend is a text that a page is handed out with. sign is where one signs in; "" is not needed.
func (a Audience) ToSend(title, address, sign, from string) string {
	text := "Hello,\n\n" + title + " is at\n" + address + "\n"
	if a.Step != "" {
		text += "\n" + a.Step + "\n"
	}
	if sign != "" {
		text += sign + "\n"
	}
	return text + "\n" + from
}
