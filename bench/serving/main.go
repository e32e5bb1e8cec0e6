// Serving measures what the gate costs beside the bare server: the same 8 KB
// page from net/http with nothing decided, from Velada to a stranger and to
// somebody signed in at a domain, and from nginx with auth_request where nginx is
// installed. Rounds are interleaved; ratios are taken round by round.
package main

import (
	"bufio"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"runtime/pprof"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"velada/app"
	"velada/core/access"
	"velada/gate"
	"velada/identity"
	"velada/store"
)

const (
	connections = 64
	rounds      = 9
	aRound      = time.Second
)

func main() {
	ctx := context.Background()
	if file := os.Getenv("CPUPROFILE"); file != "" {
		f, err := os.Create(file)
		check(err)
		check(pprof.StartCPUProfile(f))
		defer pprof.StopCPUProfile()
	}
	folder, err := os.MkdirTemp("", "velada-bench-")
	check(err)
	defer os.RemoveAll(folder)
	if os.Getenv("STARTING_ONLY") == "" {
		serving(ctx, folder)
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

// contestant is a server to be asked for one page.
type contestant struct {
	name, address, request string
	perSecond              []float64
	p99                    []time.Duration
	paced                  []time.Duration // p99 where all are asked at the same pace
}

func serving(ctx context.Context, folder string) {
	debug.SetGCPercent(gate.CollectAt) // for the bare server just the same
	house := smallHouse(ctx, filepath.Join(folder, "small.db"))
	g := gate.New(house, "http://velada.localhost", false, func(a string) string { return "http://" + a + ".localhost" })
	velada := listen(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		label, _, _ := strings.Cut(r.Host, ".")
		g.Serve(w, r, label)
	}))
	answer := httptest.NewRecorder()
	g.Serve(answer, httptest.NewRequest(http.MethodGet, "/", nil), "public")
	page := answer.Body.Bytes()
	length := []string{strconv.Itoa(len(page))}
	bare := listen(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h["Content-Type"], h["Content-Length"] = []string{"text/html; charset=utf-8"}, length
		_, _ = w.Write(page)
	}))
	same := listen(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		for name, values := range answer.Header() {
			h[name] = values
		}
		_, _ = w.Write(page)
	}))
	code := house.Tickets.Issue(identity.Ticket{Site: "inside", Address: "reader@house.example", Console: "c"}, time.Now())
	visit, err := house.BeginVisit(ctx, code, "inside")
	check(err)
	list := []*contestant{
		{name: "net/http, nothing decided", address: bare, request: "GET / HTTP/1.1\r\nHost: public.localhost\r\n\r\n"},
		{name: "net/http, with the same headers", address: same, request: "GET / HTTP/1.1\r\nHost: public.localhost\r\n\r\n"},
		{name: "Velada, a public page", address: velada, request: "GET / HTTP/1.1\r\nHost: public.localhost\r\n\r\n"},
		{name: "Velada, for a domain, signed in", address: velada, request: "GET / HTTP/1.1\r\nHost: inside.localhost\r\nCookie: velada_visit=" + visit + "\r\n\r\n"},
	}
	if plain, asking, stop := nginx(folder, page); stop != nil {
		defer stop()
		list = append(list, &contestant{name: "nginx, nothing decided", address: plain, request: list[0].request}, &contestant{name: "nginx with auth_request", address: asking, request: list[0].request})
	}
	for range rounds {
		for _, c := range list {
			perSecond, p99 := c.round(0)
			c.perSecond, c.p99 = append(c.perSecond, perSecond), append(c.p99, p99)
		}
	}
	// as many a second for all: two fifths of what the bare server can
	pace := time.Duration(float64(connections) / (0.4 * median(list[0].perSecond)) * float64(time.Second))
	for range rounds {
		for _, c := range list {
			_, p99 := c.round(pace)
			c.paced = append(c.paced, p99)
		}
	}
	fmt.Printf("The same page of %d bytes, %d connections, %d interleaved rounds of %s on %d cores; the load comes from the same machine.\n\n", len(page), connections, rounds, aRound, runtime.NumCPU())
	fmt.Println("p99 is told twice: where each is asked as fast as it answers, and where all are asked at the same pace, two fifths of what bare net/http can.")
	fmt.Println()
	fmt.Println("| server | requests a second | of its bare server | p99 at full load | of bare net/http's | p99 at the same pace | of bare net/http's |\n|---|---:|---:|---:|---:|---:|---:|")
	for i, c := range list {
		against := list[0]
		if i > 4 {
			against = list[4]
		}
		fmt.Printf("| %s | %.0f | %.0f %% | %.2f ms | %.2f | %.2f ms | %.2f |\n", c.name, median(c.perSecond), 100*median(ratios(c.perSecond, against.perSecond)),
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

func listen(h http.Handler) string {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	check(err)
	go func() { _ = http.Serve(l, h) }()
	return l.Addr().String()
}

// round asks a contestant over and over on all connections, for a round: as fast
// as it answers, or on each connection once every pace.
func (c *contestant) round(pace time.Duration) (perSecond float64, p99 time.Duration) {
	until := time.Now().Add(aRound)
	times := make([][]time.Duration, connections)
	var wait sync.WaitGroup
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
			next := time.Now().Add(pace * time.Duration(i) / connections)
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
	wait.Wait()
	all := slices.Concat(times...)
	slices.Sort(all)
	return float64(len(all)) / aRound.Seconds(), all[len(all)*99/100]
}

// answer reads one answer that has a length, and gives how many bytes it has.
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

func smallHouse(ctx context.Context, file string) *app.House {
	db, err := store.Open(ctx, file)
	check(err)
	doc := &access.Document{Velada: 1, House: access.House{Name: "House", Zone: "UTC", Domains: []string{"house.example"}}, People: []access.Person{{ID: "reader", Name: "A Reader", Address: "reader@house.example"}}}
	for address, ways := range map[string][]access.Way{"public": {{Way: "anyone"}}, "inside": {{Way: "domain", Domains: []string{"house.example"}}}} {
		site := access.NewSite(address, "A site")
		site.Door.Ways = ways
		doc.Sites = append(doc.Sites, site)
	}
	check(store.SaveDocument(ctx, db, doc))
	for i, site := range doc.Sites {
		e := &store.Edition{Site: site.Address, Number: 1, At: time.Now()}
		for n, path := range []string{"/", "/a", "/b", "/c", "/d"} {
			e.Pages = append(e.Pages, store.Page{Path: path, Title: "Page " + path, Body: strings.Repeat("A clear night over the hill, and nobody to see it but us. ", 124), InMenu: n > 0, Listing: true})
		}
		_, err := app.PutEdition(ctx, db, site, e, i)
		check(err)
	}
	house, err := app.Open(ctx, db, time.Now)
	check(err)
	return house
}

// nginx serves the page as a file, with nothing decided and behind auth_request
// to a server that says yes at once.
func nginx(folder string, page []byte) (plain, asking string, stop func()) {
	binary, err := exec.LookPath("nginx")
	if err != nil {
		fmt.Fprintln(os.Stderr, "nginx is not installed: its lines are left out")
		return "", "", nil
	}
	yes := listen(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {}))
	root := filepath.Join(folder, "nginx")
	check(os.MkdirAll(root, 0o755))
	check(os.Chmod(folder, 0o755))
	check(os.WriteFile(filepath.Join(root, "index.html"), page, 0o644))
	free := func() string {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		check(err)
		defer l.Close()
		return l.Addr().String()
	}
	plain, asking = free(), free()
	conf := fmt.Sprintf(`daemon off; worker_processes auto; pid %[1]s/pid; error_log %[1]s/error.log;
events { worker_connections 1024; }
http { access_log off; keepalive_requests 1000000; sendfile on; default_type text/html; root %[1]s;
 client_body_temp_path %[1]s/b; proxy_temp_path %[1]s/p; fastcgi_temp_path %[1]s/f; uwsgi_temp_path %[1]s/u; scgi_temp_path %[1]s/s;
 upstream yes { server %[4]s; keepalive 64; keepalive_requests 1000000; }
 server { listen %[2]s; }
 server { listen %[3]s; location / { auth_request /asked; } location = /asked { internal; proxy_pass http://yes; proxy_http_version 1.1; proxy_set_header Connection ""; proxy_pass_request_body off; proxy_set_header Content-Length ""; } }
}`, root, plain, asking, yes)
	file := filepath.Join(root, "nginx.conf")
	check(os.WriteFile(file, []byte(conf), 0o644))
	c := exec.Command(binary, "-p", root, "-c", file)
	c.Stderr = os.Stderr
	check(c.Start())
	for range 100 {
		if conn, err := net.Dial("tcp", asking); err == nil {
			conn.Close()
			break
		}
		time.Sleep(20 * time.Millisecond)
	}
	return plain, asking, func() { _ = c.Process.Kill(); _ = c.Wait() }
}

// starting measures how long a large house takes to start, and what it holds.
func starting(ctx context.Context, folder string) {
	const sites, pages = 1000, 100
	file := filepath.Join(folder, "large.db")
	db, err := store.Open(ctx, file)
	check(err)
	doc := &access.Document{Velada: 1, House: access.House{Name: "House", Zone: "UTC", Domains: []string{"house.example"}}}
	tx, err := db.BeginTx(ctx, nil)
	check(err)
	for i := range sites {
		site := access.NewSite(fmt.Sprintf("site-%d", i), fmt.Sprintf("Site %d", i))
		site.Door.Ways = []access.Way{{Way: "anyone"}}
		doc.Sites = append(doc.Sites, site)
	}
	check(store.SaveDocument(ctx, tx, doc))
	body := strings.Repeat("A clear night over the hill, and nobody to see it but us. ", 30)
	for i, site := range doc.Sites {
		e := &store.Edition{Site: site.Address, Number: 1, At: time.Now()}
		for n := range pages {
			path := "/"
			if n > 0 {
				path = fmt.Sprintf("/part-%d/page-%d", n/10, n)
			}
			e.Pages = append(e.Pages, store.Page{ID: fmt.Sprintf("p%d", n), Path: path, Title: fmt.Sprintf("Page %d", n), Body: body, InMenu: n < 5, Listing: true})
		}
		_, err := app.PutEdition(ctx, tx, site, e, i)
		check(err)
		check(store.SaveWorkingPages(ctx, tx, site.Address, e.Pages))
	}
	check(tx.Commit())
	var times []float64
	var heap int64
	for range 5 {
		before := liveHeap()
		begin := time.Now()
		house, err := app.Open(ctx, db, time.Now)
		check(err)
		times = append(times, time.Since(begin).Seconds())
		heap = liveHeap() - before
		runtime.KeepAlive(house)
	}
	info, err := os.Stat(file)
	check(err)
	fmt.Printf("A house of %d sites with %d pages each, %d MB on disk: starts in %.2f s (median of 5), and holds %d MB then.\n", sites, pages, info.Size()>>20, median(times), heap>>20)
}

func liveHeap() int64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc)
}
