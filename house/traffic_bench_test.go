package house_test

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"velada/app/traffic"
	"velada/core/access"
	core "velada/core/traffic"
	"velada/house"
	"velada/store"
)

// busyDay counts so many requests of a day of the society's site, spread over pages, visitors
// and hours as they come, and writes them as often as is asked.
func busyDay(b *testing.B, h *house.House, midnight time.Time, requests, pages, visitors, writes int) {
	b.Helper()
	s := h.State()
	r := rand.New(rand.NewPCG(7, uint64(midnight.Unix())))
	tally := core.NewTally(s.Zone, nil)
	id := string(s.ID("society"))
	whos := []string{"stranger", "stranger", "stranger", "stranger", "domain:cerroalcor.example", "outsider", "pass:night", "network:198.51.100.0/24"}
	names := make([]string, pages)
	for i := range names {
		names[i] = fmt.Sprintf("/notes/of-the-observatory/page-%d", i)
	}
	write := func() {
		hits, days, today := tally.Take()
		err := h.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error { return store.AddTraffic(ctx, tx, hits, days, today) })
		if err != nil {
			b.Fatal(err)
		}
	}
	for i := range requests {
		h := core.Hit{
			Site: id, At: midnight.Add(time.Duration(float64(i) / float64(requests) * float64(24*time.Hour))), Page: names[r.IntN(1+r.IntN(pages))], Who: whos[r.IntN(len(whos))],
			Visitor: uint64(1 + r.IntN(visitors)), Source: fmt.Sprintf("news-%d.example", r.IntN(min(200, pages))), Device: "phone",
		}
		if r.IntN(20) == 0 {
			h.Outcome, h.Reason = access.Challenge, "sign-in - /notes"
		}
		tally.Add(h)
		if (i+1)%(requests/writes) == 0 {
			write()
		}
	}
	tally.Night()
	write()
}

// How much of the database a day of ten million requests takes, while it goes on and after the
// night, and how long it takes to tell a year of a site.
func BenchmarkTrafficOfADay(b *testing.B) {
	h, now := clockedHouse(b)
	size := func() (n float64) {
		if err := h.DB().QueryRowContext(ctx, `SELECT sum(pgsize) / 1e6 FROM dbstat WHERE name LIKE '%traffic%'`).Scan(&n); err != nil {
			b.Skip("no dbstat", err)
		}
		return n
	}
	before := size()
	for b.Loop() {
		busyDay(b, h, now.Truncate(24*time.Hour), 10_000_000, 500, 200_000, 24)
	}
	b.ReportMetric(size()-before, "MB/by-day")
	if _, err := h.DB().ExecContext(ctx, `DELETE FROM traffic_today`); err != nil {
		b.Fatal(err)
	}
	b.ReportMetric(size()-before, "MB/kept")
}

func BenchmarkTrafficOfAYear(b *testing.B) {
	for _, pages := range []int{40, 400} {
		b.Run(fmt.Sprintf("pages=%d", pages), func(b *testing.B) {
			h, now := clockedHouse(b)
			for ago := 364; ago >= 0; ago-- {
				busyDay(b, h, now.AddDate(0, 0, -ago).Truncate(24*time.Hour), 20*pages, pages, 3*pages, 1)
			}
			zone := h.State().Zone
			year, month, day := now.In(zone).Date()
			until := time.Date(year, month, day+1, 0, 0, 0, 0, zone)
			counter := traffic.New(h) // whose first request rolls up
			*now = now.Add(time.Minute)
			counter.Count(asks(h, "society", "/", "192.0.2.7"))
			counter.Drain()
			b.ResetTimer()
			for b.Loop() {
				f, err := traffic.Figures(ctx, h, "society", traffic.Stretch{From: until.AddDate(-1, 0, 0), Until: until})
				if err != nil || f.Opened == 0 {
					b.Fatal(err)
				}
			}
		})
	}
}
