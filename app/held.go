package app

import (
	"crypto/hmac"
	"fmt"
	"strconv"
	"strings"
)

// A visitor's passes and links are held in cookies of the site's host, a kind
// each: entries ID.VERSION under a seal that only this installation can make.

// Held gives the ids of the passes ("pass") or links ("link") that a cookie stands for and
// that were not changed since.
func (h *House) Held(kind string, s *State, site, cookie string) []string {
	var ids []string
	for _, entry := range h.entries(kind, s, site, cookie) {
		id, _, _ := strings.Cut(entry, ".")
		ids = append(ids, id)
	}
	return ids
}

// hold gives the cookie that holds one more pass or link at its version.
func (h *House) hold(kind string, s *State, site, cookie, id string, version int) string {
	var entries []string
	for _, entry := range h.entries(kind, s, site, cookie) {
		if !strings.HasPrefix(entry, id+".") {
			entries = append(entries, entry)
		}
	}
	list := strings.Join(append(entries, fmt.Sprintf("%s.%d", id, version)), "~")
	return h.seal(kind, string(s.ID(site)), list) + "~" + list
}

// entries gives the entries of a cookie that hold.
func (h *House) entries(kind string, s *State, site, cookie string) []string {
	seal, list, ok := strings.Cut(cookie, "~")
	if !ok || !hmac.Equal([]byte(seal), []byte(h.seal(kind, string(s.ID(site)), list))) {
		return nil
	}
	var entries []string
	for _, entry := range strings.Split(list, "~") {
		id, version, _ := strings.Cut(entry, ".")
		if now, known := s.version(kind, site, id); known && strconv.Itoa(now) == version {
			entries = append(entries, entry)
		}
	}
	return entries
}

// version is that of a pass's password or of a link's token.
func (s *State) version(kind, site, id string) (int, bool) {
	if kind == "link" {
		return s.LinkVersion(site, id), true
	}
	secret, known := s.Site(site).Passes[id]
	return secret.Version, known
}
