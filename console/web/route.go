package web

import (
	"html/template"
	"io/fs"
	"net/http"
	"slices"

	"github.com/gin-gonic/gin"

	"velada/core/access"
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

	guards []guard
}

// guard lets a request on, or answers it and aborts.
type guard func(c *Console, x *gin.Context)

// before lists what is asked before a request is answered.
func (n Needs) before(c *Console) (chain []gin.HandlerFunc) {
	guards := n.guards
	if guards == nil {
		guards = []guard{func(c *Console, x *gin.Context) {
			c.NotFound(x)
			x.Abort()
		}}
	}
	for _, g := range guards {
		chain = append(chain, func(x *gin.Context) { g(c, x) })
	}
	return chain
}

func (n Needs) and(name string, more ...guard) Needs {
	return Needs{name, slices.Concat(n.guards, more)}
}

// What requests need.
var (
	SetUp = Needs{"nobody, before there is a house", []guard{limit(MostSignIn)}}
	Open  = Needs{"anybody", []guard{limit(MostSignIn), needsHouse}}

	SignedIn = Needs{"signed in", []guard{signedIn, limit(MostForm), readForm}}
	Proven   = SignedIn.and("signed in, and shown lately who they are", needsProof)
	// ProvenWithout is Proven but for who has nothing to show it by.
	ProvenWithout = SignedIn.and("signed in, and shown lately who they are where they can", needsProofWithout)
	Stewards      = SignedIn.and("a steward", forStewards)
	Keepers       = SignedIn.and("keeps the group", forKeepers)
	// StewardsOfGroup is for stewards; to who does not keep the group it is not there.
	StewardsOfGroup = Keepers.and("a steward", forStewards)

	OnSite     = SignedIn.and("may do anything on the site", onSite)
	WholeSite  = OnSite.and("may do anything on the whole site", onWholeSite)
	Rehearsing = OnSite.and("may change who views or who edits", mayRehearse)
)

// May needs a capability on the whole site; otherwise says what one may do without it.
func May(needed access.Capability, otherwise string) Needs {
	return OnSite.and(needed.String(), mayOnSite(needed, otherwise))
}

// MaySend is May for a body of so many bytes, which is read as it comes and kept nowhere.
func MaySend(needed access.Capability, most int64, otherwise string) Needs {
	return Needs{needed.String(), []guard{signedIn, limit(most), onSite, mayOnSite(needed, otherwise)}}
}

func mayOnSite(needed access.Capability, otherwise string) guard {
	return func(c *Console, x *gin.Context) {
		if !c.House.Can(Actor(x), x.Param("site"), "/").Has(needed) {
			c.Refuse(x, http.StatusForbidden, otherwise)
			x.Abort()
		}
	}
}
