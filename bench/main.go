package main

import (
	"bytes"
	"fmt"
	"io"
	"os"
	"runtime"
	"slices"
	"strings"
	"time"

	"velada/core/access"
)

type entry struct {
	name   string
	engine engine
}

// entries builds every engine of the table.
func (s *scenario) entries() []entry {
	p := s.policy()
	return []entry{
		{"Velada", velada{p.Site("bench")}},
		{"plain Go maps", newPlainMaps(s)},
		{"cedar-go", newCedar(s, false)},
		{"cedar-go, handed the one rule", newCedar(s, true)},
		{"casbin", newCasbin(s, false)},
		{"casbin, handed the one rule", newCasbin(s, true)},
		{"OPA Rego", newOPA(s, false)},
		{"OPA Rego, handed the one rule", newOPA(s, true)},
	}
}

const rounds = 7

func main() {
	runtime.GOMAXPROCS(2)
	decisions()
	fmt.Println()
	consequences()
}

// timed returns the time of one call, repeated for long enough to be measured.
func timed(enough time.Duration, call func(n int)) time.Duration {
	for n := 1; ; n *= 2 {
		begin := time.Now()
		call(n)
		if spent := time.Since(begin); spent >= enough {
			return spent / time.Duration(n)
		}
	}
}

func median(list []time.Duration) time.Duration {
	slices.Sort(list)
	return list[len(list)/2]
}

// decisions prints what one decision takes, all engines in every round.
func decisions() {
	s := newScenario(20261124, small)
	entries := s.entries()
	times := make([][]time.Duration, len(entries))
	ratios := make([][]float64, len(entries))
	for range rounds {
		for i, e := range entries {
			stream := s.requests
			if i > 1 { // the slow ones are asked part of the stream in each round
				stream = stream[:1024]
			}
			spent := timed(60*time.Millisecond, func(n int) {
				for range n {
					for k := range stream {
						e.engine.allow(&stream[k])
					}
				}
			})
			times[i] = append(times[i], spent/time.Duration(len(stream)))
			ratios[i] = append(ratios[i], float64(times[i][len(times[i])-1])/float64(times[0][len(times[0])-1]))
		}
	}
	fmt.Printf("One decision: %d pages, %d page doors, %d people, %d groups; %d requests, median of %d interleaved rounds.\n\n", len(s.paths), len(s.rules)-1, len(s.people), len(s.groups), len(s.requests), rounds)
	fmt.Println("| engine | a decision | times Velada's |\n|---|---:|---:|")
	for i, e := range entries {
		slices.Sort(ratios[i])
		fmt.Printf("| %s | %s | %.1f |\n", e.name, short(median(times[i])), ratios[i][rounds/2])
	}
}

func short(d time.Duration) string {
	switch {
	case d < 10*time.Microsecond:
		return fmt.Sprintf("%d ns", d.Nanoseconds())
	case d < 10*time.Millisecond:
		return fmt.Sprintf("%.1f µs", float64(d.Nanoseconds())/1e3)
	}
	return fmt.Sprintf("%.1f ms", float64(d.Nanoseconds())/1e6)
}

func middle() access.Instant { return access.At(time.Unix(start+month/2, 0)) }

// newImpactCase changes the site's door from its domain to one group more.
func newImpactCase(s *scenario) (before, after *access.Policy) {
	before = s.policy()
	changed := *s.document.Sites[0]
	changed.Door.Ways = append(slices.Clone(changed.Door.Ways), access.Way{Way: "groups", Groups: []string{"group-1", "group-2"}})
	after, err := before.Replace(&changed)
	if err != nil {
		panic(err)
	}
	return before, after
}

// pairs counts who gains what by deciding for each person and page.
func pairs(before, after *access.Policy) (gains int) {
	doc := before.Document()
	b, a := before.Site("bench"), after.Site("bench")
	for _, person := range doc.People {
		id, _ := before.Person(person.ID)
		v := access.Visitor{Identity: id}
		for i := range doc.Sites[0].Pages {
			path := doc.Sites[0].Pages[i].Path
			if b.Decide(path, &v, middle()).Outcome != access.Open && a.Decide(path, &v, middle()).Outcome == access.Open {
				gains++
			}
		}
	}
	return gains
}

// consequences prints what a change costs on the large house.
func consequences() {
	s := newScenario(20261124, large)
	heap := liveHeap()
	var policy *access.Policy
	compiling := timed(time.Second, func(n int) {
		for range n {
			policy = s.policy()
		}
	})
	heap = liveHeap() - heap
	before, after := newImpactCase(s)
	impact := make([]time.Duration, rounds)
	for i := range impact {
		impact[i] = timed(100*time.Millisecond, func(n int) {
			for range n {
				access.ImpactOf(before, after, middle())
			}
		})
	}
	begin := time.Now()
	pairs(before, after)
	single := time.Since(begin)
	first := *policy.Document().Sites[0]
	replacing := make([]time.Duration, rounds)
	for i := range replacing {
		replacing[i] = timed(100*time.Millisecond, func(n int) {
			for k := range n {
				changed := first
				changed.Members = slices.Clone(first.Members)
				changed.Members[k%len(changed.Members)].Status = "pending"
				if _, err := policy.Replace(&changed); err != nil {
					panic(err)
				}
			}
		})
	}
	perSecond := throughput()
	fmt.Printf("A change: %d people, %d groups, %d pages, %d page doors.\n\n", len(s.people), len(s.groups), len(s.paths), len(s.rules)-1)
	fmt.Println("| what | figure |\n|---|---:|")
	fmt.Printf("| impact of a change of the site's door | %s |\n", short(median(impact)))
	fmt.Printf("| the same by deciding each pair | %s |\n", short(single))
	fmt.Printf("| so the impact is faster by | %.0f times |\n", float64(single)/float64(median(impact)))
	fmt.Printf("| compiling the house from nothing | %s |\n", short(compiling))
	fmt.Printf("| recompiling the site after a change of one member | %s |\n", short(median(replacing)))
	fmt.Printf("| live heap of the compiled house | %.0f MB |\n", float64(heap)/1e6)
	fmt.Printf("| requests a second through `velada policy decide`, why included, one core | %.0f |\n", perSecond)
	runtime.KeepAlive(before)
}

func liveHeap() int64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc)
}

// throughput answers the small scenario's requests as lines of JSON on one core.
func throughput() float64 {
	s := newScenario(20261124, small)
	p := s.policy()
	var lines bytes.Buffer
	for i := range s.requests {
		r := &s.requests[i]
		fmt.Fprintf(&lines, `{"site":"bench","path":%q,"at":%q,"ip":%q`, r.path, r.instant, r.ipText)
		if r.person >= 0 {
			fmt.Fprintf(&lines, `,"person":%q`, personID(r.person))
		}
		if len(r.visitor.Passes) > 0 {
			fmt.Fprintf(&lines, `,"passes":[%q]`, r.visitor.Passes[0])
		}
		lines.WriteString("}\n")
	}
	defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
	many := strings.Repeat(lines.String(), 100)
	best := 0.0
	for range 3 {
		begin := time.Now()
		if err := p.AnswerLines(strings.NewReader(many), io.Discard, access.At(time.Now()), true); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		best = max(best, float64(len(s.requests)*100)/time.Since(begin).Seconds())
	}
	return best
}
