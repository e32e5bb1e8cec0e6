package post

import (
	"net/mail"
	"net/url"
)

func Contactable(contact string) bool {
	if u, err := url.Parse(contact); err == nil && u.Scheme == "https" && u.Host != "" {
		return true
	}
	a, err := mail.ParseAddress(contact)
	return err == nil && a.Address == contact
}
