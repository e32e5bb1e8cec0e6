package main

import (
	"bytes"
	"compress/gzip"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"velada/house"
	"velada/store"
	"velada/store/migrations"
)

// A house is founded only where there is nothing, and nothing but a house is opened as one: what lies
// there stays as it is.
func TestNothingButAHouseIsServed(t *testing.T) {
	write := func(folder, name, text string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	whole := t.TempDir()
	houseIn(t, whole)
	text, err := os.ReadFile(filepath.Join(whole, databaseFile))
	if err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		files map[string]string
		opens bool
		says  string
	}{
		"an empty folder":              {nil, true, ""},
		"founding that did not go far": {map[string]string{databaseFile: "", "velada.lock": ""}, true, ""},
		"a house":                      {map[string]string{databaseFile: string(text)}, true, ""},
		"a mounted folder":             {map[string]string{"lost+found": ""}, true, ""},
		"a key without its house":      {map[string]string{house.KeyFile: "x"}, false, "founded only in an empty folder"},
		"a copy that is not finished":  {map[string]string{partFile: string(text)}, false, "founded only in an empty folder"},
		"somebody's papers":            {map[string]string{"notes.txt": "x"}, false, "founded only in an empty folder"},
		"an empty file beside a key":   {map[string]string{databaseFile: "", house.KeyFile: "x"}, false, "not a house"},
		"something else":               {map[string]string{databaseFile: strings.Repeat("not a database ", 400)}, false, "not a house"},
		"the beginning of one":         {map[string]string{databaseFile: string(text[:20000])}, false, ""},
		"another's journal":            {map[string]string{databaseFile: string(text), databaseFile + "-journal": "x"}, false, "not finished"},
	} {
		folder := t.TempDir()
		for file, text := range c.files {
			write(folder, file, text)
		}
		db, lock, err := openHouse(t.Context(), folder)
		if (err == nil) != c.opens || err != nil && !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", name, err)
		}
		if err == nil {
			db.Close()
			lock.Close()
			continue
		}
		for file, was := range c.files {
			if is, err := os.ReadFile(filepath.Join(folder, file)); err != nil || string(is) != was {
				t.Errorf("%s: %s was changed", name, file)
			}
		}
	}
}

// A key file is never made beside a house whose secrets another one opens.
func TestAMissingKeyFileIsSaid(t *testing.T) {
	folder := t.TempDir()
	houseIn(t, folder)
	key := filepath.Join(folder, house.KeyFile)
	if err := os.Remove(key); err != nil {
		t.Fatal(err)
	}
	for _, args := range [][]string{{"keys", "rotate", "--data", folder}, {"import", "--yes", "--data", folder, filepath.Join("..", "..", "core", "access", "testdata", "cases", "1", "policy.json")}, {"serve", "--data", folder, "--listen", "127.0.0.1:0"}} {
		if out, err := command(t, args...); err == nil || !strings.Contains(err.Error(), "put it back") {
			t.Errorf("%v: %s %v", args, out, err)
		}
		if _, err := os.Stat(key); err == nil {
			t.Fatalf("%v makes a key", args)
		}
	}
}

// A backup that fails leaves nothing behind, and one that is killed nothing that is taken for a house.
func TestABackupIsWholeOrNotThere(t *testing.T) {
	folder := t.TempDir()
	houseIn(t, folder)
	file := filepath.Join(folder, databaseFile)
	gone := func(what, to string) {
		t.Helper()
		if _, err := os.Stat(to); err == nil {
			t.Errorf("%s: something is left", what)
		}
	}
	damaged := t.TempDir()
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	houseIn(t, damaged)
	db, err := store.Open(t.Context(), filepath.Join(damaged, databaseFile))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec(`UPDATE ledger SET what = 'Somebody else did it.' WHERE number = 1`); err != nil {
		t.Fatal(err)
	}
	db.Close()
	to := filepath.Join(t.TempDir(), "a")
	if _, err := command(t, "backup", to, "--data", damaged); err == nil || !strings.Contains(err.Error(), "ledger") {
		t.Errorf("a ledger that was tampered with: %v", err)
	}
	gone("a ledger that was tampered with", to)
	other := filepath.Join(t.TempDir(), "other.key")
	if err := os.WriteFile(other, []byte("MDEyMzQ1Njc4OTAxMjM0NTY3ODkwMTIzNDU2Nzg5MDE=\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := command(t, "backup", to, "--data", folder, "--key-file", other, "--with-keys"); err == nil || !strings.Contains(err.Error(), "key") {
		t.Errorf("the keys of another house: %v", err)
	}
	gone("the keys of another house", to)
	if out, err := command(t, "backup", to, "--data", folder, "--with-keys"); err != nil || !strings.Contains(out, "checked") {
		t.Fatal(out, err)
	}
	if _, err := os.Stat(filepath.Join(to, partFile)); err == nil {
		t.Error("the copy has two names")
	}
	db, lock, err := openHouse(t.Context(), to)
	if err != nil {
		t.Fatal(err)
	}
	db.Close()
	lock.Close()
	if is, err := os.ReadFile(file); err != nil || !bytes.Equal(is, text) {
		t.Error("the house was changed by being copied")
	}
}

// Killed at any moment, a backup is never taken for a house.
func TestAKilledBackupIsNoHouse(t *testing.T) {
	if testing.Short() {
		t.Skip()
	}
	folder := t.TempDir()
	houseIn(t, folder)
	binary := filepath.Join(t.TempDir(), "velada")
	if out, err := exec.Command("go", "build", "-o", binary, ".").CombinedOutput(); err != nil {
		t.Fatalf("%v %s", err, out)
	}
	for i := range 12 {
		to := filepath.Join(t.TempDir(), "copy")
		c := exec.Command("timeout", "-s", "KILL", "0.0"+string(rune('0'+i%10))+"5", binary, "backup", to, "--data", folder)
		_ = c.Run()
		if _, err := os.Stat(to); err != nil {
			continue
		}
		db, lock, err := openHouse(t.Context(), to)
		if err != nil {
			continue
		}
		if entries, err := os.ReadDir(to); err == nil && len(entries) > 1 { // a folder in which nothing was written yet is empty
			if err := store.CheckWhole(t.Context(), db, migrations.Newest); err != nil {
				t.Errorf("killed: %v", err)
			}
			var houses int
			if err := db.QueryRow(`SELECT count(*) FROM ledger`).Scan(&houses); err != nil {
				t.Error(err)
			}
		}
		db.Close()
		lock.Close()
	}
}

// What the house is told of its hosts is checked, and said in one line.
func TestHostsAreChecked(t *testing.T) {
	for _, args := range [][]string{{"--base", "https://example.org"}, {"--base", "example.org:8080"}, {"--base", ""}, {"--base", "a..b"}, {"--base", "exa mple.org"}, {"--base", "*.example.org"}, {"--base", "example.org", "--console-host", "https://x"}} {
		out, err := command(t, append([]string{"serve", "--data", t.TempDir(), "--listen", "127.0.0.1:0"}, args...)...)
		if err == nil || !strings.Contains(err.Error(), "is no domain") || strings.Contains(err.Error(), "\n") {
			t.Errorf("%v: %s %v", args, out, err)
		}
	}
	o := serving{base: "Exämple.org", console: "Velada.Keys.example"}
	if err := o.check(); err != nil || o.base != "xn--exmple-cua.org" || o.console != "velada.keys.example" {
		t.Errorf("%+v %v", o, err)
	}
}

// A newer program backs up a house that an older one wrote, and changes nothing in it; serving it says that
// its tables are brought up to date, and leaves it as it was beside itself until the next time.
func TestAnOlderHouseIsBackedUp(t *testing.T) {
	folder, to := t.TempDir(), filepath.Join(t.TempDir(), "copy")
	for _, name := range []string{databaseFile, house.KeyFile} {
		f, err := os.Open(filepath.Join("..", "..", "house", "testdata", "schemas", "13."+name+".gz"))
		if err != nil {
			t.Fatal(err)
		}
		zipped, err := gzip.NewReader(f)
		if err != nil {
			t.Fatal(err)
		}
		text, err := io.ReadAll(zipped)
		if err == nil {
			err = os.WriteFile(filepath.Join(folder, name), text, 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile(filepath.Join(folder, databaseFile+"-before-12-from-8"), []byte("the time before"), 0o600); err != nil {
		t.Fatal(err)
	}
	out, err := command(t, "backup", to, "--data", folder)
	if err != nil || !strings.Contains(out, "An older Velada wrote this house") {
		t.Fatalf("%v %s", err, out)
	}
	db, version, err := store.OpenToCopy(t.Context(), filepath.Join(to, databaseFile))
	if err != nil || version != 13 {
		t.Fatalf("version %d: %v", version, err)
	}
	db.Close()
	if db, version, err = store.OpenToCopy(t.Context(), filepath.Join(folder, databaseFile)); err != nil || version != 13 {
		t.Fatalf("the house was changed: version %d, %v", version, err)
	}
	db.Close()
	db, lock, err := openHouse(t.Context(), folder)
	if err != nil {
		t.Fatal(err)
	}
	defer lock.Close()
	defer db.Close()
	kept, err := filepath.Glob(filepath.Join(folder, databaseFile+"-before-*"))
	if err != nil || len(kept) != 1 {
		t.Fatalf("%v %v", kept, err)
	}
	was, version, err := store.OpenToCopy(t.Context(), kept[0])
	if err != nil || version != 13 {
		t.Errorf("what lies beside it: version %d, %v", version, err)
	}
	was.Close()
	// where no copy can be made, nothing is changed
	if err := os.Mkdir(filepath.Join(to, databaseFile+".part"), 0o700); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(to, databaseFile+".part", "x"), nil, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, _, err := openHouse(t.Context(), to); err == nil || !strings.Contains(err.Error(), "left as it is") {
		t.Errorf("opened without a copy: %v", err)
	}
	if db, version, err = store.OpenToCopy(t.Context(), filepath.Join(to, databaseFile)); err != nil || version != 13 {
		t.Errorf("version %d: %v", version, err)
	}
	db.Close()
}
