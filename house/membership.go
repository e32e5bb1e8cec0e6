package house

import (
	"cmp"
	"slices"
	"strings"
)

// Membership is what being a member of a site is like, beside who may sign up.
type Membership struct {
	Questions []string `json:"questions,omitempty"`
	Terms     string   `json:"terms,omitempty"`  // a text to agree to
	Corner    string   `json:"corner,omitempty"` // where the sign-in corner stands: head, foot; "" shows none to strangers
	SignIn    string   `json:"sign_in,omitempty"`
	Yours     string   `json:"yours,omitempty"`
	First     string   `json:"first,omitempty"` // the page that people see first, signing in or signing up
	List      bool     `json:"list,omitempty"`  // members see a list of members
	NoAsking  bool     `json:"no_asking,omitempty"`
	Comments  []string `json:"comments,omitempty"` // at and below these paths members write comments
	Held      bool     `json:"held,omitempty"`     // comments wait until they are approved
}

// SignInWords and YoursWords are what the sign-in corner says.
func (m Membership) SignInWords() string { return cmp.Or(m.SignIn, "Sign in") }

// YoursWords is what leads a member to their own page.
func (m Membership) YoursWords() string { return cmp.Or(m.Yours, "Your page") }

// WantsComments reports whether members may write comments on a page.
func (m Membership) WantsComments(path string) bool {
	return slices.ContainsFunc(m.Comments, func(p string) bool { return p == "/" || path == p || strings.HasPrefix(path, p+"/") })
}
