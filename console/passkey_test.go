package console

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/go-webauthn/webauthn/protocol/webauthncbor"

	"velada/house"
	"velada/store"
)

var plain = base64.RawURLEncoding

// authenticator is what keeps a passkey, as WebAuthn describes it: one key on P-256.
type authenticator struct {
	key        *ecdsa.PrivateKey
	id, handle []byte
	count      uint32
	origin     string
	flags      byte // user present 1, user verified 4
}

func newAuthenticator(t *testing.T) *authenticator {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	id := make([]byte, 16)
	rand.Read(id)
	return &authenticator{key: key, id: id, origin: "http://velada.localhost", flags: 1 | 4}
}

// asking is what a page asks a browser for, as far as it counts here.
type asking struct {
	PublicKey struct {
		Challenge string
		RPID      string `json:"rpId"`
		RP        struct{ ID string }
		User      struct{ ID string }
	}
}

func (a *authenticator) clientData(kind, challenge string) []byte {
	text, _ := json.Marshal(map[string]any{"type": kind, "challenge": challenge, "origin": a.origin, "crossOrigin": false})
	return text
}

func (a *authenticator) data(rp string, flags byte, more []byte) []byte {
	sum := sha256.Sum256([]byte(rp))
	return append(binary.BigEndian.AppendUint32(append(sum[:], flags), a.count), more...)
}

// create makes the passkey that a page asks for, and returns the browser's answer.
func (a *authenticator) create(t *testing.T, options string) string {
	t.Helper()
	var o asking
	if err := json.Unmarshal([]byte(options), &o); err != nil {
		t.Fatal(err, options)
	}
	a.handle, _ = plain.DecodeString(o.PublicKey.User.ID)
	point, err := a.key.PublicKey.Bytes()
	if err != nil {
		t.Fatal(err)
	}
	cose, err := webauthncbor.Marshal(map[int]any{1: 2, 3: -7, -1: 1, -2: point[1:33], -3: point[33:]})
	if err != nil {
		t.Fatal(err)
	}
	kept := append(make([]byte, 16), binary.BigEndian.AppendUint16(nil, uint16(len(a.id)))...)
	object, err := webauthncbor.Marshal(map[string]any{"fmt": "none", "attStmt": map[string]any{}, "authData": a.data(o.PublicKey.RP.ID, a.flags|0x40, append(append(kept, a.id...), cose...))})
	if err != nil {
		t.Fatal(err)
	}
	return a.answer(map[string]string{"clientDataJSON": plain.EncodeToString(a.clientData("webauthn.create", o.PublicKey.Challenge)), "attestationObject": plain.EncodeToString(object)})
}

// get shows the passkey.
func (a *authenticator) get(t *testing.T, options string) string {
	t.Helper()
	var o asking
	if err := json.Unmarshal([]byte(options), &o); err != nil {
		t.Fatal(err, options)
	}
	client, data := a.clientData("webauthn.get", o.PublicKey.Challenge), a.data(o.PublicKey.RPID, a.flags, nil)
	clientSum := sha256.Sum256(client)
	sum := sha256.Sum256(append(data[:len(data):len(data)], clientSum[:]...))
	signature, err := ecdsa.SignASN1(rand.Reader, a.key, sum[:])
	if err != nil {
		t.Fatal(err)
	}
	return a.answer(map[string]string{
		"clientDataJSON": plain.EncodeToString(client), "authenticatorData": plain.EncodeToString(data),
		"signature": plain.EncodeToString(signature), "userHandle": plain.EncodeToString(a.handle),
	})
}

func (a *authenticator) answer(response map[string]string) string {
	text, _ := json.Marshal(map[string]any{"id": plain.EncodeToString(a.id), "rawId": plain.EncodeToString(a.id), "type": "public-key", "response": response})
	return string(text)
}

// sendJSON sends a text as JSON.
func (d *desk) sendJSON(path, text string) (int, string) {
	d.Helper()
	r, err := d.client.Post(d.server.URL+path, "application/json", strings.NewReader(text))
	if err != nil {
		d.Fatal(err)
	}
	status, body, _ := read(d.TB, r)
	return status, body
}

// withPasskey is Jonas at a desk of his own, who has made a passkey.
func withPasskey(t *testing.T, d *desk) (*desk, *authenticator) {
	t.Helper()
	jonas, key := d.another().signIn("jonas@cerroalcor.example"), newAuthenticator(t)
	_, options := jonas.sendJSON("/account/passkeys/ask", "")
	if status, body := jonas.sendJSON("/account/passkeys?name=The+blue+key", key.create(t, options)); status != http.StatusOK {
		t.Fatalf("%d %s", status, body)
	}
	return jonas, key
}

func TestAPasskeyLetsInOnce(t *testing.T) {
	d := openDesk(t)
	jonas, key := withPasskey(t, d)
	if _, body, _ := jonas.get("/account"); !strings.Contains(body, "The blue key") {
		t.Error("it is not listed")
	}
	err := d.house.ChangeSettings(t.Context(), d.house.Actor(mustParse(t, "ines@cerroalcor.example")), "x", func(s *house.Settings) { s.SecondStep = []string{"write"} })
	if err != nil {
		t.Fatal(err)
	}
	fresh := d.another()
	_, options := fresh.sendJSON("/sign-in/passkey/ask", "")
	key.count++
	answer := key.get(t, options)
	if status, body := fresh.sendJSON("/sign-in/passkey?then=/account", answer); status != http.StatusOK || !strings.Contains(body, `"/account"`) {
		t.Fatalf("%d %s", status, body)
	}
	if status, body, _ := fresh.get("/account"); status != http.StatusOK || !strings.Contains(body, "jonas@cerroalcor.example") {
		t.Errorf("a passkey does not count for both steps: %d", status)
	}
	for _, again := range []*desk{fresh, d.another()} {
		if status, _ := again.sendJSON("/sign-in/passkey", answer); status != http.StatusUnprocessableEntity {
			t.Errorf("the same answer again: %d", status)
		}
	}
}

func TestWhatIsNotThePasskeyLetsNobodyIn(t *testing.T) {
	d := openDesk(t)
	jonas, key := withPasskey(t, d)
	key.count = 5
	for name, change := range map[string]func(a *authenticator, options string) string{
		"another origin":      func(a *authenticator, options string) string { a.origin = "http://velada.evil.example"; return options },
		"another key":         func(a *authenticator, options string) string { a.key = newAuthenticator(t).key; return options },
		"an unknown passkey":  func(a *authenticator, options string) string { a.id = newAuthenticator(t).id; return options },
		"somebody else's":     func(a *authenticator, options string) string { a.handle = make([]byte, 32); return options },
		"nobody looked at it": func(a *authenticator, options string) string { a.flags = 1; return options },
		"another asking": func(a *authenticator, options string) string {
			_, other := d.another().sendJSON("/sign-in/passkey/ask", "")
			return other
		},
		"another house": func(a *authenticator, options string) string {
			return strings.Replace(options, `"rpId":"velada.localhost"`, `"rpId":"evil.example"`, 1)
		},
	} {
		fresh, a := d.another(), *key
		_, options := fresh.sendJSON("/sign-in/passkey/ask", "")
		options = change(&a, options)
		if status, body := fresh.sendJSON("/sign-in/passkey", a.get(t, options)); status != http.StatusUnprocessableEntity || strings.Contains(body, "jonas") {
			t.Errorf("%s: %d %s", name, status, body)
		}
		if status, _, h := fresh.get("/sites"); status != http.StatusSeeOther || !strings.HasPrefix(h.Get("Location"), "/sign-in") {
			t.Errorf("%s: in all the same", name)
		}
	}
	show := func() int {
		fresh := d.another()
		_, options := fresh.sendJSON("/sign-in/passkey/ask", "")
		status, _ := fresh.sendJSON("/sign-in/passkey", key.get(t, options))
		return status
	}
	if status := show(); status != http.StatusOK {
		t.Fatalf("the passkey itself: %d", status)
	}
	key.count = 9
	if status, _, _ := d.another().signIn("pilar@cerroalcor.example").post("/account/passkeys/drop", "id", plain.EncodeToString(key.id)); status != http.StatusSeeOther || show() != http.StatusOK {
		t.Error("somebody else can forget it")
	}
	key.count = 12
	jonas.post("/account/passkeys/drop", "id", plain.EncodeToString(key.id))
	if status := show(); status != http.StatusUnprocessableEntity {
		t.Errorf("a forgotten passkey: %d", status)
	}
}

// Removing a passkey says which sign-ins it made, and ends them.
func TestRemovingAPasskeyEndsWhatItMade(t *testing.T) {
	d := openDesk(t)
	jonas, key := withPasskey(t, d)
	by := d.another()
	_, options := by.sendJSON("/sign-in/passkey/ask", "")
	key.count++
	if status, body := by.sendJSON("/sign-in/passkey", key.get(t, options)); status != http.StatusOK {
		t.Fatalf("%d %s", status, body)
	}
	_, page, _ := jonas.get("/account")
	if !strings.Contains(page, "Signed in by it:") || !strings.Contains(page, "Removing it ends this sign-in") {
		t.Error("what it made is not said")
	}
	jonas.post("/account/passkeys/drop", "id", plain.EncodeToString(key.id))
	if _, page, _ := jonas.get("/account"); !strings.Contains(page, "1 sign-in that was made by it ended.") {
		t.Error("what ended is not said")
	}
	if status, _, _ := by.get("/account"); status != http.StatusSeeOther {
		t.Errorf("whoever came by it stays: %d", status)
	}
}

// A passkey that counts fewer uses than were seen was copied: it lets nobody in any more, and its person
// and the stewards are told, once.
func TestACopiedPasskeyIsTold(t *testing.T) {
	d := openDesk(t)
	jonas, key := withPasskey(t, d)
	show := func(count uint32) (int, string) {
		key.count = count
		fresh := d.another()
		_, options := fresh.sendJSON("/sign-in/passkey/ask", "")
		return fresh.sendJSON("/sign-in/passkey", key.get(t, options))
	}
	if status, body := show(9); status != http.StatusOK {
		t.Fatalf("%d %s", status, body)
	}
	for _, count := range []uint32{4, 5, 20} { // the copy twice, and then the passkey itself
		if status, body := show(count); status != http.StatusUnprocessableEntity || !strings.Contains(body, "was copied") {
			t.Errorf("%d: %d %s", count, status, body)
		}
	}
	told := func(who store.Who) (times int) {
		list, err := store.Notices(t.Context(), d.house.Reader(), who, 50)
		if err != nil {
			t.Fatal(err)
		}
		for _, n := range list {
			if strings.Contains(n.What, "copied") || strings.Contains(n.What, "copy") {
				times++
			}
		}
		return times
	}
	for _, who := range []store.Who{"jonas", "ines"} {
		if told(who) != 1 {
			t.Errorf("%s was told %d times", who, told(who))
		}
	}
	if _, page, _ := jonas.get("/account"); !strings.Contains(page, "It was copied") {
		t.Error("the account page does not say so")
	}
}
