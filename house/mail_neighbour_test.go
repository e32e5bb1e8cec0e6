package house_test

import (
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"velada/demo/demotest"
	"velada/house"
	"velada/post"
	"velada/store"
)

// eximConfig has Debian's exim4 take all into a folder but what it greylists (later) and refuses (nobody).
const eximConfig = `
primary_hostname = mail.example
spool_directory = FOLDER/spool
log_file_path = FOLDER/log-%%s
pid_file_path = FOLDER/pid
acl_smtp_rcpt = check
acl_smtp_mail = accept
smtp_accept_queue_per_connection = 0
tls_advertise_hosts =
domainlist local = *
never_users =
begin acl
check:
  deny  local_parts = nobody
        message = nobody of that name here
  defer local_parts = later
        condition = ${if exists{FOLDER/later}{no}{yes}}
        message = greylisted
  accept
begin routers
all:
  driver = accept
  transport = folder
begin transports
folder:
  driver = appendfile
  directory = FOLDER/mail
  maildir_format
  user = Debian-exim
  group = Debian-exim
  create_directory
  envelope_to_add = false
  return_path_add = false
`

// Mail to exim4 as Debian ships it, see make neighbours.
func TestMailToARealServer(t *testing.T) {
	if os.Getenv("NEIGHBOURS") == "" {
		t.Skip("make neighbours runs this")
	}
	folder, err := os.MkdirTemp("", "exim")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(folder) })
	for _, name := range []string{"", "spool", "mail"} {
		at := filepath.Join(folder, name)
		if err := os.MkdirAll(at, 0o777); err != nil {
			t.Fatal(err)
		}
		if err := os.Chmod(at, 0o777); err != nil {
			t.Fatal(err)
		}
	}
	config := filepath.Join(folder, "exim.conf")
	if err := os.WriteFile(config, []byte(strings.ReplaceAll(strings.ReplaceAll(eximConfig, "FOLDER", folder), "%%", "%")), 0o644); err != nil {
		t.Fatal(err)
	}
	port := demotest.FreePort(t)
	exim := exec.Command("exim4", "-C", config, "-bdf", "-q1m", "-oX", "127.0.0.1."+port)
	if err := exim.Start(); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = exim.Process.Kill(); _ = exim.Wait() })
	for range 100 {
		if c, err := net.Dial("tcp", "127.0.0.1:"+port); err == nil {
			c.Close()
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	m := mailingHouse(t)
	m.Outbox.Patience = 10 * time.Second
	at := post.Server{Host: "127.0.0.1", Lock: "none", From: m.at.From, Pace: 6000}
	if _, err := fmt.Sscan(port, &at.Port); err != nil {
		t.Fatal(err)
	}
	m.use(&at)
	for _, to := range []string{"zoe@press.example", "later@press.example", "nobody@press.example"} {
		m.write(to)
	}
	for i := range 20 {
		m.write(fmt.Sprintf("reader%d@press.example", i))
	}
	m.send(0)
	m.is("zoe@", store.MailSent, 1)
	if got := m.is("later@", store.MailWaiting, 1); !strings.HasPrefix(got.Answer, "451 ") {
		t.Errorf("later: %s", got.Answer)
	}
	if got := m.is("nobody@", store.MailFailed, 1); !strings.HasPrefix(got.Answer, "550 ") {
		t.Errorf("nobody: %s", got.Answer)
	}
	if err := os.WriteFile(filepath.Join(folder, "later"), nil, 0o644); err != nil {
		t.Fatal(err)
	}
	m.send(time.Minute)
	m.is("later@", store.MailSent, 2)
	kept := map[string]string{}
	for _, to := range []string{"zoe@press.example", "later@press.example", "reader7@press.example"} {
		letter, err := m.Outbox.Mail(ctx, m.is(to, store.MailSent, m.tries(to)).ID)
		if err != nil {
			t.Fatal(err)
		}
		kept[to] = strings.ReplaceAll(string(letter.Raw), "\r\n", "\n")
	}
	arrived := func() (list []string) {
		files, _ := filepath.Glob(filepath.Join(folder, "mail", "new", "*"))
		for _, f := range files {
			text, err := os.ReadFile(f)
			if err != nil {
				t.Fatal(err)
			}
			list = append(list, string(text))
		}
		return list
	}
	for range 100 {
		if len(arrived()) == 22 {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	list := arrived()
	if len(list) != 22 {
		t.Errorf("%d letters arrived", len(list))
	}
	for to, want := range kept {
		found := false
		for _, text := range list {
			found = found || strings.HasSuffix(strings.TrimRight(text, "\n"), strings.TrimRight(want, "\n")) && strings.HasPrefix(text, "Received: ")
		}
		if !found {
			t.Errorf("to %s nothing arrived that ends as the outbox shows", to)
		}
	}
	// a restart of the server: what is written meanwhile waits
	_ = exim.Process.Kill()
	_ = exim.Wait()
	m.write("meanwhile@press.example")
	m.send(0)
	m.is("meanwhile@", store.MailWaiting, 1)
	if m.Outbox.ServerState() == (house.MailServerState{}) || m.Outbox.ServerState().Away.IsZero() {
		t.Error("that it is away is not known")
	}
}
