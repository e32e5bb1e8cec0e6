package app

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"time"

	"velada/core/access"
	"velada/store"
)

// mostComment is how long a comment may be, in bytes.
const mostComment = 4000

// Member gives the id of a person who is an approved member of a site now; ""
// for others.
func (h *House) Member(site string, who store.Who) string {
	s := h.State()
	p, known := s.Policy.PersonOf(s.Identity(who))
	doc := s.SiteDocument(site)
	if !known || p.Blocked || doc == nil {
		return ""
	}
	for _, m := range doc.Members {
		if m.Who == p.ID && m.Status == "approved" {
			return p.ID
		}
	}
	return ""
}

// reloadComments reads the comments of a site anew, for the very next request.
func (h *House) reloadComments(ctx context.Context, site string) error {
	next := *h.State()
	if err := next.readComments(ctx, h.DB, site); err != nil {
		return err
	}
	h.swapFor(&next, site)
	return nil
}

// Comment writes what a member has to say about a page that opens to them.
func (h *House) Comment(ctx context.Context, site, path string, author store.Who, text string) (held bool, err error) {
	h.writing.Lock()
	defer h.writing.Unlock()
	s := h.State()
	m := s.Memberships[site]
	who := h.Member(site, author)
	visitor := access.Visitor{Identity: s.Identity(author)}
	if who == "" || !m.WantsComments(path) || s.Policy.Site(site).Decide(path, &visitor, access.At(h.now())).Outcome != access.Open {
		return false, ErrMayNot
	}
	text = strings.TrimSpace(text)
	if text == "" || len(text) > mostComment {
		return false, FieldErrors{"text": fmt.Sprintf("Write something, of at most %d letters.", mostComment)}
	}
	if _, wait := h.throttles.comments.Try(time.Now(), "comment "+site+" "+who); wait > 0 {
		return false, FieldErrors{"text": "You have just written several. Wait a little."}
	}
	c := store.Comment{Site: h.id(site), Path: path, Person: who, Text: text, At: h.now(), Status: "shown"}
	if m.Held {
		c.Status = "held"
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		err := store.SaveComment(ctx, tx, &c, h.now())
		if m.Held {
			err = errors.Join(err, h.tell(ctx, tx, h.whoMay(s, site, access.ManageMembers), site, "request", h.NameOf(author)+" wrote a comment that waits on "+h.title(site)+".", readersView(site)+"#comments"))
		}
		return err
	})
	if err == nil {
		err = h.reloadComments(ctx, site)
	}
	return m.Held, err
}

// ChangeComment changes what somebody wrote themself; "" takes it away.
func (h *House) ChangeComment(ctx context.Context, site string, id int64, author store.Who, text string) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	c, err := store.FindComment(ctx, h.DB, h.id(site), id)
	if err != nil {
		return err
	}
	who := h.Member(site, author)
	if c == nil || who == "" || c.Person != who || c.Status == "removed" {
		return ErrMayNot
	}
	if text = strings.TrimSpace(text); len(text) > mostComment {
		return FieldErrors{"text": fmt.Sprintf("Write at most %d letters.", mostComment)}
	}
	if text == "" {
		c.Status = "removed"
	} else {
		c.Text, c.Changed = text, true
		if h.State().Memberships[site].Held {
			c.Status = "held" // what was approved is not what it says now
		}
	}
	if err := store.SaveComment(ctx, h.DB, c, h.now()); err != nil {
		return err
	}
	return h.reloadComments(ctx, site)
}

// ModerateComment shows a comment that waits, or removes one.
func (h *House) ModerateComment(ctx context.Context, a Actor, site string, id int64, show bool) error {
	h.writing.Lock()
	defer h.writing.Unlock()
	if err := h.mayAdmit(a, site); err != nil {
		return err
	}
	c, err := store.FindComment(ctx, h.DB, h.id(site), id)
	if err != nil {
		return err
	}
	if c == nil || c.Status == "removed" || show && c.Status == "shown" {
		return ErrNothing
	}
	c.Status = "removed"
	what := "A comment on " + c.Path + " was removed."
	if show {
		c.Status, what = "shown", "A comment on "+c.Path+" was approved."
	}
	err = store.InTx(ctx, h.DB, func(tx *sql.Tx) error {
		return errors.Join(store.SaveComment(ctx, tx, c, h.now()), h.ledger(ctx, tx, a.Address.String(), site, "member", what, "", ""))
	})
	if err != nil {
		return err
	}
	return h.reloadComments(ctx, site)
}
