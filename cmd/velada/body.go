package main

import (
	"errors"
	"io"
	"net/http"
	"time"
)

// What somebody sends may take as long as their line needs, but not stand still: a
// pause ends it, and so does a crawl.
const (
	longestPause = 30 * time.Second
	graceTime    = 60 * time.Second // before the pace counts
	slowestPace  = 4 << 10          // bytes a second on average
)

// body is a request's body that ends when it stalls.
type body struct {
	io.ReadCloser
	conn  *http.ResponseController
	began time.Time
	read  int64
	pause time.Duration
}

// errStalled says that a body came too slowly, or not at all.
var errStalled = errors.New("the request stopped arriving")

// watchBody has the body of a request end when it stalls.
func watchBody(w http.ResponseWriter, r *http.Request, pause time.Duration) {
	if r.Body == nil || r.Body == http.NoBody {
		return
	}
	r.Body = &body{ReadCloser: r.Body, conn: http.NewResponseController(w), began: time.Now(), pause: pause}
}

func (b *body) Read(p []byte) (int, error) {
	now := time.Now()
	deadline := now.Add(b.pause)
	if slowest := b.began.Add(graceTime + time.Duration(b.read/slowestPace)*time.Second); slowest.Before(deadline) {
		deadline = slowest
	}
	if err := b.conn.SetReadDeadline(deadline); err != nil && !errors.Is(err, http.ErrNotSupported) {
		return 0, err
	}
	n, err := b.ReadCloser.Read(p)
	b.read += int64(n)
	if err != nil {
		if !time.Now().Before(deadline) && !errors.Is(err, io.EOF) {
			err = errors.Join(errStalled, err)
		}
		_ = b.conn.SetReadDeadline(time.Time{}) // the answer may take longer
	}
	return n, err
}
