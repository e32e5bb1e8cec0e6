package main

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"mime/multipart"
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
	member  string        // the cookie of a member's visit of the large site
	waited  time.Duration // by others at most, while a roster came in
	folder  string        // of the copy that is measured
	started time.Duration
	atRest  uint64
	file    int64
}

// open opens a copy of a house of a size, which it makes first where it is not in the folder.
func open(ctx context.Context, z size, in string) (*bench, error) {
	kept := filepath.Join(in, z.name, "velada.db")
	if _, err := os.Stat(kept); errors.Is(err, fs.ErrNotExist) {
		if err := z.make(ctx, kept); err != nil {
			return nil, errors.Join(err, os.RemoveAll(filepath.Dir(kept)))
		}
	}
	b := &bench{size: z}
	b.ctx, b.stop = context.WithCancel(ctx)
	var err error
	if b.folder, err = os.MkdirTemp("", "velada-house-"); err != nil {
		return nil, err
	}
	file := filepath.Join(b.folder, "velada.db")
	for _, name := range []string{"velada.db", "velada.key"} {
		if err := copyFile(filepath.Join(in, z.name, name), filepath.Join(b.folder, name)); err != nil {
			return nil, err
		}
	}
	if b.db, err = store.Open(b.ctx, file); err != nil {
		return nil, err
	}
	now := func() time.Time { return demo.Start }
	began := time.Now()
	if b.house, err = house.Open(b.ctx, b.db, now); err != nil {
		return nil, err
	}
	b.started = time.Since(began)
	b.house.KeepLogSmall(b.ctx) // as the server does
	host := func(address string) string { return address + ".localhost" }
	site := func(address string) string { return "http://" + host(address) }
	b.gate = gate.New(b.house, site("velada"), false, site)
	b.console = console.New(b.ctx, b.house, &gate.Glass{Gate: b.gate, Console: site("velada"), Origin: site}, "", false, host, site)
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
	if err := b.house.Sessions.BeginSession(b.ctx, "a member's", "p1", "", "a password"); err != nil {
		return nil, err
	}
	b.member, err = b.house.Sessions.SiteSessionFrom(b.ctx, b.house.SiteID(largeSite), "a member's")
	return b, err
}

// make makes a house of a size in a file.
func (z size) make(ctx context.Context, file string) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	db, err := store.Open(ctx, file)
	if err != nil {
		return err
	}
	defer db.Close()
	if err := z.fill(ctx, db, demo.Start); err != nil {
		return err
	}
	ctx, stop := context.WithCancel(ctx)
	h, err := house.Open(ctx, db, func() time.Time { return demo.Start })
	if err == nil {
		err = z.letterTo(ctx, h)
	}
	stop()
	if h != nil {
		h.Wait()
	}
	return errors.Join(err, store.Checkpoint(context.Background(), db))
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Close())
}

func (b *bench) close() {
	b.stop()
	b.house.Wait()
	_ = b.db.Close() // nothing is written any more
	_ = os.RemoveAll(b.folder)
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

// upload sends a file to the console.
func (b *bench) upload(path, name string, data []byte) *httptest.ResponseRecorder {
	var body bytes.Buffer
	form := multipart.NewWriter(&body)
	part, err := form.CreateFormFile("file", name)
	if err == nil {
		_, err = part.Write(data)
	}
	if err = errors.Join(err, form.Close()); err != nil {
		panic(err) // a buffer takes everything
	}
	r := httptest.NewRequest(http.MethodPost, "http://velada.localhost"+path, &body)
	r.Header.Set("Cookie", strings.Join(b.cookies, "; "))
	r.Header.Set("Content-Type", form.FormDataContentType())
	r.Header.Set("Origin", "http://velada.localhost")
	w := httptest.NewRecorder()
	b.console.ServeHTTP(w, r)
	return w
}

// visit asks the large site for a page, by the cookie of a visit or as a stranger.
func (b *bench) visit(path, as string) *httptest.ResponseRecorder {
	r := httptest.NewRequest(http.MethodGet, "http://"+largeSite+".localhost"+path, nil)
	if as != "" {
		r.Header.Set("Cookie", "velada_visit="+as)
	}
	w := httptest.NewRecorder()
	b.gate.Serve(w, r, largeSite)
	return w
}

// measured is something that is asked for: a view, or a change that is made.
type measured struct {
	name    string
	do      func(n int) *httptest.ResponseRecorder // n is which time it is
	want    int
	once    bool
	prepare func(n int) // what comes before it, and is not measured
}

// figures are what something takes.
type figures struct {
	cpu     time.Duration // of the process, the median
	bytes   int           // of the answer
	rows    int64         // read from the database
	mallocs uint64
	memory  uint64 // that was asked for, in bytes: what it needs is less
}

const times = 5

// measure does something several times; an error says that it did not go as it should.
func (b *bench) measure(m measured) (f figures, err error) {
	var spent []time.Duration
	for n := range times {
		if m.prepare != nil {
			m.prepare(n)
		}
		runtime.GC()
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		began, rows := cpu(), store.RowsRead()
		r := m.do(n)
		took := cpu() - began
		runtime.ReadMemStats(&after)
		spent = append(spent, took)
		f.bytes, f.rows, f.mallocs = r.Body.Len(), store.RowsRead()-rows, after.Mallocs-before.Mallocs
		f.memory = after.TotalAlloc - before.TotalAlloc
		if r.Code != m.want {
			return f, fmt.Errorf("%d, not %d: %.300s", r.Code, m.want, r.Body.String())
		}
		if m.once || took > 20*time.Second {
			break
		}
	}
	slices.Sort(spent)
	f.cpu = spent[len(spent)/2]
	return f, nil
}
