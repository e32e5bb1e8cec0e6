package house

import (
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

func (o *Outbox) stopToken(site store.SiteID, who store.Who) string {
	text := append([]byte(string(site)+" "+string(who)+" "), o.house.Keys.MAC("stop " + string(site) + " " + string(who))[:16]...)
	return base64.RawURLEncoding.EncodeToString(text)
}

// ReadStop reads whose letters of which site a link stops. It returns ErrLinkSpent for
// a link that is none.
func (o *Outbox) ReadStop(token string) (site store.SiteID, who store.Who, err error) {
	raw, err := base64.RawURLEncoding.DecodeString(token)
	if err != nil || len(raw) < 18 {
		return "", "", ErrLinkSpent
	}
	parts := strings.SplitN(string(raw[:len(raw)-16]), " ", 3)
	if len(parts) != 3 || !hmac.Equal([]byte(token), []byte(o.stopToken(store.SiteID(parts[0]), store.Who(parts[1])))) {
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
