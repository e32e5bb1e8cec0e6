package identity

import (
	"slices"
	"strings"
)

// Verified is whether a provider has seen that somebody reads mail at their address.
type Verified int

// What a provider says of it.
const (
	Unsaid      Verified = iota // nothing, or what is neither true nor false
	NotVerified                 // no
	IsVerified                  // yes
)

// Claims are what a provider says of somebody.
type Claims struct {
	Issuer   string // of the ID token
	Subject  string // whom the provider means: it never means another by it
	Address  string
	Verified Verified
	Name     string
}

// lacking reports whether an ID token leaves out what UserInfo may say.
func lacking(token map[string]any) bool {
	return text(token, "email") == "" || verified(token) == Unsaid || text(token, "name") == ""
}

// claimsOf reads what a provider says. Its ID token comes first. Whether an address is
// verified is taken from where the address was told, or from where the same one was.
func claimsOf(token, info map[string]any) Claims {
	c := Claims{Address: text(token, "email"), Verified: verified(token), Name: text(token, "name")}
	told := text(info, "email")
	switch {
	case c.Address == "":
		c.Address, c.Verified = told, verified(info)
	case c.Verified == Unsaid && strings.EqualFold(told, c.Address):
		c.Verified = verified(info)
	}
	if c.Name == "" {
		c.Name = text(info, "name")
	}
	return c
}

func text(claims map[string]any, name string) string {
	s, _ := claims[name].(string)
	return s
}

// verified reads email_verified, which some providers write as a string.
func verified(claims map[string]any) Verified {
	switch v := claims["email_verified"].(type) {
	case bool:
		if v {
			return IsVerified
		}
		return NotVerified
	case string:
		switch strings.ToLower(v) {
		case "true":
			return IsVerified
		case "false":
			return NotVerified
		}
	}
	return Unsaid
}

// Claim is a claim as a provider wrote it.
type Claim struct{ Name, Value string }

// ClaimsList lists claims by name, each cut to what is read.
func ClaimsList(claims map[string]any) (list []Claim) {
	for name, v := range claims {
		list = append(list, Claim{short(name), short(jsonText(v))})
	}
	slices.SortFunc(list, func(a, b Claim) int { return strings.Compare(a.Name, b.Name) })
	return list[:min(len(list), 60)]
}
