package main

import (
	"bytes"
	"context"
	"errors"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"velada/core/access"
	"velada/demo"
	"velada/demo/demotest"
)

// run runs a command line and returns what it printed, what it complained of, and
// its exit code.
func run(t *testing.T, in string, args ...string) (out, complaint string, code int) {
	t.Helper()
	root := rootCommand()
	var stdout, stderr bytes.Buffer
	root.SetArgs(args)
	root.SetIn(strings.NewReader(in))
	root.SetOut(&stdout)
	root.SetErr(&stderr)
	err := root.ExecuteContext(context.Background())
	var exit exitCode
	switch {
	case errors.As(err, &exit):
		code = int(exit)
	case err != nil:
		stderr.WriteString(err.Error())
		code = 1
	}
	return stdout.String(), stderr.String(), code
}

// demoFolder keeps the demo house in a folder, and its document in a file.
func demoFolder(t *testing.T) (folder, file string) {
	t.Helper()
	folder = t.TempDir()
	demotest.Put(t, folder, demo.Start)
	file = filepath.Join(folder, "house.yaml")
	out, complaint, code := run(t, "", "export", "--data", folder)
	if code != 0 || !strings.HasPrefix(out, "velada: 1\n") || strings.Contains(out, "argon2") {
		t.Fatal(complaint, code, out)
	}
	if err := os.WriteFile(file, []byte(out), 0o600); err != nil {
		t.Fatal(err)
	}
	return folder, file
}

func TestCheck(t *testing.T) {
	_, file := demoFolder(t)
	out, _, code := run(t, "", "policy", "check", file, "--at", demo.Start.Format(time.RFC3339))
	if code != 1 || !strings.Contains(out, "broken  council-dossier") || !strings.Contains(out, "kept    crews-apart") {
		t.Errorf("%d\n%s", code, out)
	}
	if out, _, code := run(t, "", "policy", "check", file, "--json"); code != 1 || !strings.HasPrefix(out, `{"promises":[`) {
		t.Errorf("%d\n%s", code, out)
	}
	bad := filepath.Join(t.TempDir(), "bad.yaml")
	if err := os.WriteFile(bad, []byte("velada: 1\nhouse: {name: A, zone: UTC, colour: red}\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, complaint, code := run(t, "", "policy", "check", bad); code != 2 || !strings.Contains(complaint, "line 2: house.colour") {
		t.Errorf("%d %s", code, complaint)
	}
}

func TestDecideGoesOnAfterWhatCannotBeRead(t *testing.T) {
	_, file := demoFolder(t)
	requests := strings.Join([]string{
		`{"site":"society","path":"/"}`,
		``,
		`{"site":"society"}`,
		`{"site":"society","path":"/","person":null}`,
		`{"site":"society","path":"/","Person":"ines"}`,
		`{"site":"society","path":"/","passes":"k"}`,
		`{"site":"society","path":"/","site":"august"}`,
		`{"site":"society","path":"/"} x`,
		`not JSON`,
		`{"site":"society","path":"/","at":"yesterday"}`,
		`{"site":"society","path":"/","ip":"10.0.0"}`,
		`{"site":"society","path":"/` + strings.Repeat("a", 2<<20) + `"}`,
		`{"site":"society","path":"/members","person":"ines"}`,
	}, "\n")
	out, complaint, code := run(t, requests, "policy", "decide", file)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	if code != 0 || len(lines) != 12 {
		t.Fatalf("%d, %d lines\n%s %s", code, len(lines), out, complaint)
	}
	for i, line := range lines {
		switch i {
		case 0, 11:
			if !strings.HasPrefix(line, `{"outcome":"open","status":200,"offers":[],"noindex":`) || !strings.Contains(line, `"why":[{`) {
				t.Errorf("line %d: %s", i, line)
			}
		default:
			if !strings.HasPrefix(line, `{"error":"`) {
				t.Errorf("line %d: %s", i, line)
			}
		}
	}
	if out, _, _ := run(t, `{"site":"society","path":"/"}`, "policy", "decide", "--no-why", file); strings.Contains(out, "why") {
		t.Error(out)
	}
	if out, _, _ := run(t, `{"site":"society","path":"/","person":"ines"}`+"\n"+`{"site":"society","path":"/","ip":"10.0.0.1"}`, "policy", "can", file); !strings.HasPrefix(out, `{"can":["preview",`) || !strings.Contains(out, `{"error":`) {
		t.Error(out)
	}
}

func TestExportImportLosesNothing(t *testing.T) {
	folder, file := demoFolder(t)
	out, complaint, code := run(t, "", "import", file, "--data", folder)
	if code != 0 || !strings.Contains(out, "Nothing changes for anyone.") || !strings.Contains(out, "Say --yes") {
		t.Errorf("%d %s %s", code, out, complaint)
	}
	empty := t.TempDir()
	if out, complaint, code := run(t, "", "import", file, "--data", empty, "--yes"); code != 0 || !strings.Contains(out, "Imported.") || !strings.Contains(out, "until it gets a password") {
		t.Errorf("%d %s %s", code, out, complaint)
	}
	again, _, _ := run(t, "", "export", "--data", empty)
	first, err := os.ReadFile(file)
	if err != nil || again != string(first) {
		t.Error("the round trip lost something")
	}
	asJSON, _, _ := run(t, "", "export", "--data", empty, "--json")
	if doc, err := access.Read([]byte(asJSON)); err != nil || len(doc.Sites) != 6 {
		t.Error(err)
	}
}

func TestImportShowsItsImpactAndKeepsWhatItIsNotToldToDelete(t *testing.T) {
	folder, file := demoFolder(t)
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	doc, err := access.Read(text)
	if err != nil {
		t.Fatal(err)
	}
	doc.Sites[0].Door.Ways = nil
	doc.Sites = doc.Sites[:5] // without august
	changed, err := doc.YAML()
	if err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, changed, 0o600); err != nil {
		t.Fatal(err)
	}
	out, complaint, code := run(t, "", "import", file, "--data", folder, "--yes")
	if code != 1 || !strings.Contains(out, "stranger open → refused") || !strings.Contains(complaint, "august") {
		t.Errorf("%d %s %s", code, out, complaint)
	}
	if before, _, _ := run(t, "", "export", "--data", folder); !strings.Contains(before, "august") || !strings.Contains(before, "way: anyone") {
		t.Error("it changed something all the same")
	}
	if _, complaint, code := run(t, "", "import", file, "--data", folder, "--yes", "--delete-sites"); code != 0 {
		t.Error(complaint)
	}
	if after, _, _ := run(t, "", "export", "--data", folder); strings.Contains(after, "address: august") {
		t.Error("august is still there")
	}
	if out, _, code := run(t, "", "ledger", "verify", "--data", folder); code != 0 || !strings.Contains(out, "1 entries") {
		t.Error(out)
	}
}

func TestAHouseInUseIsNotImportedInto(t *testing.T) {
	folder, file := demoFolder(t)
	lock, err := lockHouse(folder)
	if err != nil {
		t.Fatal(err)
	}
	defer lock.Close()
	if _, complaint, code := run(t, "", "import", file, "--data", folder, "--yes"); code != 1 || !strings.Contains(complaint, "in use") {
		t.Errorf("%d %s", code, complaint)
	}
}

func TestImpactAndTimeline(t *testing.T) {
	_, file := demoFolder(t)
	if out, _, code := run(t, "", "policy", "impact", file, file, "--at", "2026-11-24T17:00:00Z"); code != 0 || out != `{"at":"2026-11-24T17:00:00Z","sites":[]}`+"\n" {
		t.Errorf("%d %s", code, out)
	}
	for _, day := range append([]time.Time{demo.Start}, demotest.Days...) {
		folder := t.TempDir()
		demotest.Put(t, folder, day)
		doc, complaint, code := run(t, "", "export", "--data", folder)
		if code != 0 {
			t.Fatal(complaint)
		}
		if err := os.WriteFile(file, []byte(doc), 0o600); err != nil {
			t.Fatal(err)
		}
		from, until := day.UTC().Format(time.RFC3339), day.AddDate(0, 2, 0).UTC().Format(time.RFC3339)
		if out, _, code := run(t, "", "policy", "standing", file, "--at", from); code != 0 || !strings.Contains(out, `"site":"dossier","state":"live","pages":4`) {
			t.Errorf("standing at %s: %d %.300s", from, code, out)
		}
		if out, _, code := run(t, "", "policy", "timeline", file, "--from", from, "--until", until); code != 0 || !strings.Contains(out, `"who":"pass:panel"`) {
			t.Errorf("timeline at %s: %d %.500s", from, code, out)
		}
	}
}

func TestAFolderThatCannotBeUsed(t *testing.T) {
	file := filepath.Join(t.TempDir(), "a-file")
	if err := os.WriteFile(file, nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, complaint, code := run(t, "", "serve", "--data", file, "--listen", "127.0.0.1:0"); code != 1 || !strings.Contains(complaint, "cannot be used") || strings.Contains(complaint, "\n") {
		t.Errorf("%d %q", code, complaint)
	}
}

func TestWhereVisitorsComeFromBehindAServer(t *testing.T) {
	inner := networks{}
	if err := inner.Set("10.0.0.0/8, 192.0.2.4"); err != nil || inner.Set("10.0.0.0/33") == nil || inner.String() != "10.0.0.0/8,192.0.2.4/32" {
		t.Fatal(inner, err)
	}
	for _, c := range []struct{ peer, said, want string }{
		{"10.1.2.3:9", "198.51.100.9, 203.0.113.5, 192.0.2.4", "203.0.113.5:9"}, // behind two of them
		{"10.1.2.3:9", "10.7.7.7", "10.7.7.7:9"},
		{"10.1.2.3:9", "nonsense, 192.0.2.4", "192.0.2.4:9"},
		{"192.0.2.5:9", "203.0.113.5", "192.0.2.5:9"},
		{"127.0.0.1:9", "203.0.113.5", "203.0.113.5:9"},
		{"127.0.0.1:9", "10.0.0.1, 203.0.113.5", "203.0.113.5:9"}, // the first is what the visitor claims
		{"[::1]:9", "2001:db8::1", "[2001:db8::1]:9"},
		{"198.51.100.7:9", "203.0.113.5", "198.51.100.7:9"}, // no server of this machine's says so
		{"127.0.0.1:9", "nonsense", "127.0.0.1:9"},
	} {
		r := httptest.NewRequest(http.MethodGet, "/", nil)
		r.RemoteAddr = c.peer
		if c.said != "" {
			r.Header.Set("X-Forwarded-For", c.said)
		}
		proxies := thisMachine
		if !strings.HasPrefix(c.peer, "127") && !strings.HasPrefix(c.peer, "[") {
			proxies = inner
		}
		if got := proxies.fromBehind(r).RemoteAddr; got != c.want {
			t.Errorf("%s says %q: %s, want %s", c.peer, c.said, got, c.want)
		}
	}
}
