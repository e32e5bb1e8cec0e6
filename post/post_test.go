package post

import (
	"errors"
	"net/mail"
	"strings"
	"sync"
	"testing"
	"time"

	"velada/core/access"
	"velada/standin"
)

func letter() *Letter {
	return &Letter{
		To: "zoe@press.example", Subject: "Pilar invites you to “Señal”", Lines: []string{"A line with <angles>."}, Word: "Welcome", From: "Pilar",
		Facts: [][2]string{{"Cerro Alcor", "editor"}}, Action: Action{"See the invitation", "http://velada.localhost/invitations/abc"}, After: []string{"It works once."}, Stop: "http://velada.localhost/stop/1",
	}
}

func TestALetterSaysTheSameInBothParts(t *testing.T) {
	w, err := letter().Write("Cerro Alcor <velada@localhost>", "1@localhost", time.Date(2026, 11, 24, 18, 0, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"Welcome", "Cerro Alcor", "http://velada.localhost/invitations/abc", "It works once."} {
		if !strings.Contains(w.Text, want) || !strings.Contains(w.HTML, want) {
			t.Errorf("%q is not in both parts", want)
		}
	}
	if strings.Contains(w.HTML, "<angles>") {
		t.Error("HTML is let through")
	}
	m, err := mail.ReadMessage(strings.NewReader(string(w.Raw)))
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range map[string]string{"To": "<zoe@press.example>", "List-Unsubscribe": "<http://velada.localhost/stop/1>", "Message-Id": "<1@localhost>", "Auto-Submitted": "auto-generated"} {
		if got := m.Header.Get(name); got != want {
			t.Errorf("%s: %q", name, got)
		}
	}
	if !strings.HasPrefix(m.Header.Get("Content-Type"), "multipart/alternative") {
		t.Error(m.Header.Get("Content-Type"))
	}
	bad := letter()
	bad.To = "nobody\r\nBcc: all@press.example"
	if _, err := bad.Write("velada@localhost", "1@localhost", time.Now()); err == nil {
		t.Error("an address smuggles a header in")
	}
}

// Whatever is an address can be written to, and no more than that one.
func TestEveryAddressCanBeWrittenTo(t *testing.T) {
	for _, address := range []string{
		"zoe@press.example", "jo..ko@aula.example", ".zoe@press.example", "zoe.@press.example", "a,b@press.example", "a;b@press.example", "a<b>@press.example", `a"b@press.example`, `a\b@press.example`,
		"(x)@press.example", "a:b@press.example", "[x]@press.example", "ñandú@press.example", "x@xn--bcher-kva.example", "+@press.example", "a'b@press.example", "“a”@press.example", "group:x;@press.example",
	} {
		if _, err := access.ParseAddress(address); err != nil {
			t.Fatalf("%s is no address: %v", address, err)
		}
		l := letter()
		l.To, l.ReplyTo = address, address
		w, err := l.Write("Cerro Alcor <velada@localhost>", "1@localhost", time.Date(2026, 11, 24, 18, 0, 0, 0, time.UTC))
		if err != nil {
			t.Errorf("%s: %v", address, err)
			continue
		}
		m, err := mail.ReadMessage(strings.NewReader(string(w.Raw)))
		if err != nil {
			t.Errorf("%s: %v", address, err)
			continue
		}
		for _, name := range []string{"To", "Reply-To"} {
			if list, err := m.Header.AddressList(name); err != nil || len(list) != 1 || list[0].Address != address {
				t.Errorf("%s: %s is %q, %v", address, name, m.Header.Get(name), err)
			}
		}
	}
}

// Addresses that a letter names are links where it is HTML, and nothing else of it becomes one.
func TestAddressesInALetterAreLinks(t *testing.T) {
	l := letter()
	l.Lines = []string{`See https://a.example/week-3?x=1&y=2, and "https://b.example/<b>".`}
	l.Facts = [][2]string{{"Week 3", "https://a.example/week-3"}}
	l.Word = "Look at https://word.example/ now"
	w, err := l.Write("velada@localhost", "1@localhost", time.Date(2026, 11, 24, 18, 0, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{`<a href="https://a.example/week-3?x=1&amp;y=2">https://a.example/week-3?x=1&amp;y=2</a>, and`, `<a href="https://b.example/">https://b.example/</a>&lt;b&gt;`, `<a href="https://a.example/week-3">https://a.example/week-3</a></td>`} {
		if !strings.Contains(w.HTML, want) {
			t.Errorf("%s is not in %s", want, w.HTML)
		}
	}
	if strings.Contains(w.HTML, `href="https://word.example`) {
		t.Error("somebody's words become a link")
	}
	if !strings.Contains(w.Text, "Week 3: https://a.example/week-3") {
		t.Error(w.Text)
	}
}

// server is the stand-in mail server, and how it is reached.
func server(t *testing.T) (*standin.Mail, *Server) {
	t.Helper()
	m := standin.NewMail()
	var served sync.WaitGroup
	port, err := m.Run(t.Context(), &served)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { m.Close(); served.Wait() })
	return m, &Server{Host: "127.0.0.1", Port: port, Lock: "none", From: "Cerro Alcor <velada@localhost>"}
}

func TestLettersGoOverOneConnectionByteForByte(t *testing.T) {
	m, s := server(t)
	open, err := s.Connect(t.Context(), 200*time.Millisecond)
	if err != nil {
		t.Fatal(err)
	}
	l := letter()
	l.Lines = append(l.Lines, ".a line that begins with a dot", strings.Repeat("long ", 300), "Ünïcödé")
	w, err := l.Write("Cerro Alcor <velada@localhost>", "1@localhost", time.Now())
	if err != nil {
		t.Fatal(err)
	}
	refused := func(to string, permanent bool, want string) {
		t.Helper()
		var no *Refused
		if _, err := open.Send(t.Context(), to, w.Raw); !errors.As(err, &no) || no.Permanent != permanent || !strings.Contains(no.Answer, want) {
			t.Errorf("%s: %v", to, err)
		}
	}
	taken := func(to string) {
		t.Helper()
		if answer, err := open.Send(t.Context(), to, w.Raw); err != nil || !strings.HasPrefix(answer, "250 ") {
			t.Errorf("%s: %q %v", to, answer, err)
		}
	}
	taken("zoe@press.example")
	refused("nobody@press.example", true, "550 5.1.1 nobody of that name here")
	refused("later@press.example", false, "451 4.7.1 greylisted")
	taken("zoe@press.example")
	if open.Broken() {
		t.Error("a refusal breaks the connection")
	}
	var no *Refused
	if _, err := open.Send(t.Context(), "hang@press.example", w.Raw); err == nil || errors.As(err, &no) || !open.Broken() {
		t.Errorf("a server that does not answer: %v", err)
	}
	open.Close()
	got := m.Taken()
	if len(got) != 2 || got[0].Over != 1 || got[1].Over != 1 || m.Connections() != 1 {
		t.Fatalf("%d letters over %d connections", len(got), m.Connections())
	}
	for _, g := range got {
		if g.Raw != string(w.Raw) || g.From != "velada@localhost" {
			t.Errorf("what arrived is not what was written:\n%s\n%s", g.Raw, w.Raw)
		}
	}
	for _, header := range []string{"X-Mailer", "User-Agent"} {
		if strings.Contains(got[0].Raw, header) {
			t.Errorf("it says %s", header)
		}
	}
}

func TestAServerThatCannotBeUsed(t *testing.T) {
	_, s := server(t)
	for what, change := range map[string]func(*Server){
		"it offers no STARTTLS": func(s *Server) { s.Lock = "starttls" },
		"no address":            func(s *Server) { s.From = "nobody" },
		"tls":                   func(s *Server) { s.Lock = "tls" },
		"connection refused":    func(s *Server) { s.Port = 1 },
	} {
		other := *s
		change(&other)
		if open, err := other.Connect(t.Context(), 200*time.Millisecond); err == nil || !strings.Contains(err.Error(), what) {
			t.Errorf("%s: %v", what, err)
			if open != nil {
				open.Close()
			}
		}
	}
	if (&Server{}).Between() != time.Minute/UsualPace || (&Server{Pace: 6}).Between() != 10*time.Second {
		t.Error("the pace is another")
	}
}

func TestStoppingAtAClick(t *testing.T) {
	l := letter()
	for stop, want := range map[string]string{"https://velada.example/stop/1": "List-Unsubscribe=One-Click", "http://velada.localhost/stop/1": "", "": ""} {
		l.Stop = stop
		w, err := l.Write("velada@localhost", "1@localhost", time.Date(2026, 11, 24, 18, 0, 0, 0, time.UTC))
		if err != nil {
			t.Fatal(err)
		}
		head, _, _ := strings.Cut(string(w.Raw), "\r\n\r\n")
		again, err := Rewrite([]byte(head), l.Subject, w.Text, w.HTML)
		if err != nil {
			t.Fatal(err)
		}
		if string(again) != string(w.Raw) {
			t.Errorf("%q: written anew with the same words it is another:\n%s\n%s", stop, again, w.Raw)
		}
		m, err := mail.ReadMessage(strings.NewReader(string(w.Raw)))
		if err != nil || m.Header.Get("List-Unsubscribe-Post") != want {
			t.Errorf("%q: %q %v", stop, m.Header.Get("List-Unsubscribe-Post"), err)
		}
	}
}
