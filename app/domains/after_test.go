package domains

import (
	"slices"
	"strings"
	"testing"
	"time"

	"velada/domain"
	"velada/store"
)

// A domain is proven, leads here, leads elsewhere and is lost, each told once; what nobody answers
// changes nothing.
func TestWhatBecomesOfADomain(t *testing.T) {
	now := time.Date(2026, 11, 24, 18, 0, 0, 0, time.UTC)
	to := domain.Target{Host: "a.house.example", Base: "house.example"}
	proof, here := []string{domain.ProofValue("abc")}, []string{"CNAME a.house.example"}
	d := store.Domain{Name: "www.hill.example", Token: "abc", Added: now}
	step := func(after time.Duration, proof, pointing []string, failed bool, want ...string) {
		t.Helper()
		now = now.Add(after)
		answer := func(values []string) domain.Answer { return domain.Answer{Values: values, Failed: failed} }
		seen := domain.Seen{Proof: []domain.Answer{answer(proof)}, Pointing: []domain.Answer{answer(pointing)}, ProofKept: answer(proof), PointingKept: answer(pointing)}
		next := After(d, seen, to, now)
		got := changes(d, next)
		if len(got) != len(want) || slices.ContainsFunc(want, func(w string) bool {
			return !slices.ContainsFunc(got, func(g string) bool { return strings.Contains(g, w) })
		}) {
			t.Errorf("at %s: %q, want %q", now, got, want)
		}
		d = next
	}
	step(0, nil, nil, false)
	step(time.Minute, proof, nil, false, "is proven")
	step(time.Minute, proof, here, false, "leads to this site")
	if d.Proven.IsZero() || !d.Seen.Reached || d.Next.Sub(now) > 5*time.Minute {
		t.Fatalf("%+v", d)
	}
	step(48*time.Hour, proof, here, false)
	if d.Next.Sub(now) != 24*time.Hour {
		t.Error(d.Next.Sub(now))
	}
	step(time.Hour, nil, nil, true)
	step(time.Hour, proof, []string{"A 198.51.100.1"}, false, "leads elsewhere: to the machine 198.51.100.1")
	step(time.Hour, proof, []string{"A 198.51.100.1"}, false)
	step(time.Hour, proof, here, false, "leads to this site")
	step(time.Hour, nil, here, false, "lost in 3 days")
	d.Main = true
	step(Grace-time.Hour, nil, here, false)
	step(time.Hour/2, nil, nil, true)
	if d.Proven.IsZero() {
		t.Fatal("it is lost too early")
	}
	step(time.Hour, nil, here, false, "is lost")
	if !d.Proven.IsZero() || d.Main {
		t.Errorf("%+v", d)
	}
	step(time.Hour, proof, here, false, "is proven")
	if gone := After(d, domain.Seen{Unregistered: true}, to, now); !slices.ContainsFunc(changes(d, gone), func(s string) bool { return strings.Contains(s, "may have expired") }) {
		t.Error("it is not told that a domain has expired")
	}
}
