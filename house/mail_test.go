package house_test

import (
	"bufio"
	"io"
	"net"
	"strings"
	"testing"

	"velada/house"
	"velada/post"
)

func TestMailThatWaitsIsSentOrGivenUp(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer listener.Close()
	taken := make(chan string, 1)
	go func() { // just enough of a mail server to take one message
		c, err := listener.Accept()
		if err != nil {
			return
		}
		defer c.Close()
		in, data, text := bufio.NewReader(c), false, ""
		_, _ = io.WriteString(c, "220 stand-in\r\n")
		for {
			line, err := in.ReadString('\n')
			switch {
			case err != nil:
				return
			case data && line == ".\r\n":
				data = false
				taken <- text
				_, _ = io.WriteString(c, "250 taken\r\n")
			case data:
				text += line
			case strings.HasPrefix(line, "DATA"):
				data = true
				_, _ = io.WriteString(c, "354 go on\r\n")
			default:
				_, _ = io.WriteString(c, "250 well\r\n")
			}
		}
	}()
	ines := who(t, h, "ines@cerroalcor.example")
	server := &post.Server{Host: "127.0.0.1", Port: listener.Addr().(*net.TCPAddr).Port, Lock: "none", From: "Cerro Alcor <house@cerroalcor.example>"}
	set := func() {
		t.Helper()
		if err := h.ChangeSettings(ctx, ines, "x", func(s *house.Settings) { s.Mail = server }); err != nil {
			t.Fatal(err)
		}
	}
	status := func() (string, int) {
		list, err := h.Outbox.Mails(ctx, "ines@", 1)
		if err != nil || len(list) != 1 {
			t.Fatal(list, err)
		}
		return list[0].Status, list[0].Tries
	}
	set()
	if err := h.Outbox.TryMail(ctx, ines); err != nil {
		t.Fatal(err)
	}
	if got, _ := status(); got != "waiting" {
		t.Errorf("before it is sent: %s", got)
	}
	if err := h.Outbox.SendWaiting(ctx); err != nil {
		t.Fatal(err)
	}
	if got, _ := status(); got != "sent" || !strings.Contains(<-taken, "From: \"Cerro Alcor\" <house@cerroalcor.example>") {
		t.Errorf("sent: %s", got)
	}
	listener.Close()
	server = &post.Server{Host: "127.0.0.1", Port: 1, Lock: "none", From: server.From}
	set()
	if err := h.Outbox.TryMail(ctx, ines); err != nil {
		t.Fatal(err)
	}
	for try := 1; try <= 5; try++ {
		if err := h.Outbox.SendWaiting(ctx); err != nil {
			t.Fatal(err)
		}
		want := "waiting"
		if try == 5 {
			want = "failed"
		}
		if got, tries := status(); got != want || tries != try {
			t.Errorf("try %d: %s after %d", try, got, tries)
		}
	}
}
