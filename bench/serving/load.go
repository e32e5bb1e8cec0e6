package main

import (
	"math/rand/v2"
	"slices"
	"time"

	"velada/bench/load"
)

// contestant is a server to be asked for one page.
type contestant struct {
	name, address, request string
	against                int // which contestant of the list it is compared with
	perSecond              []float64
	p99                    []time.Duration
	paced                  []time.Duration // p99 where all are asked at the same pace
}

// round asks a contestant over and over on all connections, for a round: as fast
// as it answers, or on each connection once every pace.
func (c *contestant) round(pace time.Duration) (perSecond float64, p99 time.Duration) {
	perSecond, p99, err := load.Ask(c.address, c.request, connections, aRound, pace)
	check(err)
	return perSecond, p99
}

// shuffled returns the contestants in another order, so that none gains by its place.
func shuffled(list []*contestant) []*contestant {
	list = slices.Clone(list)
	rand.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	return list
}
