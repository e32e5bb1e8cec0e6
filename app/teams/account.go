package teams

import (
	"context"
	"errors"

	"velada/house"
	"velada/identity"
	"velada/store"
)

// BeginAccount makes an account by an invitation. Where the invitation's link was mailed
// to its address alone, following it has proven the address and the account is made at
// once; otherwise a letter goes there first, made is false, and the password is chosen by
// whoever follows that. It returns
// ErrInvitationEnded, or house.FieldErrors.
func BeginAccount(ctx context.Context, h *house.House, invitation, name, password string) (who store.Who, made bool, err error) {
	o, err := FindOffer(ctx, h, invitation)
	if err != nil {
		return "", false, err
	}
	if o == nil || o.Over {
		return "", false, ErrInvitationEnded
	}
	address, there := h.State().AddressOf(o.Who)
	if !there {
		return "", false, ErrInvitationEnded
	}
	wrong := house.FieldErrors{}
	name, text := house.NameTyped(name)
	if text != "" {
		wrong["name"] = text
	}
	if text := identity.PasswordProblem(password, name, address.String()); text != "" && o.Mailed {
		wrong["password"] = text
	}
	if len(wrong) > 0 {
		return "", false, wrong
	}
	if !o.Mailed { // whoever asks now may be anybody: who reads the letter chooses the password
		return o.Who, false, h.Outbox.SendMailLink(ctx, house.LinkAccount, address.String(), house.PendingAccount{Name: name, GoOnTo: house.GoOnTo{Then: "/invitations/" + invitation}})
	}
	hash := identity.HashPassword(password)
	invited, _ := h.ActorOf(o.Who)
	err = h.Change(ctx, invited, house.Needs{Asks: true}, func(tx *house.Tx) error {
		now, err := store.FindInvitation(ctx, tx, o.ID)
		switch {
		case err != nil:
			return err
		case now == nil || now.Status != "waiting" || !now.Mailed || now.Who != o.Who || now.Token != o.Token:
			return ErrInvitationEnded // changed while the form was filled in
		}
		err = tx.NewAccount(store.Account{Who: o.Who, Name: name, Password: hash, SignedIn: true})
		if errors.Is(err, store.ErrAccount) {
			return house.FieldErrors{"password": "There is an account for this address already: sign in with it."}
		}
		return err
	})
	if err != nil {
		return "", false, err
	}
	return o.Who, true, nil
}
