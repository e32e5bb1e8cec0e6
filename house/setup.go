package house

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// NewHouse is what the first visitor says to make a house and its steward.
type NewHouse struct {
	House, Zone, Name, Address, Password string
}

func (f FieldErrors) Error() string {
	var lines []string
	for field, text := range f {
		lines = append(lines, field+": "+text)
	}
	return strings.Join(lines, "; ")
}

// ErrSetUp says that the house was made already.
var ErrSetUp = errors.New("the house is set up already")

// SetUp makes the house and its steward.
func (h *House) SetUp(ctx context.Context, n NewHouse) error {
	if h.State() != nil { // before anything is hashed
		return ErrSetUp
	}
	wrong := FieldErrors{}
	address, err := access.ParseAddress(strings.TrimSpace(n.Address))
	if err != nil {
		wrong["address"] = "This is " + err.Error() + "."
	}
	if strings.TrimSpace(n.Name) == "" {
		wrong["name"] = "Enter your name."
	}
	if strings.TrimSpace(n.House) == "" {
		wrong["house"] = "Enter a name for the house."
	}
	if text := identity.PasswordProblem(n.Password, n.Name, n.House, n.Address); text != "" {
		wrong["password"] = text
	}
	doc := &access.Document{
		Velada: 1,
		House:  access.House{Name: strings.TrimSpace(n.House), Zone: n.Zone},
		People: []access.Person{{ID: "steward", Name: strings.TrimSpace(n.Name), Address: strings.TrimSpace(n.Address), Steward: true}},
	}
	if len(wrong) == 0 {
		var problems access.Problems
		if err := access.Validate(doc); errors.As(err, &problems) {
			wrong["zone"] = "This is no time zone as in Europe/Madrid."
		}
	}
	if len(wrong) > 0 {
		return wrong
	}
	account := store.Account{Who: store.Who(doc.People[0].ID), Name: doc.People[0].Name, Password: identity.HashPassword(n.Password), SignedIn: true}
	founder := Actor{Who: account.Who, Address: address, Name: account.Name}
	return h.Change(ctx, founder, Needs{Asks: true}, func(tx *Tx) error {
		if tx.State() != nil {
			return ErrSetUp
		}
		tx.PutDocument(doc)
		tx.Log("", "house", fmt.Sprintf("%s made the house %s and became its steward.", account.Name, doc.House.Name), "", "")
		return tx.NewAccount(account)
	})
}
