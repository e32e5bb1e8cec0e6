package main

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"slices"
	"sync/atomic"
	"time"

	"velada/bench/load"
	"velada/core/access"
	"velada/gate"
	"velada/house"
)

// How readers are asked for while the large site changes.
const (
	readers   = 64
	aWhile    = 4 * time.Second
	whiles    = 7
	eachSleep = time.Second // a change, once every
)

// whileItChanges asks the large site for its front page, by turns while nothing changes and
// while its door changes once a second, and prints how many answers a second that leaves.
func whileItChanges(in, name string) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	c := exec.Command(self, "-serve", "-size", name, "-in", in)
	c.Stderr = os.Stderr
	out, err1 := c.StdoutPipe()
	say, err2 := c.StdinPipe()
	if err := errors.Join(err1, err2); err != nil {
		return err
	}
	if err := c.Start(); err != nil {
		return err
	}
	defer func() { _ = c.Process.Kill(); _ = c.Wait() }()
	said := json.NewDecoder(out)
	var address string
	if err := said.Decode(&address); err != nil {
		return fmt.Errorf("the server says nothing: %w", err)
	}
	request := "GET / HTTP/1.1\r\nHost: " + largeSite + ".localhost\r\n\r\n"
	var kept, slower []float64
	for range whiles {
		quiet, p99, err := load.Ask(address, request, readers, aWhile, 0)
		if err != nil {
			return err
		}
		fmt.Fprintln(say, "change")
		busy, busy99, err := load.Ask(address, request, readers, aWhile, 0)
		if err != nil {
			return err
		}
		fmt.Fprintln(say, "rest")
		var made int
		if err := said.Decode(&made); err != nil || made < 2 {
			return fmt.Errorf("%d changes were made meanwhile: %w", made, err)
		}
		time.Sleep(eachSleep / 2) // what was begun ends
		kept, slower = append(kept, busy/quiet), append(slower, float64(busy99)/float64(p99))
		fmt.Printf("%s: %.0f answers a second, p99 %s; with a change a second %.0f, %s\n", name, quiet, p99.Round(10*time.Microsecond), busy, busy99.Round(10*time.Microsecond))
	}
	slices.Sort(kept)
	slices.Sort(slower)
	fmt.Printf("%s: with a change a second readers keep %.0f %% of their answers, and p99 is %.1f times what it was (medians of %d turns)\n", name, 100*kept[whiles/2], slower[whiles/2], whiles)
	return nil
}

// serveChanging is the process of the server: it says where it listens, and then changes the
// large site's door once a second between the lines change and rest, and then says how often.
func serveChanging(ctx context.Context, z size, in string) error {
	gate.CollectSeldom()
	b, err := open(ctx, z, in)
	if err != nil {
		return err
	}
	defer b.close()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { b.gate.Serve(w, r, largeSite) })}
	go func() { _ = server.Serve(gate.InOnePiece(server, l)) }() // until the process ends
	if err := json.NewEncoder(os.Stdout).Encode(l.Addr().String()); err != nil {
		return err
	}
	var changing atomic.Bool
	var made atomic.Int64
	go func() {
		for n := 0; ; n++ {
			time.Sleep(eachSleep)
			if !changing.Load() {
				continue
			}
			err := b.house.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
				door := &tx.Site(largeSite).Doors[1]
				door.Ways = []access.Way{{Way: "groups", Groups: []string{fmt.Sprintf("g%d", n%b.groups)}}}
				tx.Log(largeSite, "door", "Changed for the benchmark.", "", "")
				return nil
			})
			if err != nil {
				fmt.Fprintln(os.Stderr, err)
				continue
			}
			made.Add(1)
		}
	}()
	for lines := bufio.NewScanner(os.Stdin); lines.Scan(); {
		if changing.Store(lines.Text() == "change"); changing.Load() {
			continue
		}
		if err := json.NewEncoder(os.Stdout).Encode(made.Swap(0)); err != nil {
			return err
		}
	}
	return nil
}
