package standin

import (
	"context"
	"html/template"
	"io"
	"net"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-smtp"
)

// Mail is a small mail server that delivers nothing and shows what it took. How it treats
// a letter, the local part of the address says: nobody… is refused for good, later… is
// asked to come again until so many tries, hang… is never answered.
type Mail struct {
	mu          sync.Mutex
	taken       []Taken
	at          net.Listener // that Run opened
	tries       map[string]int
	Later       int // tries that it takes to deliver to later…
	connections int // connections that letters came over
	server      *smtp.Server
	ended       chan struct{}
}

// Taken is a letter that was taken.
type Taken struct {
	From, To string
	At       time.Time
	Raw      string
	Over     int // the number of the connection
}

// mostTaken is how many letters are kept.
const mostTaken = 500

// NewMail returns a mail server that is not served yet.
func NewMail() *Mail {
	m := &Mail{tries: map[string]int{}, Later: 2, ended: make(chan struct{})}
	m.server = smtp.NewServer(smtp.BackendFunc(m.connected))
	m.server.Domain, m.server.MaxMessageBytes, m.server.EnableSMTPUTF8 = "mail.example", 1<<20, true
	m.server.ReadTimeout, m.server.WriteTimeout = 5*time.Minute, time.Minute
	return m
}

// Serve takes letters at a listener until it is closed.
func (m *Mail) Serve(at net.Listener) error { return m.server.Serve(at) }

// Close ends it.
func (m *Mail) Close() {
	m.mu.Lock()
	defer m.mu.Unlock()
	select {
	case <-m.ended:
	default:
		close(m.ended)
		_ = m.server.Close() // what it served ends with it
		if m.at != nil {
			_ = m.at.Close() // also where serving has not begun
		}
	}
}

// Taken lists what was taken.
func (m *Mail) Taken() []Taken {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]Taken(nil), m.taken...)
}

// Connections is how many connections were made.
func (m *Mail) Connections() int {
	m.mu.Lock()
	defer m.mu.Unlock()
	return m.connections
}

func (m *Mail) connected(*smtp.Conn) (smtp.Session, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.connections++
	return &mailSession{mail: m, number: m.connections}, nil
}

type mailSession struct {
	mail     *Mail
	number   int
	from, to string
}

func (s *mailSession) Reset()        {}
func (s *mailSession) Logout() error { return nil }

func (s *mailSession) Mail(from string, _ *smtp.MailOptions) error {
	s.from = from
	return nil
}

func (s *mailSession) Rcpt(to string, _ *smtp.RcptOptions) error {
	s.to = to
	switch {
	case strings.HasPrefix(to, "nobody"):
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "nobody of that name here"}
	case strings.HasPrefix(to, "later"):
		s.mail.mu.Lock()
		defer s.mail.mu.Unlock()
		if s.mail.tries[to]++; s.mail.tries[to] <= s.mail.Later {
			return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 7, 1}, Message: "greylisted: come again later"}
		}
	case strings.HasPrefix(to, "hang"):
		select {
		case <-s.mail.ended:
		case <-time.After(time.Minute):
		}
	}
	return nil
}

func (s *mailSession) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	s.mail.mu.Lock()
	defer s.mail.mu.Unlock()
	s.mail.taken = append(s.mail.taken, Taken{s.from, s.to, time.Now(), string(raw), s.number})
	s.mail.taken = s.mail.taken[max(0, len(s.mail.taken)-mostTaken):]
	return nil
}

var mailPage = template.Must(template.New("mail").Parse(`<!doctype html><html lang="en"><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<title>Mail that arrived</title><style>body{font:16px/1.6 sans-serif;max-width:48rem;margin:8vh auto;padding:0 20px}pre{overflow:auto;background:#f3f6f5;padding:12px}</style>
<h1>Mail that arrived</h1><p>This stand-in mail server ships with the demo house. Letters to nobody… are refused, those to later… are taken at the third try.</p>
{{range .}}<details><summary>{{.At.Format "15:04:05"}} to {{.To}}</summary><pre>{{.Raw}}</pre></details>{{else}}<p>Nothing yet.</p>{{end}}`))

// ServeHTTP shows what was taken.
func (m *Mail) ServeHTTP(w http.ResponseWriter, _ *http.Request) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	_ = mailPage.Execute(w, m.Taken()) // whoever hung up does not matter
}

// Run serves at a free port of this machine until ctx ends, and returns the port.
func (m *Mail) Run(ctx context.Context, wait *sync.WaitGroup) (port int, err error) {
	at, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	m.mu.Lock()
	m.at = at
	m.mu.Unlock()
	context.AfterFunc(ctx, m.Close)
	wait.Go(func() { _ = m.Serve(at) }) // it ends when it is closed
	return at.Addr().(*net.TCPAddr).Port, nil
}
