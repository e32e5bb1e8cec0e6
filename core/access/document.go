package access

import "slices"

// Document is the policy document: everything the core needs to decide. The doc
// tags give each field's name and its default; they drive reading, writing and
// the JSON Schema alike. A document is not changed once it has been compiled:
// a change makes a new one that shares what stayed the same.
type Document struct {
	Velada   int         `doc:"velada,required"`
	House    House       `doc:"house,required"`
	People   []Person    `doc:"people"`
	Groups   []Group     `doc:"groups"`
	Rules    []HouseRule `doc:"rules"`
	Sites    []*Site     `doc:"sites"`
	Promises []Promise   `doc:"promises"`

	people *roster        // where its people stand, since it was compiled; see Person
	groups map[string]int // and its groups
}

// House is the organisation that the installation serves.
type House struct {
	Name    string   `doc:"name,required"`
	Zone    string   `doc:"zone,required"` // IANA zone, for showing times only
	Domains []string `doc:"domains"`
}

// Person is somebody of the house, known by the address that they have now and by
// those that they had formerly.
type Person struct {
	ID      string   `doc:"id,required"`
	Name    string   `doc:"name"`
	Address string   `doc:"address,required"`
	Former  []string `doc:"former"` // addresses that they had before; nobody else gets them
	Steward bool     `doc:"steward"`
	Blocked bool     `doc:"blocked"`
}

// Equal reports whether two people are the same in every field.
func (p Person) Equal(q Person) bool {
	return p.ID == q.ID && p.Name == q.Name && p.Address == q.Address && p.Steward == q.Steward && p.Blocked == q.Blocked &&
		slices.Equal(p.Former, q.Former)
}

// Group gathers people: by name, by domain, and by other groups.
type Group struct {
	ID      string   `doc:"id,required"`
	Name    string   `doc:"name"`
	People  []string `doc:"people"`
	Groups  []string `doc:"groups"`
	Domains []string `doc:"domains"`
	From    Instant  `doc:"from"`
	Until   Instant  `doc:"until"`
}

// HouseRule caps every site in its scope.
type HouseRule struct {
	ID    string    `doc:"id,required"`
	Rule  string    `doc:"rule,required,enum=sign-in-required|house-domains-only|no-listing|pass-must-end|inside-team-only|records-need-sign-in"`
	Sites RuleScope `doc:"sites"`
	From  Instant   `doc:"from"`
	Until Instant   `doc:"until"`
}

// RuleScope says which sites a house rule caps: all, only some, or all but some.
type RuleScope struct {
	Only   []string `doc:"only,nullable"`
	Except []string `doc:"except,nullable"`
}

// Site is one website of the house with everything that decides about it.
type Site struct {
	Address string      `doc:"address,required"`
	Title   string      `doc:"title"`
	State   string      `doc:"state,default=draft,enum=draft|live|down"`
	SayGone bool        `doc:"say_gone"`
	Listing bool        `doc:"listing"`
	SignUp  SignUp      `doc:"sign_up"`
	Pages   []Page      `doc:"pages"`
	Door    Door        `doc:"door"`
	Doors   []PageDoor  `doc:"doors"`
	Passes  []Pass      `doc:"passes"`
	Links   []Link      `doc:"links"`
	Holding Holding     `doc:"holding"`
	Members []Member    `doc:"members"`
	Team    []TeamEntry `doc:"team"`
	Roles   []Role      `doc:"roles"`
}

// SignUp says whether visitors may become members by themselves.
type SignUp struct {
	Mode    string   `doc:"mode,default=closed,enum=closed|approval|instant"`
	Domains []string `doc:"domains"`
}

// Page is an existing page of the live edition.
type Page struct {
	Path    string  `doc:"path,required"`
	Listing bool    `doc:"listing,default=true"`
	Tables  []Table `doc:"tables"`
}

// Table is a table of records on a page. Where Ways is nil it is shown to
// whoever the page is open to; where it is empty, to the team alone.
type Table struct {
	ID   string `doc:"id,required"`
	Ways []Way  `doc:"ways,nullable"`
}

// Door is a list of ways in, any one of which opens it; a door with no ways is
// closed.
type Door struct {
	Hide bool  `doc:"hide"`
	Ways []Way `doc:"ways"`
}

// PageDoor is a door of one page and all pages below it.
type PageDoor struct {
	Path string `doc:"path,required"`
	Mode string `doc:"mode,default=also,enum=also|instead"`
	Hide bool   `doc:"hide"`
	Ways []Way  `doc:"ways"`
}

// Way is one alternative of a door. Just the list that belongs to its kind is set.
type Way struct {
	Way      string   `doc:"way,required,enum=anyone|signed-in|domain|people|groups|members|pass|link|network"`
	Domains  []string `doc:"domains,nullable"`
	People   []string `doc:"people,nullable"`
	Groups   []string `doc:"groups,nullable"`
	Passes   []string `doc:"passes,nullable"`
	Links    []string `doc:"links,nullable"`
	Networks []string `doc:"networks,nullable"`
	From     Instant  `doc:"from"`
	Until    Instant  `doc:"until"`
}

// Pass is a password to a site; the secret itself is kept elsewhere.
type Pass struct {
	ID      string  `doc:"id,required"`
	Label   string  `doc:"label"`
	Under   string  `doc:"under,default=/"`
	From    Instant `doc:"from"`
	Until   Instant `doc:"until"`
	Revoked bool    `doc:"revoked"`
}

// Link is a secret address of a site; the secret itself is kept elsewhere.
type Link struct {
	ID      string  `doc:"id,required"`
	Label   string  `doc:"label"`
	Under   string  `doc:"under,default=/"`
	From    Instant `doc:"from"`
	Until   Instant `doc:"until"`
	Revoked bool    `doc:"revoked"`
}

// Holding is the page that stands in place of the site.
type Holding struct {
	On     bool     `doc:"on"`
	Kind   string   `doc:"kind,default=maintenance,enum=soon|maintenance"`
	From   Instant  `doc:"from"`
	Until  Instant  `doc:"until"`
	Repeat *Repeat  `doc:"repeat"` // nil where it does not come again
	Exempt []string `doc:"exempt"`
	LetIn  []Way    `doc:"let_in"`
}

// Repeat makes the holding page come again, at the time of day of its from.
type Repeat struct {
	Every int     `doc:"every,required"` // 1 to 366
	Unit  string  `doc:"unit,required,enum=day|week"`
	Until Instant `doc:"until,required"` // it begins before this for the last time
}

// Member is a reader of a site who has a login for it.
type Member struct {
	Who    string `doc:"who,required"`
	Status string `doc:"status,required,enum=pending|approved|blocked"`
}

// TeamEntry returns a person, a group or an address a role on part of a site.
type TeamEntry struct {
	Person   string  `doc:"person"`
	Group    string  `doc:"group"`
	Address  string  `doc:"address"`
	Role     string  `doc:"role,required"`
	Under    string  `doc:"under,default=/"`
	From     Instant `doc:"from"`
	Until    Instant `doc:"until"`
	Accepted bool    `doc:"accepted,default=true"`
}

// Role is a role of a site's own, beside the built-in ones.
type Role struct {
	ID  string   `doc:"id,required"`
	Can []string `doc:"can,enum=preview|write|publish|door|members|team|listing|traffic|own"`
}

// Promise is what must hold of one observer and one page.
type Promise struct {
	ID    string  `doc:"id,required"`
	Who   string  `doc:"who,required"`
	Must  string  `doc:"must,required,enum=open|not-open"`
	Site  string  `doc:"site,required"`
	Path  string  `doc:"path,required"`
	Below bool    `doc:"below"`
	At    Instant `doc:"at"`
	From  Instant `doc:"from"`
	Until Instant `doc:"until"`
}
