// Serving measures what the gate costs beside the bare server: the same 8 KB
// page from net/http with nothing decided, from Velada to a stranger and to
// somebody signed in at a domain, and from nginx with auth_request where nginx is
// installed. Every server runs in a process of its own, and so does the load;
// rounds are interleaved in an order that changes, and ratios taken round by round.
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"time"
)

const (
	connections = 64
	rounds      = 31
	aRound      = time.Second / 2
)

func main() {
	if len(os.Args) == 4 && os.Args[1] == "serve" {
		serve(os.Args[2], os.Args[3])
	}
	ctx := context.Background()
	folder, err := os.MkdirTemp("", "velada-bench-")
	check(err)
	defer os.RemoveAll(folder)
	if os.Getenv("STARTING_ONLY") == "" {
		serving(folder)
	}
	if os.Getenv("SERVING_ONLY") == "" {
		starting(ctx, folder)
	}
}

func check(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// fetch returns the page as Velada sends it, and keeps it for the plain servers.
func fetch(address, folder string) page {
	r, err := http.NewRequest(http.MethodGet, "http://"+address+"/", nil)
	check(err)
	r.Host = "public.localhost"
	answer, err := (&http.Transport{DisableCompression: true}).RoundTrip(r)
	check(err)
	defer answer.Body.Close()
	p := page{Header: answer.Header}
	p.Body, err = io.ReadAll(answer.Body)
	check(err)
	p.Header.Del("Date")
	p.Header.Set("Content-Length", strconv.Itoa(len(p.Body)))
	text, err := json.Marshal(p)
	check(err)
	check(os.WriteFile(filepath.Join(folder, "page.json"), text, 0o600))
	return p
}

func serving(folder string) {
	debug.SetGCPercent(1600) // the load is not to be held up by its own garbage
	velada, stop := start("velada", folder)
	defer stop()
	counting, end := start("counting", folder)
	defer end()
	p := fetch(velada.Address, folder)
	const request = "GET / HTTP/1.1\r\nHost: public.localhost\r\nUser-Agent: Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0\r\n\r\n"
	signedIn := func(visit string) string {
		return "GET / HTTP/1.1\r\nHost: inside.localhost\r\nUser-Agent: Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0\r\nCookie: velada_visit=" + visit + "\r\n\r\n"
	}
	list := []*contestant{
		{name: "Velada, a public page, not counted", address: velada.Address, request: request},
		{name: "Velada, for a domain, signed in, not counted", address: velada.Address, request: signedIn(velada.Visit)},
		{name: "Velada, a public page", address: counting.Address, request: request},
		{name: "Velada, for a domain, signed in", address: counting.Address, request: signedIn(counting.Visit)},
	}
	for _, plain := range []struct{ role, name string }{
		{"same", "net/http, with the same headers"},
		{"seldom", "net/http, nothing decided, garbage collected as seldom"},
		{"bare", "net/http, nothing decided, once more"},
		{"bare", "net/http, nothing decided"},
	} {
		s, stop := start(plain.role, folder)
		defer stop()
		list = append([]*contestant{{name: plain.name, address: s.Address, request: request}}, list...)
	}
	if plain, asking, stop := nginx(folder, p.Body); stop != nil {
		defer stop()
		list = append(list, &contestant{name: "nginx, nothing decided", address: plain, request: request},
			&contestant{name: "nginx with auth_request", address: asking, request: request, against: len(list)})
	}
	for range rounds {
		for _, c := range shuffled(list) {
			perSecond, p99 := c.round(0)
			c.perSecond, c.p99 = append(c.perSecond, perSecond), append(c.p99, p99)
		}
	}
	// as many a second for all: two fifths of what the bare server can
	pace := time.Duration(float64(connections) / (0.4 * median(list[0].perSecond)) * float64(time.Second))
	for range rounds {
		for _, c := range shuffled(list) {
			_, p99 := c.round(pace)
			c.paced = append(c.paced, p99)
		}
	}
	fmt.Printf("The same page of %d bytes, %d connections, %d interleaved rounds of %s on %d cores, every server in a process of its own and the load, from the same machine, in another.\n\n", len(p.Body), connections, rounds, aRound, runtime.NumCPU())
	fmt.Println("p99 is told twice: where each is asked as fast as it answers, and where all are asked at the same pace, two fifths of what bare net/http can.")
	fmt.Println("The second line is the first server once more, so that one sees how exact all of this is.")
	fmt.Println()
	fmt.Println("| server | requests a second | of its bare server | p99 at full load | of bare net/http's | p99 at the same pace | of bare net/http's |\n|---|---:|---:|---:|---:|---:|---:|")
	for _, c := range list {
		fmt.Printf("| %s | %.0f | %.0f %% | %.2f ms | %.2f | %.2f ms | %.2f |\n", c.name, median(c.perSecond), 100*median(ratios(c.perSecond, list[c.against].perSecond)),
			float64(median(c.p99))/1e6, median(ratios(c.p99, list[0].p99)), float64(median(c.paced))/1e6, median(ratios(c.paced, list[0].paced)))
	}
	fmt.Println()
}

type number interface{ ~int64 | ~float64 }

func median[T number](list []T) T {
	sorted := slices.Sorted(slices.Values(list))
	return sorted[len(sorted)/2]
}

func ratios[T number](a, b []T) (list []float64) {
	for i := range a {
		list = append(list, float64(a[i])/float64(b[i]))
	}
	return list
}
