// Package load asks a server over and over.
package load

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Ask asks a server for one page over and over on some connections, for a while: as fast as
// it answers, or on each connection once every pace. Every answer has as many bytes as the
// first. It returns the answers a second and the 99th percentile of what one took.
func Ask(address, request string, connections int, long, pace time.Duration) (perSecond float64, p99 time.Duration, err error) {
	var begun, until time.Time // once all are connected
	times, failed := make([][]time.Duration, connections), make([]error, connections)
	var wait, connected sync.WaitGroup
	connected.Add(connections)
	ready := make(chan struct{})
	for i := range connections {
		wait.Go(func() {
			conn, whole, in, err := begin(address, request)
			connected.Done()
			<-ready
			if err != nil {
				failed[i] = err
				return
			}
			defer conn.Close()
			next := begun.Add(pace * time.Duration(i) / time.Duration(connections))
			for time.Now().Before(until) {
				begin := time.Now()
				if pace > 0 {
					time.Sleep(time.Until(next))
					begin, next = time.Now(), next.Add(pace)
				}
				_, err1 := io.WriteString(conn, request)
				_, err2 := in.Discard(whole)
				if failed[i] = errors.Join(err1, err2); failed[i] != nil {
					return
				}
				times[i] = append(times[i], time.Since(begin))
			}
		})
	}
	connected.Wait()
	begun = time.Now()
	until = begun.Add(long)
	close(ready)
	wait.Wait()
	if err := errors.Join(failed...); err != nil {
		return 0, 0, err
	}
	all := slices.Concat(times...)
	slices.Sort(all)
	return float64(len(all)) / long.Seconds(), all[len(all)*99/100], nil
}

// begin connects, asks once, and returns how many bytes an answer has.
func begin(address, request string) (net.Conn, int, *bufio.Reader, error) {
	conn, err := net.Dial("tcp", address)
	if err != nil {
		return nil, 0, nil, err
	}
	in := bufio.NewReaderSize(conn, 32<<10)
	if _, err = io.WriteString(conn, request); err != nil {
		return nil, 0, nil, errors.Join(err, conn.Close())
	}
	whole, err := answer(in)
	if err != nil {
		return nil, 0, nil, errors.Join(err, conn.Close())
	}
	return conn, whole, in, nil
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
