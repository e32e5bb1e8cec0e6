package post

import (
	"net/mail"
	"net/url"
)

// Contactable reports whether a contact is an address of mail, or a page that begins with https://.
func Contactable(contact string) bool {
	if u, err := url.Parse(contact); err == nil && u.Scheme == "https" && u.Host != "" {
		return true
	}
	a, err := mail.ParseAddress(contact)
	return err == nil && a.Address == contact
}
