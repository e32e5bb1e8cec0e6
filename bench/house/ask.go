package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"velada/console"
	"velada/demo"
	"velada/gate"
	"velada/house"
	"velada/store"
)

// bench is a made-up house with its console and its gate, and a steward who is signed in.
type bench struct {
	size
	ctx     context.Context
	stop    context.CancelFunc
	db      *sql.DB
	house   *house.House
	console http.Handler
	gate    *gate.Gate
	cookies []string
	nonce   int // tells what this run makes from what others made
	started time.Duration
	atRest  uint64
	file    int64
}

// open opens a house of a size, which it makes first where it is not in the folder.
func open(ctx context.Context, z size, in string) (*bench, error) {
	file := filepath.Join(in, z.name, "velada.db")
	_, err := os.Stat(file)
	made := err == nil
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return nil, err
	}
	b := &bench{size: z, nonce: int(time.Now().Unix() % 1_000_000)}
	b.ctx, b.stop = context.WithCancel(ctx)
	if b.db, err = store.Open(b.ctx, file); err != nil {
		return nil, err
	}
	now := func() time.Time { return demo.Start }
	if !made {
		if err := z.fill(b.ctx, b.db, demo.Start); err != nil {
			return nil, errors.Join(err, os.RemoveAll(filepath.Dir(file)))
		}
	}
	began := time.Now()
	if b.house, err = house.Open(b.ctx, b.db, now); err != nil {
		return nil, err
	}
	b.started = time.Since(began)
	host := func(address string) string { return address + ".localhost" }
	site := func(address string) string { return "http://" + host(address) }
	b.gate = gate.New(b.house, site("velada"), false, site)
	b.console = console.New(b.ctx, b.house, &gate.Glass{Gate: b.gate, Console: site("velada")}, "", false, host, site)
	if !made {
		if err := z.letterTo(b.ctx, b.house); err != nil {
			return nil, err
		}
	}
	if err := store.Checkpoint(b.ctx, b.db); err != nil {
		return nil, err
	}
	b.atRest = heap()
	if info, err := os.Stat(file); err == nil {
		b.file = info.Size()
	}
	r := b.ask(http.MethodPost, "/sign-in", url.Values{"address": {steward}, "password": {password}})
	if r.Code != http.StatusSeeOther {
		return nil, fmt.Errorf("signing in: %d", r.Code)
	}
	for _, c := range r.Result().Cookies() {
		b.cookies = append(b.cookies, c.Name+"="+c.Value)
	}
	return b, nil
}

func (b *bench) close() {
	b.stop()
	b.house.Wait()
	_ = b.db.Close() // nothing is written any more
}

// ask asks the console for a path; a form is sent.
func (b *bench) ask(method, path string, form url.Values) *httptest.ResponseRecorder {
	r := httptest.NewRequest(method, "http://velada.localhost"+path, strings.NewReader(form.Encode()))
	r.Header.Set("Cookie", strings.Join(b.cookies, "; "))
	if method == http.MethodPost {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		r.Header.Set("Origin", "http://velada.localhost")
	}
	w := httptest.NewRecorder()
	b.console.ServeHTTP(w, r)
	return w
}

// visit asks the large site for a page, as a stranger.
func (b *bench) visit(path string) *httptest.ResponseRecorder {
	r := httptest.NewRequest(http.MethodGet, "http://"+largeSite+".localhost"+path, nil)
	w := httptest.NewRecorder()
	b.gate.Serve(w, r, largeSite)
	return w
}

// measured is something that is asked for: a view, or a change that is made.
type measured struct {
	name string
	do   func(n int) *httptest.ResponseRecorder // n is which time it is
	want int
}

// figures are what something takes.
type figures struct {
	cpu     time.Duration // of the process, the median
	bytes   int           // of the answer
	rows    int64         // read from the database
	mallocs uint64
}

const times = 5

// measure does something several times; an error says that it did not go as it should.
func (b *bench) measure(m measured) (f figures, err error) {
	var spent []time.Duration
	for n := range times {
		runtime.GC()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		began, rows := cpu(), store.RowsRead()
		r := m.do(n)
		took := cpu() - began
		runtime.ReadMemStats(&after)
		spent = append(spent, took)
		f.bytes, f.rows, f.mallocs = r.Body.Len(), store.RowsRead()-rows, after.Mallocs-before.Mallocs
		if r.Code != m.want {
			return f, fmt.Errorf("%d, not %d: %.300s", r.Code, m.want, r.Body.String())
		}
		if took > 20*time.Second {
			break
		}
	}
	slices.Sort(spent)
	f.cpu = spent[len(spent)/2]
	return f, nil
}
