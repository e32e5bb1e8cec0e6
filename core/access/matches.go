package access

import (
	"slices"
)

// MatchesAny reports whether an address is at one of some domains.
func MatchesAny(domains []string, a Address) bool {
	return slices.ContainsFunc(domains, func(d string) bool {
		pattern, err := ParseDomainPattern(d)
		return err == nil && pattern.Matches(a.Domain)
	})
}
