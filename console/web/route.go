package web

import (
	"html/template"
	"io/fs"
	"net/http"
	"velada/core/access"

	"github.com/gin-gonic/gin"
)

// Room is a group of views that belong together: what it answers, and its templates.
type Room struct {
	Routes    []Route
	Templates fs.FS            // its views, see parseTemplates
	Funcs     template.FuncMap // that its templates call
}

// Route is one kind of request that a room answers.
type Route struct {
	Method, Path string
	Needs        Needs
	Do           func(c *Console, x *gin.Context)
}

// Get is a route that shows something.
func Get(path string, needs Needs, do func(c *Console, x *gin.Context)) Route {
	return Route{http.MethodGet, path, needs, do}
}

// Post is a route that changes something.
func Post(path string, needs Needs, do func(c *Console, x *gin.Context)) Route {
	return Route{http.MethodPost, path, needs, do}
}

// Needs is what somebody must be and may do so that a request of theirs is answered.
// The zero value lets nobody in.
type Needs struct {
	Name string // for whoever lists the routes

	chain func(c *Console) []gin.HandlerFunc
}

// before lists what is asked before a request is answered.
func (n Needs) before(c *Console) []gin.HandlerFunc {
	if n.chain == nil {
		return []gin.HandlerFunc{func(x *gin.Context) {
			c.NotFound(x)
			x.Abort()
		}}
	}
	return n.chain(c)
}

func (n Needs) and(name string, more func(c *Console) []gin.HandlerFunc) Needs {
	return Needs{name, func(c *Console) []gin.HandlerFunc { return append(n.chain(c), more(c)...) }}
}

// What requests need.
var (
	SetUp = Needs{"nobody, before there is a house", func(*Console) []gin.HandlerFunc { return []gin.HandlerFunc{limit(MostSignIn)} }}
	Open  = Needs{"anybody", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{limit(MostSignIn), c.needsHouse} }}

	SignedIn = Needs{"signed in", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.signedIn, limit(MostForm), c.readForm} }}
	Proven   = SignedIn.and("signed in, and shown lately who they are", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.needsProof} })
	// ProvenWithout is Proven but for who has nothing to show it by.
	ProvenWithout = SignedIn.and("signed in, and shown lately who they are where they can", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.needsProofWithout} })
	Stewards      = SignedIn.and("a steward", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.forStewards} })
	Keepers       = SignedIn.and("keeps the group", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.forKeepers} })
	// StewardsOfGroup is for stewards; to who does not keep the group it is not there.
	StewardsOfGroup = Keepers.and("a steward", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.forStewards} })

	OnSite     = SignedIn.and("may do anything on the site", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.onSite} })
	WholeSite  = OnSite.and("may do anything on the whole site", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.onWholeSite} })
	Rehearsing = OnSite.and("may change who views or who edits", func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.mayRehearse} })
)

// May needs a capability on the whole site; otherwise says what one may do without it.
func May(needed access.Capability, otherwise string) Needs {
	return OnSite.and(needed.String(), func(c *Console) []gin.HandlerFunc { return []gin.HandlerFunc{c.may(needed, otherwise)} })
}
