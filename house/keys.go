package house

import (
	"fmt"
	"strings"

	"velada/identity"
	"velada/store"
)

// LinkVersion is how often a link got a new token, from 1.
func (s *State) LinkVersion(site, link string) int { return max(1, s.Site(site).links[link]) }

// LinkToken is the secret part of a link's address at a version of it. It comes
// from the site's salt rather than its address, so that it outlives a change of that.
func (k *Keys) LinkToken(site, link string, version int) string {
	return k.Seal("link-token", string(k.house.State().Site(site).salt), fmt.Sprintf("%s.%d", link, version))[:24]
}

// PassKey derives from a password of a site what is kept of it there.
func (s *State) PassKey(site, password string) []byte {
	return identity.Key(strings.TrimSpace(password), s.Site(site).salt)
}

// SecretFor derives what is kept of a pass's password on a site.
func (s *State) SecretFor(site, password string) store.NewSecret {
	return store.NewSecret{
		Hash:  s.PassKey(site, password),
		Reuse: identity.Key(strings.TrimSpace(password), s.reuseSalt),
		Weak:  identity.StrengthOf(strings.TrimSpace(password), site).Score < 3,
	}
}

// UpstreamSecret is what the identity headers for a site's upstream are signed
// with.
func (k *Keys) UpstreamSecret(site string) string {
	return k.Seal("upstream", string(k.house.State().Site(site).salt), "")
}

// SourceMark marks a place that a link was followed from, so that places are told apart and
// none is known.
func (k *Keys) SourceMark(site, link, source string) []byte {
	return []byte(k.Seal("link-source", string(k.house.State().Site(site).salt), link+" "+source)[:16])
}
