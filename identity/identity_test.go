package identity

import (
	"strings"
	"testing"
	"time"
)

func TestPasswords(t *testing.T) {
	hash := HashPassword("walnut ferry indigo moss")
	if !strings.HasPrefix(hash, "$argon2id$v=19$m=19456,t=2,p=1$") || hash == HashPassword("walnut ferry indigo moss") {
		t.Error(hash)
	}
	for password, want := range map[string]bool{"walnut ferry indigo moss": true, "walnut ferry indigo mos": false, "": false} {
		if got, err := CheckPassword(hash, password); got != want || err != nil {
			t.Errorf("%q: %v, %v", password, got, err)
		}
	}
	for _, broken := range []string{"", "plain", "$argon2i$v=19$m=1,t=1,p=1$a$b", "$argon2id$v=18$m=1,t=1,p=1$YQ$YQ", "$argon2id$v=19$m=x$YQ$YQ", "$argon2id$v=19$m=8,t=1,p=1$!$YQ"} {
		if ok, err := CheckPassword(broken, "x"); ok || err == nil {
			t.Errorf("%q is taken for a hash", broken)
		}
	}
	salt := []byte("0123456789abcdef")
	if !SameKey(Key("a", salt), Key("a", salt)) || SameKey(Key("a", salt), Key("b", salt)) || SameKey(Key("a", salt), Key("a", []byte("fedcba9876543210"))) {
		t.Error("keys")
	}
}

func TestStrength(t *testing.T) {
	for password, weak := range map[string]bool{"password1": true, "hollis1": true, "12345678": true, "walnut ferry indigo moss": false, strings.Repeat("long and ", 500): false} {
		if s := StrengthOf(password); s.Weak() != weak || s.Words == "" {
			t.Errorf("%.20q: %+v", password, s)
		}
	}
	if near := StrengthOf("cerroalcor", "cerroalcor"); near.Score >= StrengthOf("cerroalcor").Score && near.Score > 0 {
		t.Errorf("the site's own name counts for nothing: %+v", near)
	}
}

func TestMadeUpPasswordsAreStrongAndSayable(t *testing.T) {
	seen := map[string]bool{}
	for range 50 {
		p := MakeUpPassword()
		if len(strings.Fields(p)) != 4 || StrengthOf(p).Score < 3 || seen[p] {
			t.Errorf("%q: %+v", p, StrengthOf(p))
		}
		seen[p] = true
	}
	known := map[string]bool{}
	for _, w := range words {
		if known[w] || strings.Trim(w, "abcdefghijklmnopqrstuvwxyz") != "" {
			t.Errorf("the word %q stands twice, or is none", w)
		}
		known[w] = true
	}
	if len(words) < 300 {
		t.Errorf("%d words are few", len(words))
	}
}

func TestThrottle(t *testing.T) {
	throttle := Throttle{Every: 10 * time.Second, Burst: 3}
	now := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	try := func(keys ...string) time.Duration {
		_, wait := throttle.Try(now, keys...)
		return wait
	}
	for range 3 {
		if try("a") != 0 {
			t.Fatal("slowed too soon")
		}
	}
	if wait := try("a"); wait != 10*time.Second {
		t.Errorf("wait %v", wait)
	}
	if try("b") != 0 {
		t.Error("another key is slowed too")
	}
	if try("a", "b") == 0 {
		t.Error("one of the keys must wait, and it did not")
	}
	now = now.Add(10 * time.Second)
	forgive, wait := throttle.Try(now, "a")
	if wait != 0 {
		t.Fatal("still slowed after its time")
	}
	forgive()
	if try("a") != 0 || try("a") == 0 {
		t.Error("what was right counts for nothing")
	}
}

func TestTickets(t *testing.T) {
	tickets := NewTickets()
	now := time.Date(2026, 11, 24, 12, 0, 0, 0, time.UTC)
	a := tickets.Issue(Ticket{Site: "a", Nonce: Nonced("here"), Console: "x"}, now)
	b := tickets.Issue(Ticket{Site: "a", Nonce: Nonced("here"), Console: "z"}, now)
	if a == b || len(a) < 32 {
		t.Error("tickets can be guessed")
	}
	if got, ok := tickets.Redeem(a, "a", "here", now.Add(TicketLife-1)); !ok || got.Console != "x" {
		t.Errorf("%+v %v", got, ok)
	}
	if _, ok := tickets.Redeem(b, "b", "here", now); ok {
		t.Error("redeemed on another host")
	}
	if _, ok := tickets.Redeem(b, "a", "here", now); ok {
		t.Error("redeemed after a wrong try")
	}
	for _, nonce := range []string{"there", "", Nonced("here")} { // another browser, one that was told nothing, the console itself
		c := tickets.Issue(Ticket{Site: "a", Nonce: Nonced("here"), Console: "x"}, now)
		if _, ok := tickets.Redeem(c, "a", nonce, now); ok {
			t.Errorf("redeemed in a browser with %q", nonce)
		}
	}
	if c := tickets.Issue(Ticket{Site: "a"}, now); func() bool { _, ok := tickets.Redeem(c, "a", "", now); return ok }() {
		t.Error("a ticket for no browser was redeemed")
	}
	for range mostTickets + 10 {
		tickets.Issue(Ticket{Site: "a"}, now)
	}
	if n := tickets.waiting.Len(); n > mostTickets {
		t.Errorf("%d tickets wait: the oldest are not forgotten", n)
	}
}
