package house_test

import (
	"math/rand/v2"
	"reflect"
	"testing"
	"time"

	"velada/house"
	"velada/store"
)

// A state into which comments were put is the one that is read from the database.
func TestCommentsArePutIntoTheState(t *testing.T) {
	h := demoHouse(t)
	id := h.State().ID("society")
	r := rand.New(rand.NewPCG(5, 6))
	var mine []store.Comment
	for range 25 {
		err := h.Change(t.Context(), house.Velada, house.Needs{}, func(tx *house.Tx) error {
			for range 1 + r.IntN(2) {
				if len(mine) > 3 && r.IntN(2) == 0 {
					i := r.IntN(len(mine))
					mine[i].Text, mine[i].Status, mine[i].Changed = mine[i].Text+"!", []string{"held", "shown", "removed"}[r.IntN(3)], true
					if err := tx.SaveComment(&mine[i]); err != nil {
						return err
					}
					continue
				}
				c := store.Comment{Site: id, Path: []string{"/", "/members", "/visit"}[r.IntN(3)], Person: h.State().SiteDocument("society").Members[0].Who, Text: "Words.", At: tx.Now().Add(time.Millisecond), Status: "shown"}
				if err := tx.SaveComment(&c); err != nil {
					return err
				}
				mine = append(mine, c)
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
		put := h.State().Site("society").Comments
		if err := h.Reload(t.Context()); err != nil {
			t.Fatal(err)
		}
		if read := h.State().Site("society").Comments; !reflect.DeepEqual(put, read) {
			t.Fatalf("%v\nis not\n%v", put, read)
		}
	}
}
