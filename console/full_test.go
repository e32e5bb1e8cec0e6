package console

import (
	"bytes"
	"fmt"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"testing"

	"velada/demo"
)

// On a full disk one still signs in and out, and reads; the screen and the bell say what is the matter, the log
// says it in one line, and what is changed is refused and not lost. Once there is room all goes on.
func TestAFullDiskIsSaidAndKeepsNobodyOut(t *testing.T) {
	d := openDesk(t)
	d.db.SetMaxOpenConns(1)
	var pages int
	if err := d.db.QueryRow(`PRAGMA page_count`).Scan(&pages); err != nil {
		t.Fatal(err)
	}
	var said bytes.Buffer
	was := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&said, nil)))
	defer slog.SetDefault(was)
	limit := func(most int) {
		t.Helper()
		if _, err := d.db.Exec(fmt.Sprintf(`PRAGMA max_page_count = %d`, most)); err != nil {
			t.Fatal(err)
		}
	}
	limit(pages)
	for _, fill := range []string{ // what is free in the file is used up, and in pages that are half empty
		`INSERT INTO blobs (key, data) VALUES (hex(randomblob(16)), randomblob(3000))`,
		`INSERT INTO signed_in (id, who, device, how, began, used) VALUES (hex(randomblob(16)), 'x', 'x', 'x', 0, 0)`,
		`INSERT INTO known_browsers (who, token, used) VALUES ('x', randomblob(32), 0)`,
		`INSERT INTO sessions (token, data, expiry) VALUES (hex(randomblob(16)), randomblob(100), 0)`,
	} {
		for {
			if _, err := d.db.Exec(fill); err != nil {
				break
			}
		}
	}
	if _, err := d.db.Exec(`CREATE TABLE filler (x)`); err == nil {
		t.Fatal("there is room")
	}
	ines := d.another()
	for range 8 { // pages that are half empty are filled too
		ines = d.another()
		status, _, h := ines.post("/sign-in", "address", "ines@cerroalcor.example", "password", demo.Password)
		if status != http.StatusSeeOther || h.Get("Location") == "" {
			t.Fatalf("signing in: %d", status)
		}
	}
	if _, full := d.house.FullSince(); !full {
		t.Fatal("nothing was full")
	}
	body := ines.shows("/sites/society", "The disk of this house is full: nothing can be saved", "Make room on the machine")
	if !strings.Contains(body, `role="alert"`) {
		t.Error("the screen does not say so at once")
	}
	ines.shows("/notices", "The disk of this house is full")
	p := ines.working("society", "/visit")
	status, body, _ := ines.post("/sites/society/pages/"+p.ID, "version", strconv.Itoa(p.Version), "title", "Getting here", "body", strings.Repeat("Far. ", 100_000))
	if status != http.StatusInsufficientStorage || !strings.Contains(body, "Nothing was changed") || ines.working("society", "/visit").Version != p.Version {
		t.Errorf("a change: %d", status)
	}
	ines.shows("/sites/society", "Cerro Alcor") // still signed in
	if status, _, _ := ines.post("/sign-out"); status != http.StatusSeeOther {
		t.Errorf("signing out: %d", status)
	}
	if status, _, _ := ines.get("/sites/society"); status != http.StatusSeeOther {
		t.Errorf("still signed in: %d", status)
	}
	if n := strings.Count(said.String(), "level=ERROR"); n != 1 || !strings.Contains(said.String(), "the disk is full") {
		t.Errorf("the log says %d errors:\n%s", n, said.String())
	}
	stays := d.another().signIn("pilar@cerroalcor.example")
	if err := d.house.LookForRoom(d.Context()); err != nil {
		t.Fatal(err)
	}
	if _, full := d.house.FullSince(); !full {
		t.Error("what is small fits, and there is said to be room")
	}
	limit(1 << 30)
	if err := d.house.LookForRoom(d.Context()); err != nil {
		t.Fatal(err)
	}
	if _, full := d.house.FullSince(); full {
		t.Error("it is full for ever")
	}
	stays.shows("/sites/society", "Cerro Alcor")
	if body := stays.shows("/sites/society"); strings.Contains(body, "The disk of this house") {
		t.Error("the screen says so for ever")
	}
	if !strings.Contains(said.String(), "there is room on the disk again") {
		t.Error("the log does not say that there is room again")
	}
	if status, _, _ := ines.get("/sites/society"); status != http.StatusSeeOther {
		t.Errorf("who signed out is in again: %d", status)
	}
}
