package post

import (
	"bufio"
	"context"
	"io"
	"net"
	"net/mail"
	"strings"
	"testing"
	"time"
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

// TestDeliver hands a message to a mail server that speaks just enough SMTP.
func TestDeliver(t *testing.T) {
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	got := make(chan string, 1)
	serve := func(c net.Conn) {
		defer c.Close()
		in := bufio.NewReader(c)
		say := func(text string) { _, _ = io.WriteString(c, text+"\r\n") }
		say("220 stand-in")
		var data strings.Builder
		for inData := false; ; {
			line, err := in.ReadString('\n')
			if err != nil {
				return
			}
			switch {
			case inData && line == ".\r\n":
				inData = false
				got <- data.String()
				say("250 taken")
			case inData:
				data.WriteString(line)
			case strings.HasPrefix(line, "EHLO"):
				say("250 stand-in")
			case strings.HasPrefix(line, "DATA"):
				inData = true
				say("354 go on")
			case strings.HasPrefix(line, "QUIT"):
				say("221 bye")
				return
			default:
				say("250 well")
			}
		}
	}
	go func() {
		for {
			c, err := listener.Accept()
			if err != nil {
				return
			}
			serve(c)
		}
	}()
	w, err := letter().Write("Cerro Alcor <velada@localhost>", "1@localhost", time.Now())
	if err != nil {
		t.Fatal(err)
	}
	s := Server{Host: "127.0.0.1", Port: listener.Addr().(*net.TCPAddr).Port, Lock: "none", From: "velada@localhost"}
	if err := s.Deliver(context.Background(), "zoe@press.example", w.Raw); err != nil {
		t.Fatal(err)
	}
	text := <-got
	for _, want := range []string{"<zoe@press.example>", "<1@localhost>", "invitations/abc", "multipart/alternative"} {
		if !strings.Contains(text, want) {
			t.Errorf("%q did not arrive:\n%s", want, text)
		}
	}
	s.Lock = "starttls"
	if err := s.Deliver(context.Background(), "zoe@press.example", w.Raw); err == nil {
		t.Error("mail goes out unlocked although it must be locked")
	}
}
