package access

import (
	"slices"
	"testing"
)

func TestEveryListOfWays(t *testing.T) {
	way := func(who string) []Way { return []Way{{Way: "people", People: []string{who}}} }
	site := &Site{
		Address: "society", Door: Door{Ways: way("a")}, Doors: []PageDoor{{Path: "/notes", Ways: way("b")}}, Holding: Holding{LetIn: way("c")},
		Pages: []Page{{Path: "/"}, {Path: "/list", Tables: []Table{{ID: "open"}, {ID: "shut", Ways: way("d")}}}},
	}
	var at []Opening
	site.EachWays(func(o Opening, ways []Way) bool {
		at = append(at, o)
		return true
	})
	want := []Opening{{"site", "/", ""}, {"page", "/notes", ""}, {"holding", "/", ""}, {"table", "/list", "shut"}}
	if !slices.Equal(at, want) {
		t.Errorf("%v", at)
	}
	for _, who := range []string{"a", "b", "c", "d", "e"} {
		if has := site.HasWay(func(w Way) bool { return slices.Contains(w.People, who) }); has != (who != "e") {
			t.Errorf("%s: %v", who, has)
		}
	}
	none := site.Clone()
	none.MapWays(func([]Way) []Way { return nil })
	if none.HasWay(func(Way) bool { return true }) || none.Pages[1].Tables[0].Ways != nil || none.Pages[1].Tables[1].Ways == nil {
		t.Errorf("what is left: %+v", none)
	}
	if !site.HasWay(func(w Way) bool { return slices.Contains(w.People, "d") }) || len(site.Doors[0].Ways) != 1 {
		t.Error("the site that was copied has changed")
	}
}
