package doors

import (
	"crypto/hmac"
	"fmt"
	"strconv"
	"strings"

	"velada/house"
)

// A visitor's passes and links are held in cookies of the site's host, a kind
// each: entries ID.VERSION under a seal that only this installation can make.

// Held returns the ids of the passes ("pass") or links ("link") that a cookie stands for and
// that were not changed since.
func Held(h *house.House, kind string, s *house.State, site, cookie string) []string {
	var ids []string
	for _, entry := range entries(h, kind, s, site, cookie) {
		id, _, _ := strings.Cut(entry, ".")
		ids = append(ids, id)
	}
	return ids
}

// hold returns the cookie that holds one more pass or link at its version.
func hold(h *house.House, kind string, s *house.State, site, cookie, id string, version int) string {
	var others []string
	for _, entry := range entries(h, kind, s, site, cookie) {
		if !strings.HasPrefix(entry, id+".") {
			others = append(others, entry)
		}
	}
	list := strings.Join(append(others, fmt.Sprintf("%s.%d", id, version)), "~")
	return h.Keys.Seal(kind, string(s.ID(site)), list) + "~" + list
}

// entries returns the entries of a cookie that hold.
func entries(h *house.House, kind string, s *house.State, site, cookie string) []string {
	seal, list, ok := strings.Cut(cookie, "~")
	if !ok || !hmac.Equal([]byte(seal), []byte(h.Keys.Seal(kind, string(s.ID(site)), list))) {
		return nil
	}
	var holds []string
	for _, entry := range strings.Split(list, "~") {
		id, at, _ := strings.Cut(entry, ".")
		if now, known := version(s, kind, site, id); known && strconv.Itoa(now) == at {
			holds = append(holds, entry)
		}
	}
	return holds
}

// version is that of a pass's password or of a link's token.
func version(s *house.State, kind, site, id string) (int, bool) {
	if kind == "link" {
		return s.LinkVersion(site, id), true
	}
	secret, known := s.Site(site).Passes[id]
	return secret.Version, known
}
