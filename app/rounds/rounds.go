package rounds

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"velada/core/access"
	"velada/core/rounds"
	"velada/house"
	"velada/limits"
	"velada/store"
	"velada/words"
)

// Rounds goes through a house, and keeps what was found last.
type Rounds struct {
	house *house.House

	mu    sync.Mutex
	links map[store.SiteID]webOf
	last  *Look
	of    *house.State // that the last look was at
}

// New returns the rounds of a house.
func New(h *house.House) *Rounds { return &Rounds{house: h, links: map[store.SiteID]webOf{}} }

// Look is what was found at a moment.
type Look struct {
	At     time.Time
	Policy *access.Policy
	All    []rounds.Finding
	Left   []store.LeftAsIs // by somebody, as long as it is as it was
}

// How long a look counts: where nothing of the house changed, and otherwise as a figure
// beside a tab.
const (
	lookFresh  = time.Minute
	lookCounts = 5 * time.Minute
)

// Look goes through the house, unless that was done just now and nothing has changed since.
func (r *Rounds) Look(ctx context.Context) (*Look, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	s, now := r.house.State(), r.house.Now()
	if r.last != nil && r.of == s && now.Sub(r.last.At) < lookFresh && !now.Before(r.last.At) {
		return r.last, nil
	}
	facts, err := r.facts(ctx, s)
	if err != nil {
		return nil, fmt.Errorf("gathering what rounds look at: %w", err)
	}
	left, err := store.AllLeftAsIs(ctx, r.house.Reader())
	if err != nil {
		return nil, err
	}
	l := &Look{At: now, Policy: s.Policy}
	for _, f := range rounds.Find(s.Policy, facts, access.At(now)) {
		i := slices.IndexFunc(left, func(l store.LeftAsIs) bool { return l.Finding == f.Key() && l.State == f.State() })
		if i < 0 {
			l.All = append(l.All, f)
			continue
		}
		l.Left = append(l.Left, left[i])
	}
	r.last, r.of = l, s
	return l, nil
}

// Count returns how many findings there are for somebody, as far as that was looked at lately.
func (r *Rounds) Count(ctx context.Context, a house.Actor) (int, error) {
	r.mu.Lock()
	last := r.last
	r.mu.Unlock()
	if now := r.house.Now(); last == nil || now.Sub(last.At) > lookCounts || now.Before(last.At) {
		var err error
		if last, err = r.Look(ctx); err != nil {
			return 0, err
		}
	}
	return len(r.Of(last, a, "", false)), nil
}

// Of returns what of a look is somebody's: of a site, or of all theirs and, for stewards, the
// house. mine leaves out sites on whose team they are not.
func (r *Rounds) Of(l *Look, a house.Actor, site string, mine bool) (list []rounds.Finding) {
	may := map[string]bool{"": r.house.IsSteward(a) && !mine}
	for _, f := range l.All {
		if site != "" && f.Site != site {
			continue
		}
		ok, known := may[f.Site]
		if !known {
			ok = r.house.State().SiteDocument(f.Site) != nil && r.house.Can(a, f.Site, "/") != 0 && (!mine || r.onTeam(a, f.Site))
			may[f.Site] = ok
		}
		if ok {
			list = append(list, f)
		}
	}
	return list
}

func (r *Rounds) onTeam(a house.Actor, site string) bool {
	s := r.house.State()
	return len(s.Policy.Site(site).EntriesOf(s.Identity(a.Who), access.At(r.house.Now()))) > 0
}

// Find returns a finding of somebody's by its key; house.ErrNothing where there is none (any
// more).
func (r *Rounds) Find(ctx context.Context, a house.Actor, key string) (*rounds.Finding, error) {
	l, err := r.Look(ctx)
	if err != nil {
		return nil, err
	}
	mine := r.Of(l, a, "", false)
	i := slices.IndexFunc(mine, func(f rounds.Finding) bool { return f.Key() == key })
	if i < 0 {
		return nil, house.ErrNothing
	}
	return &mine[i], nil
}

// longestReason is how long a reason may be, in letters.
const longestReason = 300

// needs is who may mend a finding or leave it: whoever has the right that its remedy needs, or stewards.
func needs(f *rounds.Finding) house.Needs {
	if f.Site == "" {
		return house.Needs{Steward: true}
	}
	return house.Needs{Site: f.Site, Cap: f.Kind.Needs()}
}

// Leave leaves a finding as it is, until it changes; reason says why. It returns
// house.FieldErrors.
func (r *Rounds) Leave(ctx context.Context, a house.Actor, f *rounds.Finding, title, reason string) error {
	reason = strings.TrimSpace(reason)
	switch {
	case reason == "":
		return house.FieldErrors{"reason": "Say why: whoever looks next reads it."}
	case limits.Longer(reason, longestReason):
		return house.FieldErrors{"reason": fmt.Sprintf("A reason has at most %d letters.", longestReason)}
	}
	err := r.house.Change(ctx, a, needs(f), func(tx *house.Tx) error {
		tx.Log(f.Site, "rounds", "Left as it is: "+title+". "+reason, "", "")
		return store.SaveLeftAsIs(ctx, tx, store.LeftAsIs{Finding: f.Key(), Site: tx.State().ID(f.Site), State: f.State(), Title: title, Who: a.Who, At: tx.Now(), Reason: reason})
	})
	r.forget(err)
	return err
}

// TakeUp looks after something again that was left as it is.
func (r *Rounds) TakeUp(ctx context.Context, a house.Actor, key string) error {
	left, err := store.AllLeftAsIs(ctx, r.house.Reader())
	if err != nil {
		return err
	}
	i := slices.IndexFunc(left, func(l store.LeftAsIs) bool { return l.Finding == key })
	if i < 0 {
		return house.ErrNothing
	}
	err = r.house.Change(ctx, a, needs(&rounds.Finding{Site: r.house.State().SiteAddress(left[i].Site), Kind: rounds.KindOf(key)}), func(tx *house.Tx) error {
		tx.Log(tx.State().SiteAddress(left[i].Site), "rounds", "Looked after again: "+left[i].Title+".", "", "")
		return store.DropLeftAsIs(ctx, tx, key)
	})
	r.forget(err)
	return err
}

// forget has the next look be a new one, where something was changed that no state shows.
func (r *Rounds) forget(err error) {
	if err == nil {
		r.mu.Lock()
		r.last = nil
		r.mu.Unlock()
	}
}

// Mend rehearses what mends a finding on its site.
func (r *Rounds) Mend(ctx context.Context, a house.Actor, f *rounds.Finding) error {
	return r.house.Trays.Rehearse(ctx, a, f.Site, func(draft *access.Site, _ map[string]store.NewSecret) error {
		f.Mend(draft)
		return nil
	})
}

// Change is what mends a finding of the house, or one of a site by a promise.
func (r *Rounds) Change(f *rounds.Finding, found words.Found) house.PeopleChange {
	return house.PeopleChange{What: found.Mends, Kind: "rounds", Site: f.Site, Do: func(doc *access.Document) error {
		f.House(doc)
		return nil
	}}
}
