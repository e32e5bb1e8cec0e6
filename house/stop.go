package house

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/hmac"
	"encoding/base64"
	"strings"

	"velada/core/access"
	"velada/store"
)

// StopLink is where somebody stops letters of a site to them.
func (o *Outbox) StopLink(site store.SiteID, who store.Who) string {
	return o.house.ConsoleURL + "/stop/" + o.stopToken(site, who)
}

// stopToken says which letters, and whose, sealed: it stands in mail, in browsers' histories and in logs.
// It is of no use for anything else, and outlives a new key file, since letters are kept for years.
func (o *Outbox) stopToken(site store.SiteID, who store.Who) string {
	return base64.RawURLEncoding.EncodeToString(o.stops().Seal(nil, nil, []byte(string(site)+" "+string(who)), nil))
}

// stops seals what stop links say, under a key of their own.
func (o *Outbox) stops() cipher.AEAD {
	block, err := aes.NewCipher(o.house.Keys.MAC("stop links"))
	if err != nil {
		panic(err) // the key is as long as it must be
	}
	sealing, err := cipher.NewGCMWithRandomNonce(block)
	if err != nil {
		panic(err)
	}
	return sealing
}

// plainStop is a stop link as earlier versions wrote it, with what it says in the clear.
func (o *Outbox) plainStop(raw []byte) (said string, ok bool) {
	if len(raw) < 18 {
		return "", false
	}
	said, mac := string(raw[:len(raw)-16]), raw[len(raw)-16:]
	said, ends := strings.CutSuffix(said, " ")
	return said, ends && hmac.Equal(mac, o.house.Keys.MAC("stop " + said)[:16])
}

// ReadStop reads whose letters of which site a link stops. It returns ErrLinkSpent for
// a link that is none.
func (o *Outbox) ReadStop(token string) (site store.SiteID, who store.Who, err error) {
	raw, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil {
		return "", "", ErrLinkSpent
	}
	said, ok := o.plainStop(raw)
	if opened, err := o.stops().Open(nil, nil, raw, nil); err == nil {
		said, ok = string(opened), true
	}
	parts := strings.SplitN(said, " ", 2)
	if !ok || len(parts) != 2 {
		return "", "", ErrLinkSpent
	}
	s := o.house.State()
	site, who = store.SiteID(parts[0]), store.Who(parts[1])
	if s.SiteAddress(site) == "" { // letters of earlier versions named sites by their addresses
		name := parts[0]
		if led := s.LedTo(name); led != "" {
			name = led
		}
		site = s.ID(name)
	}
	if at, err := access.ParseAddress(string(who)); err == nil { // whoever has it now
		who = s.WhoHas(at)
	}
	if s.SiteAddress(site) == "" {
		return "", "", ErrLinkSpent
	}
	return site, who, nil
}
