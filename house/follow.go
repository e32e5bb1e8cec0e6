package house

import (
	"context"
	"maps"
	"slices"

	"velada/core/access"
	"velada/core/parts"
	"velada/store"
)

// follows is what a change of a house's people means for everything that is kept of
// them: of who comes in, is somebody else, has another address, or is gone.
type follows struct {
	moved   [][2]store.Who // whose rows become whose
	ended   []store.Who    // whose sign-ins end
	unmail  map[store.Who][]string
	dropped map[store.Who]string // who is gone, with the name that what they did stays told under
	gone    map[store.Who]bool   // of the moved: what signed them in has ended

	commented []store.SiteID // the sites with comments by those who are moved or dropped
}

// followPeople works that out between two documents. becomes are people who turn
// out to be others, by id.
func followPeople(before, after *access.Document, becomes map[string]string) *follows {
	f := &follows{unmail: map[store.Who][]string{}, dropped: map[store.Who]string{}, gone: map[store.Who]bool{}}
	if len(before.People) > 0 && len(before.People) == len(after.People) && &before.People[0] == &after.People[0] {
		return f
	}
	was, now := differing(before.People, after.People)
	for from, to := range becomes {
		f.moved = append(f.moved, [2]store.Who{store.Who(from), store.Who(to)})
		f.ended = append(f.ended, store.Who(from))
		f.unmail[store.Who(from)] = append(f.unmail[store.Who(from)], parts.Canonical(before.Person(from).Address))
	}
	for _, p := range now {
		who, old := store.Who(p.ID), was[p.ID]
		delete(was, p.ID)
		if old != nil && old.Equal(p) {
			continue
		}
		now := parts.Canonical(p.Address)
		switch {
		case old == nil:
			f.moved = append(f.moved, [2]store.Who{store.Who(now), who})
		case parts.Canonical(old.Address) != now:
			f.ended = append(f.ended, who)
			f.unmail[who] = append(f.unmail[who], parts.Canonical(old.Address))
			f.moved = append(f.moved, [2]store.Who{store.Who(now), who})
		case p.Blocked && !old.Blocked:
			f.ended, f.unmail[who] = append(f.ended, who), append(f.unmail[who], now)
		}
		for _, former := range p.Former { // nobody goes by it any more
			if old == nil || !parts.IsTheirs(*old, former) {
				f.dropped[store.Who(parts.Canonical(former))] = former
			}
		}
	}
	for id, old := range was {
		if _, merged := becomes[id]; !merged {
			f.dropped[store.Who(id)] = parts.Canonical(old.Address)
			f.unmail[store.Who(id)] = append(f.unmail[store.Who(id)], parts.Canonical(old.Address))
		}
	}
	return f
}

// differing returns those people of two lists who do not stand in both alike: before by id,
// and after.
func differing(before, after []access.Person) (was map[string]*access.Person, now []access.Person) {
	was = map[string]*access.Person{}
	compare := func(i, j int) {
		if !before[i].Equal(after[j]) {
			was[before[i].ID], now = &before[i], append(now, after[j])
		}
	}
	first, i, j := 0, len(before), len(after)
	for first < min(i, j) && before[first].ID == after[first].ID {
		compare(first, first)
		first++
	}
	for first < min(i, j) && before[i-1].ID == after[j-1].ID {
		i, j = i-1, j-1
		compare(i, j)
	}
	for n := first; n < i; n++ {
		was[before[n].ID] = &before[n]
	}
	return was, append(now, after[first:j]...)
}

// few is how many people are looked up one by one: of a roster's thousands it is
// first asked of whom anything is kept at all.
const few = 8

// leaveOut forgets those of whom nothing is kept.
func (f *follows) leaveOut(ctx context.Context, tx store.Queryer) error {
	if len(f.moved)+len(f.ended)+len(f.dropped) <= few {
		return nil
	}
	people := slices.AppendSeq(slices.Clone(f.ended), maps.Keys(f.dropped))
	for _, m := range f.moved {
		people = append(people, m[0])
	}
	kept, err := store.KeptOf(ctx, tx, people)
	if err != nil {
		return err
	}
	f.moved = slices.DeleteFunc(f.moved, func(m [2]store.Who) bool { return !kept[m[0]] })
	f.ended = slices.DeleteFunc(f.ended, func(who store.Who) bool { return !kept[who] })
	maps.DeleteFunc(f.dropped, func(who store.Who, _ string) bool { return !kept[who] })
	return nil
}

// write carries it out in the transaction of the change.
func (f *follows) write(ctx context.Context, tx store.Queryer) error {
	if err := f.leaveOut(ctx, tx); err != nil {
		return err
	}
	var authors []store.Who
	for _, m := range f.moved {
		authors = append(authors, m[0], m[1])
	}
	var err error
	if f.commented, err = store.CommentedBy(ctx, tx, slices.AppendSeq(authors, maps.Keys(f.dropped))); err != nil {
		return err
	}
	for who, addresses := range f.unmail {
		for _, a := range addresses {
			if err := store.UnproveMailbox(ctx, tx, who, a); err != nil {
				return err
			}
		}
	}
	for _, who := range f.ended {
		if err := store.EndSignIns(ctx, tx, who, ""); err != nil {
			return err
		}
	}
	for _, m := range f.moved {
		gone, err := store.MoveWho(ctx, tx, m[0], m[1])
		if err != nil {
			return err
		}
		f.gone[m[0]] = gone
	}
	for who, name := range f.dropped {
		if err := store.DropWho(ctx, tx, who, name); err != nil {
			return err
		}
	}
	return nil
}

// hold makes it hold for the requests to come, once it is committed and before the
// new state is in force.
func (f *follows) hold(h *House) {
	for _, who := range f.ended {
		h.Sessions.dropSignIns(who, "")
	}
	for who := range f.dropped {
		h.Sessions.dropSignIns(who, "")
		h.names.Delete(who)
	}
	for _, m := range f.moved {
		if f.gone[m[0]] {
			h.Sessions.dropSignIns(m[0], "")
		} else if name, there := h.names.Load(m[0]); there {
			h.names.Store(m[1], name)
		}
		h.names.Delete(m[0])
		h.Sessions.visits.Range(func(token, v any) bool {
			if visit := v.(store.SiteSession); visit.Who == m[0] {
				visit.Who = m[1]
				h.Sessions.visits.Store(token, visit)
			}
			return true
		})
	}
}
