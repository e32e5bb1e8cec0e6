package house_test

import (
	"testing"

	"velada/core/access"
	"velada/house"
)

// A change that takes one promise away and breaks another says which it breaks.
func TestPromisesAreComparedById(t *testing.T) {
	h := demoHouse(t)
	before := h.State().Policy
	doc := before.Document().Clone()
	doc.Promises = append(doc.Promises[1:], access.Promise{ID: "new", Who: "stranger", Must: "open", Site: "dossier", Path: "/"})
	for i, s := range doc.Sites {
		if s.Address == "society" {
			doc.Sites[i] = s.Clone()
			doc.Sites[i].Doors = nil
			doc.Sites[i].Door = access.Door{}
		}
	}
	after, err := access.Compile(doc, before)
	if err != nil {
		t.Fatal(err)
	}
	sum := house.Compare(before, after, access.At(h.Now()))
	if len(sum.Broken) != 2 || sum.Broken[0].ID != "privacy-society" || sum.Broken[1].ID != "new" || sum.Promises != 8 || sum.Kept != 5 {
		t.Errorf("%+v", sum)
	}
}
