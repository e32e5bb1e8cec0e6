package house

import (
	"maps"
	"slices"
	"time"

	"velada/store"
)

// SaveComment writes a comment, or changes the one with its id, and has the next state hold
// it as it is now: just the comments of its page are others then.
func (tx *Tx) SaveComment(c *store.Comment) error {
	if err := store.SaveComment(tx.ctx, tx, c, tx.Now()); err != nil {
		return err
	}
	tx.comments = append(tx.comments, *c)
	return nil
}

// withComments returns a site's state with some comments as they were written.
func (s *Site) withComments(written []store.Comment) *Site {
	next := *s
	next.Comments = maps.Clone(s.Comments)
	if next.Comments == nil {
		next.Comments = map[string][]store.Comment{}
	}
	copied := map[string]bool{}
	for _, c := range written {
		c.At = time.Unix(c.At.Unix(), 0) // as it is read
		if !copied[c.Path] {
			next.Comments[c.Path], copied[c.Path] = slices.Clone(next.Comments[c.Path]), true
		}
		list := next.Comments[c.Path]
		at, there := slices.BinarySearchFunc(list, c.ID, func(one store.Comment, id int64) int { return int(one.ID - id) })
		switch {
		case there && c.Status == "removed":
			list = slices.Delete(list, at, at+1)
		case there:
			list[at] = c
		case c.Status != "removed":
			list = slices.Insert(list, at, c)
		}
		if next.Comments[c.Path] = list; len(list) == 0 {
			delete(next.Comments, c.Path)
		}
	}
	return &next
}
