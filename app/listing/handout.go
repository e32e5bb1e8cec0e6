package listing

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"velada/core/access"
	"velada/core/parts"
	"velada/house"
	"velada/limits"
	"velada/post"
	"velada/store"
)

// The limits of a letter with which a page is handed out.
const (
	MostReaders = 50
	mostText    = 4000
)

// HandOut writes to people of a page: by mail, each alone. It returns how many letters were
// written, or house.FieldErrors.
func HandOut(ctx context.Context, h *house.House, a house.Actor, site, path string, to []string, subject, text string) (sent int, err error) {
	err = h.Change(ctx, a, house.Needs{Site: site, Cap: access.ChangeDoor}, func(tx *house.Tx) error {
		sent = 0
		if path != "/" && !tx.State().Policy.Site(site).Exists(path) {
			return house.ErrNothing
		}
		wrong := house.FieldErrors{}
		id := tx.State().ID(site)
		profiles, err := store.Profiles(ctx, tx, id)
		if err != nil {
			return err
		}
		var readers []access.Address
		for _, word := range to {
			address, err := access.ParseAddress(word)
			switch {
			case err != nil:
				wrong["to"] = fmt.Sprintf("“%s” is no e-mail address.", word)
			case !tx.State().Settings.Reaches(address):
				wrong["to"] = fmt.Sprintf("No mail reaches %s: make a sign-in slip instead.", word)
			case profiles[string(tx.State().WhoHas(address))].NoMail:
				wrong["to"] = fmt.Sprintf("%s wants no more letters of this site. Tell them in another way.", word)
			default:
				readers = append(readers, address)
			}
		}
		if len(to) == 0 {
			wrong["to"] = "Enter whom it is sent to."
		}
		if len(to) > MostReaders {
			wrong["to"] = fmt.Sprintf("At most %d at a time.", MostReaders)
		}
		if subject = strings.TrimSpace(subject); subject == "" || limits.Longer(subject, house.MostSubject) || strings.ContainsAny(subject, "\r\n") {
			wrong["subject"] = fmt.Sprintf("Enter a subject of at most %d letters.", house.MostSubject)
		}
		text = strings.ReplaceAll(text, "\r\n", "\n")
		if strings.TrimSpace(text) == "" || limits.Longer(text, mostText) {
			wrong["text"] = fmt.Sprintf("Enter a text of at most %d letters.", mostText)
		}
		if len(wrong) > 0 {
			return wrong
		}
		var lines []string
		for part := range strings.SplitSeq(text, "\n\n") {
			if part = strings.TrimSpace(part); part != "" {
				lines = append(lines, part)
			}
		}
		var names []string
		for _, reader := range readers {
			to := parts.Canonical(reader.String())
			if slices.Contains(names, to) { // named twice
				continue
			}
			if tx.QueueMail(site, "letter", post.Letter{To: to, Subject: subject, Lines: lines, Stop: h.Outbox.StopLink(id, tx.State().WhoHas(reader))}) {
				names = append(names, to)
				sent++
			}
		}
		tx.Log(site, "letter", fmt.Sprintf("%s was handed out by mail to %d: %s", path, sent, strings.Join(names, ", ")), "", "")
		return nil
	})
	return sent, err
}
