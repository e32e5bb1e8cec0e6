package traffic

import (
	"context"
	"errors"
	"fmt"
	"time"

	"velada/core/access"
	"velada/core/traffic"
	"velada/house"
	"velada/store"
)

// byHourUpTo is how long a stretch may be that is told hour by hour.
const byHourUpTo = 50 * time.Hour

// Stretch is from one local day on and before another.
type Stretch struct{ From, Until time.Time }

// Before returns the stretch as long that ends where this one begins.
func (s Stretch) Before() Stretch {
	days := int(s.Until.Sub(s.From).Hours()/24 + 0.5)
	return Stretch{s.From.AddDate(0, 0, -days), s.From}
}

// ByHour reports whether it is told hour by hour.
func (s Stretch) ByHour() bool { return s.Until.Sub(s.From) < byHourUpTo }

// Figures tells a stretch of a site's traffic. What is still in the queue is not in it.
func Figures(ctx context.Context, h *house.House, site string, of Stretch) (*traffic.Figures, error) {
	s := h.State()
	id := s.ID(site)
	hits, err1 := store.TrafficHits(ctx, h.Reader(), id, traffic.HourOf(of.From), traffic.HourOf(of.Until))
	days, err2 := store.TrafficDays(ctx, h.Reader(), id, traffic.DayOf(of.From, s.Zone), traffic.DayOf(of.Until, s.Zone))
	visits, err3 := store.TrafficGoingOn(ctx, h.Reader(), id, of.From, of.Until)
	if err := errors.Join(err1, err2, err3); err != nil {
		return nil, fmt.Errorf("reading the traffic of a site: %w", err)
	}
	for _, v := range visits { // as if they ended now
		days = append(days, v.Ended()...)
	}
	return traffic.Figure(hits, days, of.From, of.Until, of.ByHour(), s.Zone), nil
}

// FiguresOfSites adds up what was opened and turned away, and who came, on every site in a
// stretch of time.
func FiguresOfSites(ctx context.Context, h *house.House, of Stretch) (map[store.SiteID]*traffic.Figures, error) {
	zone := h.State().Zone
	all, err := store.TrafficOfSites(ctx, h.Reader(), traffic.HourOf(of.From), traffic.HourOf(of.Until), traffic.DayOf(of.From, zone), traffic.DayOf(of.Until, zone))
	if err != nil {
		return nil, fmt.Errorf("reading the traffic of all sites: %w", err)
	}
	return all, nil
}

// ReplayDays is how far back visits are decided again.
const ReplayDays = 28

// Replay decides the visits of the last weeks again: by the policy in force, and by another.
func Replay(ctx context.Context, h *house.House, site string, then *access.Policy) (traffic.Replayed, error) {
	s, now := h.State(), h.Now()
	hits, err := store.TrafficHits(ctx, h.Reader(), s.ID(site), traffic.HourOf(now.AddDate(0, 0, -ReplayDays)), traffic.HourOf(now)+1)
	if err != nil {
		return traffic.Replayed{}, fmt.Errorf("reading the visits of a site: %w", err)
	}
	asked := make([]traffic.Asked, 0, len(hits))
	for _, hit := range hits {
		if hit.Page != "" {
			asked = append(asked, traffic.Asked{Hour: hit.Hour, Page: hit.Page, Who: hit.Who, N: hit.N})
		}
	}
	return traffic.Replay(s.Policy, then, site, s.Site(site).Details.Upstream != "", asked), nil
}

// Choice returns how a site is counted.
func Choice(h *house.House, site string) store.TrafficChoice { return choiceOf(h.State(), site) }

// Choose sets how a site is counted, from the next second on. It returns house.FieldErrors.
func Choose(ctx context.Context, h *house.House, a house.Actor, site string, c store.TrafficChoice) error {
	wrong := house.FieldErrors{}
	if c.Days < 1 || c.Days > store.DefaultTraffic.Days {
		wrong["days"] = fmt.Sprintf("Choose 1 to %d days.", store.DefaultTraffic.Days)
	}
	if c.Months < 1 || c.Months > store.DefaultTraffic.Months {
		wrong["months"] = fmt.Sprintf("Choose 1 to %d months.", store.DefaultTraffic.Months)
	}
	if len(wrong) > 0 {
		return wrong
	}
	return h.Change(ctx, a, house.Needs{Site: site, Cap: access.ManageListing}, func(tx *house.Tx) error {
		what := "People who sign in are not counted by name"
		if c.Names {
			what = "People who sign in are counted by name"
		}
		tx.Log(site, "listing", fmt.Sprintf("%s; visits are kept for %d days, figures for %d months.", what, c.Days, c.Months), "", "")
		id := tx.State().ID(site)
		tx.Renew(id, house.Listing)
		if err := store.SaveTrafficChoice(ctx, tx, id, c); err != nil {
			return err
		}
		return forgetSite(ctx, tx, tx.State(), id, c, tx.Now())
	})
}
