package main

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/synctest"
	"time"

	"velada/app/accounts"
	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// command runs a command of the program and returns what it says.
func command(t *testing.T, args ...string) (string, error) {
	t.Helper()
	root := rootCommand()
	var out bytes.Buffer
	root.SetOut(&out)
	root.SetErr(&out)
	root.SetArgs(args)
	err := root.ExecuteContext(t.Context())
	return out.String(), err
}

func TestReadingCommandsMakeNothing(t *testing.T) {
	folder := t.TempDir()
	for _, args := range [][]string{{"ledger", "verify"}, {"export"}, {"backup", filepath.Join(t.TempDir(), "copy")}, {"keys", "rotate"}} {
		out, err := command(t, append(args, "--data", folder)...)
		var exit exitCode
		if err == nil || errors.As(err, &exit) || strings.Contains(out, "holds together") {
			t.Errorf("%v on an empty folder: %q %v", args, out, err)
		}
		if left, _ := os.ReadDir(folder); len(left) != 0 {
			t.Fatalf("%v made %v", args, left)
		}
	}
}

// Looking at what an import would do makes and changes nothing either.
func TestAnImportIsOnlyLookedAt(t *testing.T) {
	folder, empty := t.TempDir(), t.TempDir()
	houseIn(t, folder)
	file := filepath.Join(t.TempDir(), "house.yaml")
	text, err := command(t, "export", "--data", folder)
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte(strings.Replace(text, "name: Jonas Lindqvist", "name: Jonas Lindqvist\n    blocked: true", 1)), 0o600); err != nil {
		t.Fatal(err)
	}
	lock, err := lockHouse(folder) // as if it were being served
	if err != nil {
		t.Fatal(err)
	}
	defer lock.Close()
	if out, err := command(t, "import", file, "--data", empty); err != nil || !strings.Contains(out, "The house is empty") || !strings.Contains(out, "Nothing was changed") {
		t.Errorf("into nothing: %q %v", out, err)
	}
	if left, _ := os.ReadDir(empty); len(left) != 0 {
		t.Errorf("looking made %v", left)
	}
	if out, err := command(t, "import", file, "--data", folder); err != nil || !strings.Contains(out, "people lose") || strings.Contains(out, "until it gets a password") {
		t.Errorf("into the house: %q %v", out, err)
	}
	if now, err := command(t, "export", "--data", folder); err != nil || now != text {
		t.Errorf("it changed the house: %v", err)
	}
}

// houseIn makes the demo house in a folder, with a second step.
func houseIn(t *testing.T, folder string) {
	t.Helper()
	demotest.Put(t, folder, demo.Start)
	db, lock, err := openHouse(t.Context(), folder)
	if err != nil {
		t.Fatal(err)
	}
	defer lock.Close()
	defer db.Close()
	h, err := house.Open(t.Context(), db, time.Now)
	if err != nil {
		t.Fatal(err)
	}
	if err := accounts.SendLink(h, house.LinkReset, "pilar@cerroalcor.example", nil, house.From{IP: "192.0.2.1"}); err != nil {
		t.Fatal(err)
	}
	h.Wait()
}

func TestBackupsAndKeys(t *testing.T) {
	folder := t.TempDir()
	houseIn(t, folder)
	keepCertificate(t, folder)
	plain, keyed := filepath.Join(t.TempDir(), "plain"), filepath.Join(t.TempDir(), "keyed")
	if out, err := command(t, "backup", plain, "--data", folder); err != nil {
		t.Fatal(out, err)
	}
	if _, err := os.Stat(filepath.Join(plain, house.KeyFile)); err == nil {
		t.Error("the keys are in a copy that was to be without them")
	}
	if out, err := command(t, "backup", keyed, "--data", folder, "--with-keys"); err != nil {
		t.Fatal(out, err)
	}
	for _, f := range []string{filepath.Join(plain, "velada.db"), filepath.Join(keyed, "velada.db"), filepath.Join(keyed, house.KeyFile)} {
		if info, err := os.Stat(f); err != nil || info.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v %v", f, info, err)
		}
	}
	opens := func(folder, keys string) error {
		vault, err := identity.OpenVault(keys)
		if err != nil {
			return err
		}
		db, err := store.Open(context.Background(), filepath.Join(folder, "velada.db"))
		if err != nil {
			return err
		}
		defer db.Close()
		h, err := house.Open(context.Background(), db, time.Now, house.WithVault(vault))
		if err != nil {
			return err
		}
		_, err = h.Outbox.Mails(context.Background(), "", 9)
		if err == nil {
			_, err = h.Certificate(context.Background(), "a")
		}
		return err
	}
	before := filepath.Join(keyed, house.KeyFile)
	if err := opens(folder, before); err != nil {
		t.Fatal(err)
	}
	if out, err := command(t, "keys", "rotate", "--data", folder); err != nil {
		t.Fatal(out, err)
	}
	if text, err := os.ReadFile(filepath.Join(folder, house.KeyFile)); err != nil || len(strings.Fields(string(text))) != 1 {
		t.Errorf("%d keys are left, %v", len(strings.Fields(string(text))), err)
	}
	if err := opens(folder, before); !errors.Is(err, identity.ErrSealed) {
		t.Errorf("the key from before still opens: %v", err)
	}
	if err := opens(folder, filepath.Join(folder, house.KeyFile)); err != nil {
		t.Errorf("the fresh key does not open: %v", err)
	}
	if err := opens(keyed, before); err != nil {
		t.Errorf("a copy from before does not open with its own keys: %v", err)
	}
}

// Nothing is changed in a house that another program serves, whatever its version.
func TestTheLockComesBeforeTheTables(t *testing.T) {
	folder := t.TempDir()
	houseIn(t, folder)
	lock, err := lockHouse(folder)
	if err != nil {
		t.Fatal(err)
	}
	defer lock.Close()
	file := filepath.Join(folder, "velada.db")
	was, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := openHouse(t.Context(), folder); err == nil || !strings.Contains(err.Error(), "in use") {
		t.Errorf("a house in use is opened: %v", err)
	}
	if is, err := os.ReadFile(file); err != nil || !bytes.Equal(was, is) {
		t.Error("the database of a house in use was changed")
	}
}

// Time here is the test's own: a machine that is busy cuts nobody off.
func TestBodiesMayBeSlowAndNotStandStill(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		const pause = 150 * time.Millisecond
		send := func(pieces int, every time.Duration) error {
			ours, theirs := net.Pipe()
			read := make(chan error, 1)
			server := &http.Server{ReadHeaderTimeout: time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				watchBody(w, r, pause)
				_, err := io.Copy(io.Discard, r.Body)
				read <- err
			})}
			go func() { _ = server.Serve(&oneConnection{conn: theirs}) }()
			defer server.Close()
			defer ours.Close()
			_, _ = io.WriteString(ours, "POST / HTTP/1.1\r\nHost: x\r\nContent-Length: 10000\r\n\r\n")
			for range pieces {
				if _, err := ours.Write(bytes.Repeat([]byte("x"), 1000)); err != nil {
					break
				}
				time.Sleep(every)
			}
			return <-read
		}
		if err := send(10, pause/2); err != nil { // longer as a whole than any pause
			t.Errorf("a slow one is cut: %v", err)
		}
		began := time.Now()
		if err := send(3, 0); !errors.Is(err, errStalled) {
			t.Errorf("one that stands still: %v", err)
		}
		if took := time.Since(began); took != pause {
			t.Errorf("it stood still for %v, and not %v", took, pause)
		}
	})
}

// oneConnection is a listener to whom one connection comes.
type oneConnection struct{ conn net.Conn }

func (l *oneConnection) Accept() (net.Conn, error) {
	if conn := l.conn; conn != nil {
		l.conn = nil
		return conn, nil
	}
	return nil, net.ErrClosed
}

func (l *oneConnection) Close() error   { return nil }
func (l *oneConnection) Addr() net.Addr { return &net.TCPAddr{} }

// keepCertificate has the house in a folder keep something for encrypted connections.
func keepCertificate(t *testing.T, folder string) {
	t.Helper()
	db, err := store.Open(context.Background(), filepath.Join(folder, "velada.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	h, err := house.Open(context.Background(), db, time.Now)
	if err == nil {
		err = h.SaveCertificate(context.Background(), "a", []byte("a key"))
	}
	if err != nil {
		t.Fatal(err)
	}
}
