package main

import (
	"testing"

	"velada/core/access"
)

// TestAgree asks every engine every request, and checks that the stream puts
// each kind of door to the test both ways.
func TestAgree(t *testing.T) {
	s := newScenario(20261124, small)
	if len(s.paths) != 500 || len(s.rules) != 41 || len(s.requests) != 4096 || len(s.people) != 10_000 {
		t.Fatal("wrong size")
	}
	reference := newPlainMaps(s)
	entries := s.entries()
	seen := map[kind][2]int{}
	for i := range s.requests {
		want := reference.allow(&s.requests[i])
		n := seen[s.rules[s.requests[i].rule].kind]
		if want {
			n[1]++
		} else {
			n[0]++
		}
		seen[s.rules[s.requests[i].rule].kind] = n
	}
	for k, n := range seen {
		t.Logf("%-9s %4d turned away, %4d let in", k, n[0], n[1])
	}
	if len(seen) != 6 {
		t.Errorf("%d kinds of doors were asked", len(seen))
	}
	for _, e := range entries {
		wrong := 0
		for i := range s.requests {
			if got := e.engine.allow(&s.requests[i]); got != reference.allow(&s.requests[i]) {
				if wrong++; wrong <= 3 {
					t.Errorf("%s: got %v: %+v under %+v", e.name, got, s.requests[i], s.rules[s.requests[i].rule])
				}
			}
		}
		if wrong > 0 {
			t.Errorf("%s: %d differ", e.name, wrong)
		}
	}
}

// The impact of a door's change by sets equals one decision a person and page.
func TestImpactEqualsPairs(t *testing.T) {
	n := large
	n.people, n.top = 3_000, 10
	before, after := newImpactCase(newScenario(7, n))
	impact := access.ImpactOf(before, after, middle())
	gains := 0
	for _, site := range impact.Sites {
		for _, p := range site.Pages {
			gains += p.Gains.Count()
		}
	}
	if want := pairs(before, after); gains != want || gains == 0 {
		t.Errorf("%d gains, one by one %d", gains, want)
	}
}
