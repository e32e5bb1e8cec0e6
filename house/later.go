package house

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"time"

	"velada/core/access"
	"velada/core/parts"
	"velada/store"
)

// ErrPast says that an instant to apply something at has passed.
var ErrPast = errors.New("that time has passed")

// ApplyLater lets Velada apply somebody's rehearsal by itself at an instant; the
// zero time calls that off. It is worked out again at that moment.
func (trays *Trays) ApplyLater(ctx context.Context, a Actor, site string, due time.Time, meant bool) error {
	return trays.house.Change(ctx, a, toRehearse(site), func(tx *Tx) error {
		r, err := store.FindRehearsal(ctx, tx, tx.State().ID(site), a.Who)
		switch {
		case err != nil:
			return err
		case r == nil:
			return ErrNothing
		case !due.IsZero() && !due.After(tx.Now()):
			return ErrPast
		}
		if t := trays.tray(ctx, tx.State(), r); !due.IsZero() && t != nil && t.Grave() && !meant {
			return ErrGrave
		}
		r.Due, r.Trouble = due, ""
		return store.SaveRehearsal(ctx, tx, r)
	})
}

// ApplyDue applies the rehearsals that are due by now. One that no longer fits is
// not applied; its author finds why in the tray.
func (trays *Trays) ApplyDue(ctx context.Context) error {
	if trays.house.State() == nil {
		return nil
	}
	due, err := store.DueRehearsals(ctx, trays.house.db, trays.house.Now())
	if err != nil {
		return fmt.Errorf("reading what is due: %w", err)
	}
	var failed error
	for _, d := range due { // one that fails does not hold up the others
		failed = errors.Join(failed, trays.applyDue(ctx, trays.house.State().SiteAddress(d.Site), d.Who))
	}
	return failed
}

func (trays *Trays) applyDue(ctx context.Context, site string, who store.Who) error {
	a, there := trays.house.ActorOf(who)
	err := ErrMayNot
	if there {
		err = trays.Apply(ctx, a, site, true)
	}
	if err == nil {
		slog.Info("applied a rehearsal that was due", "site", site, "who", who)
		return nil
	}
	why := err.Error()
	if errors.Is(err, ErrMayNot) || errors.Is(err, ErrNoSite) {
		why = fmt.Sprintf("%s, who set the date, may no longer make this change", trays.house.NameOf(who))
	}
	return trays.house.Change(ctx, Velada, Needs{}, func(tx *Tx) error {
		r, err := store.FindRehearsal(ctx, tx, tx.State().ID(site), who)
		if err != nil || r == nil {
			return err
		}
		r.Due, r.Trouble = time.Time{}, "It was not applied by itself: "+why+"."
		what := fmt.Sprintf("A change that %s had put on a date was not applied by itself: %s.", trays.house.NameOf(who), why)
		tx.Log(site, "door", what, "", "")
		tx.Notify([]store.Who{who}, site, "waiting", "Your changes on "+tx.State().SiteTitle(site)+" were not applied by themselves.", "/sites/"+site+"/rehearsal")
		others := slices.DeleteFunc(tx.WhoMay(site, access.Own), func(w store.Who) bool { return w == who })
		tx.Notify(others, site, "waiting", tx.State().SiteTitle(site)+": "+what, "/sites/"+site)
		return store.SaveRehearsal(ctx, tx, r)
	})
}

// Dated is a change that somebody has put on a date.
type Dated struct {
	Who     store.Who
	Due     time.Time
	Changes int  // how many things it changes
	Stands  bool // they may still make it, as things stand
}

// mostDated is how many changes on a date are listed of a site.
const mostDated = 10

// DatedOn lists the changes of a site that are applied by themselves, the next first.
func (trays *Trays) DatedOn(ctx context.Context, site string) ([]Dated, error) {
	s := trays.house.State()
	due, err := store.DatedRehearsals(ctx, trays.house.db, s.ID(site), mostDated)
	if err != nil {
		return nil, fmt.Errorf("reading what is due: %w", err)
	}
	var list []Dated
	for _, d := range due {
		r, err := store.FindRehearsal(ctx, trays.house.db, d.Site, d.Who)
		if err != nil {
			return nil, err
		}
		if r == nil || r.Due.IsZero() { // called off meanwhile
			continue
		}
		stands := s.Stands(ctx, trays.house.db, r.Who, toRehearse(site), access.At(trays.house.Now())) == nil
		list = append(list, Dated{r.Who, r.Due, len(parts.Changed(r.Base, r.Draft)), stands})
	}
	return list, nil
}

// Timer does what is due by now, by the right of whoever set it.
type Timer func(ctx context.Context, h *House) error

// RunDue does what is due until ctx ends, in the background: rehearsals, and what
// timers look after. One that fails does not hold up the others.
func (h *House) RunDue(ctx context.Context, interval time.Duration, timers ...Timer) {
	h.Every(ctx, interval, "applying rehearsals that are due", h.Trays.ApplyDue)
	for _, due := range timers {
		h.Every(ctx, interval, "doing what is due", func(ctx context.Context) error { return due(ctx, h) })
	}
}

// Undo rehearses an applied change backwards: where nothing else changed since,
// applying it brings back what was.
func (trays *Trays) Undo(ctx context.Context, a Actor, site string, number int64) error {
	e, err := store.FindEntry(ctx, trays.house.db, number)
	if err != nil {
		return err
	}
	if e == nil || e.SiteID == "" || e.SiteID != trays.house.SiteID(site) || e.Kind != "door" {
		return ErrNothing
	}
	var before, after access.Site
	if err := errors.Join(access.ReadPart([]byte(e.Before), &before), access.ReadPart([]byte(e.After), &after)); err != nil {
		return fmt.Errorf("reading entry %d of the ledger: %w", number, err)
	}
	return trays.Rehearse(ctx, a, site, func(draft *access.Site, _ map[string]store.NewSecret) error {
		backwards, _ := parts.Merge(&after, &before, draft)
		*draft = *backwards
		return nil
	})
}
