// Package looks is what a site can look like: the looks there are, how one is arranged, and
// the colours that follow from the one that is chosen. It draws nothing.
package looks

import (
	"regexp"
	"slices"
	"strings"

	"velada/limits"
)

// Look is what a site wears. It belongs to an edition, as its pages do.
type Look struct {
	ID          string `json:"look,omitempty"`         // of a Kind; "" is plain
	Colour      string `json:"colour,omitempty"`       // of the header, as in #14594a; "" is the look's own
	Head        string `json:"head,omitempty"`         // "" at the side, or centre
	Foot        string `json:"foot,omitempty"`         // "" in columns, or line
	Below       string `json:"below,omitempty"`        // how pages below a page are shown: cards, list or none; "" is the look's own
	Tagline     string `json:"tagline,omitempty"`      // a few words below the title
	Picture     string `json:"picture,omitempty"`      // the path of the header picture
	PictureText string `json:"picture_text,omitempty"` // what it shows, for those who do not see it
	Focus       string `json:"focus,omitempty"`        // where its most important part stands: left, right, or "" in the middle
	Logo        string `json:"logo,omitempty"`         // the path of a logo
}

// Kind is a design of a whole site.
type Kind struct {
	ID, Name, About string
	Below           string    // how it shows the pages below a page
	Day, Evening    Surface   // what its text stands on
	Own             string    // the header colour that it has where none is chosen
	Rail            bool      // the menu stands at the side, with its branches
	Fonts           []Font    // those that nearly every page uses
	Head            [2]string // what its two arrangements of the head are called
}

// Surface is what the text of a look stands on, and the text itself.
type Surface struct{ Paper, Ink string }

// Font is a file of type that a look ships, with the part of a page that it is for.
type Font struct{ File, For string }

// Plain is the look of sites that have not chosen one.
const Plain = "plain"

// Kinds are the looks that there are, in the order in which they are offered.
var Kinds = []Kind{
	{
		ID: Plain, Name: "Plain", About: "text on white, as every site began", Below: "none", Own: "",
		Day: Surface{"#fbfcfb", "#1d2b38"}, Evening: Surface{"#16212a", "#dfe7ea"},
		Head:  [2]string{"Name beside the menu", "Name above the menu"},
		Fonts: []Font{{"atkinson-hyperlegible-next-latin-wght-normal.woff2", "text"}, {"bricolage-grotesque-latin-wght-normal.woff2", "headings"}},
	},
	{
		ID: "broadside", Name: "Broadside", About: "like the front page of a newspaper: for clubs, schools and whoever writes much", Below: "list", Own: "#7d3411",
		Day: Surface{"#fbf9f4", "#20242a"}, Evening: Surface{"#1a1815", "#ece6da"},
		Head:  [2]string{"Title in the middle", "Title at the side"},
		Fonts: []Font{{"newsreader.woff2", "everything"}},
	},
	{
		ID: "noticeboard", Name: "Noticeboard", About: "what is next, and a card for each page: for classes, crews and courses", Below: "cards", Own: "#14594a",
		Day: Surface{"#eef3f1", "#143b33"}, Evening: Surface{"#0f1c19", "#dcebe6"},
		Head:  [2]string{"Name above the menu", "Name and menu in the middle"},
		Fonts: []Font{{"instrument-sans.woff2", "everything"}},
	},
	{
		ID: "vitrine", Name: "Vitrine", About: "one large picture and few words, on dark: for a building, a show, a portrait", Below: "cards", Own: "#d79a5e",
		Day: Surface{"#17181d", "#f1efe9"}, Evening: Surface{"#0c0d10", "#dcd8cd"},
		Head:  [2]string{"Words at the foot of the picture", "Words in the middle of the picture"},
		Fonts: []Font{{"fraunces.woff2", "headings"}, {"figtree.woff2", "text"}},
	},
	{
		ID: "logbook", Name: "Logbook", About: "all pages in a rail at the side: for records, instructions and notes", Below: "list", Own: "#1f4e79", Rail: true,
		Day: Surface{"#fdfdfa", "#1b2430"}, Evening: Surface{"#11161c", "#dde4ea"},
		Head:  [2]string{"Rail at the left", "Rail at the right"},
		Fonts: []Font{{"spline-sans-mono.woff2", "headings and figures"}, {"figtree.woff2", "text"}},
	},
	{
		ID: "handbill", Name: "Handbill", About: "large letters and bands of colour: for a festival, a fair, an invitation", Below: "cards", Own: "#ff6f3c",
		Day: Surface{"#fff7ea", "#2b1a3d"}, Evening: Surface{"#1c1127", "#f6ead8"},
		Head:  [2]string{"Title at the side", "Title in the middle"},
		Fonts: []Font{{"gabarito.woff2", "everything"}},
	},
}

// Arrangements of Below and of the foot that can be chosen.
var (
	Belows  = []string{"cards", "list", "none"}
	Heads   = []string{"", "centre"}
	Foots   = []string{"", "line"}
	Focuses = []string{"", "left", "right"}
)

// KindOf returns the kind with an id; the plain one where there is none with it.
func KindOf(id string) Kind {
	if i := slices.IndexFunc(Kinds, func(k Kind) bool { return k.ID == id }); i >= 0 {
		return Kinds[i]
	}
	return Kinds[0]
}

// Kind returns the kind of a look.
func (l Look) Kind() Kind { return KindOf(l.ID) }

// ShowsBelow returns how pages below a page are shown: cards, list or none.
func (l Look) ShowsBelow() string {
	if slices.Contains(Belows, l.Below) {
		return l.Below
	}
	return l.Kind().Below
}

var colour = regexp.MustCompile(`^#[0-9a-f]{6}$`)

// MostTagline is how long the words below a title may be, in letters.
const MostTagline = 160

// Check returns what is wrong with a look, by field: it says nothing of whether the pictures
// that it names are there.
func (l Look) Check() map[string]string {
	wrong := map[string]string{}
	if l.ID != "" && KindOf(l.ID).ID != l.ID {
		wrong["look"] = "There is no such look."
	}
	if l.Colour != "" && !colour.MatchString(l.Colour) {
		wrong["colour"] = "This is no colour, such as #14594a."
	}
	for name, chosen := range map[string]struct {
		value string
		of    []string
	}{"head": {l.Head, Heads}, "foot": {l.Foot, Foots}, "focus": {l.Focus, Focuses}, "below": {l.Below, append([]string{""}, Belows...)}} {
		if !slices.Contains(chosen.of, chosen.value) {
			wrong[name] = "Choose one of those that are offered."
		}
	}
	if limits.Longer(l.Tagline, MostTagline) || strings.ContainsAny(l.Tagline, "\r\n") {
		wrong["tagline"] = "A line of at most 160 characters."
	}
	if limits.Longer(l.PictureText, 400) {
		wrong["picture_text"] = "At most 400 characters."
	}
	return wrong
}

// Differences says in words what of a look changes towards another.
func (l Look) Differences(to Look) (list []string) {
	if l.Kind().ID != to.Kind().ID {
		list = append(list, "The look changes from "+l.Kind().Name+" to "+to.Kind().Name+".")
	}
	changed := func(what string, differs bool) {
		if differs {
			list = append(list, what)
		}
	}
	changed("The header colour changes.", l.Colour != to.Colour)
	changed("The arrangement of the head, the foot or the pages below a page changes.", l.Head != to.Head || l.Foot != to.Foot || l.ShowsBelow() != to.ShowsBelow() && l.Kind().ID == to.Kind().ID)
	changed("The words below the title change.", l.Tagline != to.Tagline)
	changed("The header picture changes.", l.Picture != to.Picture || l.PictureText != to.PictureText || l.Focus != to.Focus)
	changed("The logo changes.", l.Logo != to.Logo)
	return list
}
