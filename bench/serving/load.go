package main

import (
	"bufio"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
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
	var begun, until time.Time // once all are connected
	times := make([][]time.Duration, connections)
	var wait, connected sync.WaitGroup
	connected.Add(connections)
	ready := make(chan struct{})
	for i := range connections {
		wait.Go(func() {
			conn, err := net.Dial("tcp", c.address)
			check(err)
			defer conn.Close()
			in := bufio.NewReaderSize(conn, 32<<10)
			_, err = io.WriteString(conn, c.request)
			check(err)
			whole, err := answer(in) // every answer has as many bytes as the first
			check(err)
			connected.Done()
			<-ready
			next := begun.Add(pace * time.Duration(i) / connections)
			for time.Now().Before(until) {
				begin := time.Now()
				if pace > 0 {
					time.Sleep(time.Until(next))
					begin, next = time.Now(), next.Add(pace)
				}
				_, err := io.WriteString(conn, c.request)
				check(err)
				_, err = in.Discard(whole)
				check(err)
				times[i] = append(times[i], time.Since(begin))
			}
		})
	}
	connected.Wait()
	begun = time.Now()
	until = begun.Add(aRound)
	close(ready)
	wait.Wait()
	all := slices.Concat(times...)
	slices.Sort(all)
	return float64(len(all)) / aRound.Seconds(), all[len(all)*99/100]
}

// answer reads one answer that has a length, and returns how many bytes it has.
func answer(in *bufio.Reader) (whole int, err error) {
	line, err := in.ReadSlice('\n')
	if err != nil || !strings.Contains(string(line), " 200 ") {
		return 0, fmt.Errorf("answered %q: %w", line, err)
	}
	whole = len(line)
	length := 0
	for {
		line, err := in.ReadSlice('\n')
		if err != nil {
			return 0, err
		}
		whole += len(line)
		if len(line) <= 2 {
			break
		}
		if text, ok := strings.CutPrefix(string(line), "Content-Length: "); ok {
			length, _ = strconv.Atoi(strings.TrimSpace(text))
		}
	}
	_, err = in.Discard(length)
	return whole + length, err
}

// shuffled returns the contestants in another order, so that none gains by its place.
func shuffled(list []*contestant) []*contestant {
	list = slices.Clone(list)
	rand.Shuffle(len(list), func(i, j int) { list[i], list[j] = list[j], list[i] })
	return list
}
