package access

import (
	"errors"
	"net/netip"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/net/idna"
)

// Why an address, a domain or a network is refused.
var (
	ErrAddress    = errors.New("not an address: it needs a name, an @ and a domain, without spaces")
	ErrDomain     = errors.New("not a domain: labels of 1 to 63 letters, digits and hyphens, with dots between them")
	ErrNetwork    = errors.New("not a network as in 10.2.0.0/16")
	ErrHostBits   = errors.New("a network has no host bits")
	ErrMapped     = errors.New("write an IPv4 network as IPv4")
	ErrWholeOnly  = errors.New("a whole domain is wanted here, without a leading *")
	errEmptyLabel = errors.New("empty label")
)

// Address is an e-mail address in the form in which addresses are compared:
// the local part with ASCII letters in lower case, the domain in ASCII form.
type Address struct{ Local, Domain string }

// ParseAddress reads an address.
func ParseAddress(s string) (Address, error) {
	at := strings.LastIndexByte(s, '@')
	if at < 1 || !utf8.ValidString(s) {
		return Address{}, ErrAddress
	}
	local := s[:at]
	for _, r := range local {
		if r == '@' || unicode.IsSpace(r) || unicode.IsControl(r) {
			return Address{}, ErrAddress
		}
	}
	domain, err := ParseDomain(s[at+1:])
	if err != nil {
		return Address{}, ErrAddress
	}
	return Address{lowerASCII(local), domain}, nil
}

func (a Address) String() string { return a.Local + "@" + a.Domain }

var toASCII = idna.New(idna.MapForLookup(), idna.Transitional(false), idna.BidiRule(), idna.CheckHyphens(false))

// ParseDomain brings a whole domain to ASCII form (UTS 46, non-transitional,
// lower case).
func ParseDomain(s string) (string, error) {
	if plain, ok := plainDomain(s); ok {
		return plain, nil
	}
	// The leading label keeps the library from quietly dropping empty ones.
	ascii, err := toASCII.ToASCII("a." + s)
	if err != nil {
		return "", ErrDomain
	}
	plain := strings.TrimPrefix(ascii, "a.")
	if err := checkLabels(plain); err != nil {
		return "", ErrDomain
	}
	return plain, nil
}

// plainDomain takes the short way for a domain of ASCII letters, digits and
// hyphens without an encoded label.
func plainDomain(s string) (string, bool) {
	for i := 0; i < len(s); i++ {
		if c := s[i]; c != '.' && c != '-' && (c|0x20 < 'a' || c|0x20 > 'z') && (c < '0' || c > '9') {
			return "", false
		}
	}
	lower := lowerASCII(s)
	if strings.Contains(lower, "xn--") || checkLabels(lower) != nil {
		return "", false
	}
	return lower, true
}

func checkLabels(domain string) error {
	start := 0
	for i := 0; i <= len(domain); i++ {
		if i < len(domain) && domain[i] != '.' {
			if c := domain[i]; c != '-' && (c < 'a' || c > 'z') && (c < '0' || c > '9') {
				return ErrDomain
			}
			continue
		}
		if n := i - start; n < 1 || n > 63 {
			return errEmptyLabel
		}
		start = i + 1
	}
	return nil
}

func lowerASCII(s string) string {
	for i := 0; i < len(s); i++ {
		if c := s[i]; c >= 'A' && c <= 'Z' {
			b := []byte(s)
			for ; i < len(b); i++ {
				if b[i] >= 'A' && b[i] <= 'Z' {
					b[i] |= 0x20
				}
			}
			return string(b)
		}
	}
	return s
}

// DomainPattern is a domain, or *.domain for all its subdomains.
type DomainPattern struct {
	Domain string // ASCII form
	Below  bool   // any subdomain at any depth, not the domain itself
}

// String returns the pattern as a document has it, in ASCII form.
func (p DomainPattern) String() string {
	if p.Below {
		return "*." + p.Domain
	}
	return p.Domain
}

// ParseDomainPattern reads a domain with or without a leading *. part.
func ParseDomainPattern(s string) (DomainPattern, error) {
	rest, below := strings.CutPrefix(s, "*.")
	domain, err := ParseDomain(rest)
	return DomainPattern{domain, below}, err
}

// Matches reports whether a domain in ASCII form is meant by the pattern.
func (p DomainPattern) Matches(domain string) bool {
	if !p.Below {
		return domain == p.Domain
	}
	cut := len(domain) - len(p.Domain) - 1
	return cut > 0 && domain[cut] == '.' && domain[cut+1:] == p.Domain
}

func anyMatches(patterns []DomainPattern, domain string) bool {
	for i := range patterns {
		if patterns[i].Matches(domain) {
			return true
		}
	}
	return false
}

// ParseNetwork reads a CIDR block without host bits; an IPv4-mapped one is
// refused.
func ParseNetwork(s string) (netip.Prefix, error) {
	p, err := netip.ParsePrefix(s)
	switch {
	case err != nil:
		return p, ErrNetwork
	case p.Addr().Is4In6():
		return p, ErrMapped
	case p.Masked() != p:
		return p, ErrHostBits
	}
	return p, nil
}
