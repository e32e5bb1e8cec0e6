package members

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"velada/core/access"
	"velada/house"
	"velada/limits"
	"velada/store"
)

// mostComment is how long a comment may be, in letters.
const mostComment = 4000

// Comment writes what a member has to say about a page that opens to them. held says
// that it waits until somebody approves it. It returns house.ErrMayNot for who is no
// member or may not open the page, and house.FieldErrors.
func Comment(ctx context.Context, h *house.House, site, path string, author store.Who, text string) (held bool, err error) {
	return Answer(ctx, h, site, path, author, text, 0)
}

// Answer is Comment on another comment of the page; 0 is none.
func Answer(ctx context.Context, h *house.House, site, path string, author store.Who, text string, answers int64) (held bool, err error) {
	a, _ := h.ActorOf(author)
	err = h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		s := tx.State()
		m := s.Site(site).Membership
		who := s.Member(site, author)
		visitor := access.Visitor{Identity: s.Identity(author)}
		if who == "" || !m.WantsComments(path) || s.Policy.Site(site).Decide(path, &visitor, access.At(tx.Now())).Outcome != access.Open {
			return house.ErrMayNot
		}
		text = strings.TrimSpace(text)
		if text == "" || limits.Longer(text, mostComment) {
			return house.FieldErrors{"text": fmt.Sprintf("Write something, of at most %d letters.", mostComment)}
		}
		if _, wait := h.Throttles.Comments.Try(time.Now(), "comment "+site+" "+who); wait > 0 {
			return house.FieldErrors{"text": "You have just written several. Wait a little."}
		}
		if answers != 0 && !slices.ContainsFunc(s.Site(site).Comments[path], func(one store.Comment) bool { return one.ID == answers && one.Status == "shown" }) {
			return house.FieldErrors{"text": "The comment that you answer is not there any more."}
		}
		c := store.Comment{Answers: answers, Site: s.ID(site), Path: path, Person: who, Text: text, At: tx.Now(), Status: "shown"}
		if held = m.Held; held {
			c.Status = "held"
			tx.Notify(tx.WhoMay(site, access.ManageMembers), site, "request",
				a.Name+" wrote a comment that waits on "+s.SiteTitle(site)+".", readersView(site)+"#comments")
		}
		return tx.SaveComment(&c)
	})
	return held, err
}

// ChangeComment changes what somebody wrote themself; "" takes it away. It returns
// house.ErrMayNot for what is another’s, and house.FieldErrors.
func ChangeComment(ctx context.Context, h *house.House, site string, id int64, author store.Who, text string) error {
	a, _ := h.ActorOf(author)
	return h.Change(ctx, a, house.Needs{Asks: true}, func(tx *house.Tx) error {
		s := tx.State()
		c, err := store.FindComment(ctx, tx, s.ID(site), id)
		if err != nil {
			return err
		}
		who := s.Member(site, author)
		if c == nil || who == "" || c.Person != who || c.Status == "removed" {
			return house.ErrMayNot
		}
		if text = strings.TrimSpace(text); limits.Longer(text, mostComment) {
			return house.FieldErrors{"text": fmt.Sprintf("Write at most %d letters.", mostComment)}
		}
		if text == "" {
			c.Status = "removed"
		} else {
			c.Text, c.Changed = text, true
			if s.Site(site).Membership.Held {
				c.Status = "held" // what was approved is not what it says now
			}
		}
		return tx.SaveComment(c)
	})
}

// ModerateComments shows comments that wait, or removes some, and returns how many. It
// returns house.ErrNothing where there is nothing to show or remove.
func ModerateComments(ctx context.Context, h *house.House, a house.Actor, site string, ids []int64, show bool) (n int, err error) {
	err = h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageMembers}, func(tx *house.Tx) error {
		n = 0
		on := map[string]int{}
		for _, id := range ids {
			c, err := store.FindComment(ctx, tx, tx.State().ID(site), id)
			if err != nil {
				return err
			}
			if c == nil || c.Status == "removed" || show && c.Status == "shown" {
				continue
			}
			c.Status = "removed"
			if show {
				c.Status = "shown"
			}
			if err := tx.SaveComment(c); err != nil {
				return err
			}
			n++
			on[c.Path]++
		}
		if n == 0 {
			return house.ErrNothing
		}
		for path, many := range on {
			what := "A comment on " + path + " was "
			if many > 1 {
				what = fmt.Sprintf("%d comments on %s were ", many, path)
			}
			if show {
				what += "approved."
			} else {
				what += "removed."
			}
			tx.Log(site, "member", what, "", "")
		}
		return nil
	})
	return n, err
}
