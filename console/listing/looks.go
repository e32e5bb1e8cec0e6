package listing

import (
	"cmp"
	"encoding/json"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/app/pages"
	"velada/console/web"
	"velada/core/access"
	"velada/core/looks"
	"velada/gate"
	"velada/house"
	"velada/words"
)

// lookView is how a site looks: the looks there are, each as the site's own front page, and how the
// chosen one is arranged.
type lookView struct {
	Site     string
	MayWrite bool
	Form     web.Form
	Thumbs   []lookThumb
	Tried    string   // where the draft is shown in what is chosen
	Phone    string   // the same
	Notes    []string // what is said of the colour
	Own      string   // the colour that the look has itself
	Pictures []web.Choice
	Logos    []web.Choice
	Heads    []web.Choice
	Foots    []web.Choice
	Belows   []web.Choice
	Focuses  []web.Choice
	Differs  []string // what of the draft's look visitors do not have yet
	Changed  bool     // what is chosen is not saved
	Was      string   // the look of the draft, to tell whether somebody else changes it meanwhile
}

type lookThumb struct {
	ID, Name, About, Frame string
	On                     bool
}

func viewLook(c *web.Console, x *gin.Context) { showLook(c, x, http.StatusOK, web.Form{}) }

// lookForm is the form of a look as it stands.
func lookForm(l looks.Look) web.Form {
	return web.Form{Values: map[string]string{
		"look": l.Kind().ID, "colour": l.Colour, "head": l.Head, "foot": l.Foot, "below": l.Below,
		"tagline": l.Tagline, "picture": l.Picture, "picture_text": l.PictureText, "logo": l.Logo, "focus": l.Focus,
	}, Wrong: house.FieldErrors{}}
}

// lookTyped is the look that a form describes.
func lookTyped(f web.Form) looks.Look {
	v := f.Values
	l := looks.Look{
		ID: v["look"], Colour: strings.ToLower(v["colour"]), Head: v["head"], Foot: v["foot"], Below: v["below"],
		Tagline: v["tagline"], Picture: v["picture"], PictureText: v["picture_text"], Logo: v["logo"], Focus: v["focus"],
	}
	if l.ID == looks.Plain {
		l.ID = ""
	}
	return l
}

// showLook shows the looks; f is a form to show again, tried out or wrong.
func showLook(c *web.Console, x *gin.Context, status int, f web.Form) {
	site, me := x.Param("site"), web.Actor(x)
	s, caps := c.House.State(), c.House.Can(me, site, "/")
	if !caps.Has(access.Preview) {
		c.NotFound(x)
		return
	}
	e, then, err := pages.WorkingEdition(x.Request.Context(), c.House, site)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v := &lookView{Site: site, MayWrite: caps.Has(access.Write), Form: f}
	if f.Values == nil {
		v.Form = lookForm(e.Look)
	}
	chosen := lookTyped(v.Form)
	v.Changed = chosen != e.Look
	was, err := json.Marshal(e.Look)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v.Was = string(was)
	if live := s.Site(site).Live; live != nil {
		v.Differs = live.Look.Differences(e.Look)
	}
	frame := func(l looks.Look) string {
		as := gate.As{Policy: then, Visitor: access.Visitor{Identity: then.Address(me.Address)}, At: c.At()}
		as.May = func(path string) bool { return c.House.Can(me, site, path).Has(access.Preview) }
		worn := *e
		worn.Look = l
		as.Edition = &worn
		return c.Glass.Open(site, as, "/")
	}
	for _, k := range looks.Kinds {
		worn := chosen
		if worn.ID = k.ID; k.ID == looks.Plain {
			worn.ID = ""
		}
		v.Thumbs = append(v.Thumbs, lookThumb{ID: k.ID, Name: k.Name, About: k.About, On: chosen.Kind().ID == k.ID, Frame: frame(worn)})
	}
	v.Tried, v.Notes, v.Own = frame(chosen), chosen.Notes(), chosen.Kind().Own
	v.choices(chosen, e)
	p := c.SitePage(x, "Settings")
	p.View = &settingsView{Site: site, Part: partLook, Parts: settingsParts(site, partLook, p.Steward), MayChange: caps.Has(access.ManageListing), Steward: p.Steward, Form: v.Form, Look: v}
	c.Show(x, status, "site-settings", p)
}

// choices lists what can be chosen for a look.
func (v *lookView) choices(chosen looks.Look, e *house.LiveEdition) {
	choose := func(now string, list ...[2]string) (choices []web.Choice) {
		for _, one := range list {
			choices = append(choices, web.Choice{ID: one[0], Name: one[1], On: now == one[0]})
		}
		return choices
	}
	k := chosen.Kind()
	v.Heads = choose(chosen.Head, [2]string{"", k.Head[0]}, [2]string{"centre", k.Head[1]})
	v.Foots = choose(chosen.Foot, [2]string{"", "In columns"}, [2]string{"line", "In one line"})
	v.Belows = choose(chosen.Below, [2]string{"", "As the look has it"}, [2]string{"cards", "Cards with pictures"}, [2]string{"list", "A list"}, [2]string{"none", "Not shown"})
	v.Focuses = choose(chosen.Focus, [2]string{"", "In the middle"}, [2]string{"left", "At the left"}, [2]string{"right", "At the right"})
	none := [2]string{"", "None"}
	pictures := [][2]string{none}
	for path, f := range e.Files {
		if strings.HasPrefix(f.Type, "image/") {
			pictures = append(pictures, [2]string{path, cmp.Or(f.Text, path)})
		}
	}
	slices.SortFunc(pictures, func(a, b [2]string) int { return cmp.Compare(a[0], b[0]) })
	v.Pictures, v.Logos = choose(chosen.Picture, pictures...), choose(chosen.Logo, pictures...)
}

var lookFields = []string{"look", "colour", "no_colour", "head", "foot", "below", "tagline", "picture", "picture_text", "logo", "focus"}

// doLook saves a look for the draft, or shows the draft in it where it is tried out alone.
func doLook(c *web.Console, x *gin.Context) {
	f, site := web.Typed(x, lookFields...), x.Param("site")
	if !c.House.Can(web.Actor(x), site, "/").Has(access.Write) {
		c.Fail(x, house.ErrMayNot)
		return
	}
	if f.Values["no_colour"] == "yes" {
		f.Values["colour"] = ""
	}
	if x.PostForm("try") == "yes" {
		status := http.StatusOK
		if f.Wrong = house.FieldErrors(lookTyped(f).Check()); len(f.Wrong) > 0 {
			status = http.StatusUnprocessableEntity
		}
		showLook(c, x, status, f)
		return
	}
	for _, field := range []string{"picture", "logo"} {
		if err := sendPicture(c, x, site, field, &f); err != nil && !errors.As(err, &f.Wrong) {
			c.Fail(x, err)
			return
		}
	}
	if len(f.Wrong) == 0 {
		was := c.House.State().Site(site).Working.Look
		if seen := x.PostForm("was"); seen != "" && json.Unmarshal([]byte(seen), &was) != nil {
			was = looks.Look{} // it was made up
		}
		switch err := pages.SetLook(x.Request.Context(), c.House, web.Actor(x), site, lookTyped(f), was); {
		case err == nil:
			c.Flash(x, "Saved in the draft. Visitors get it with the next edition.")
			x.Redirect(http.StatusSeeOther, "/sites/"+site+"/settings/look")
			return
		case !errors.As(err, &f.Wrong):
			c.Fail(x, err)
			return
		}
	}
	showLook(c, x, http.StatusUnprocessableEntity, f)
}

// sendPicture adds a picture that was sent with the form to the draft, and chooses it.
func sendPicture(c *web.Console, x *gin.Context, site, field string, f *web.Form) error {
	name, data, err := web.FileSent(x, "new_"+field, pages.MostFile)
	if err != nil {
		return house.FieldErrors{field: words.Capital(err.Error()) + "."}
	}
	if data == nil {
		return nil
	}
	kind := pages.FileType(name, data)
	if !strings.HasPrefix(kind, "image/") {
		return house.FieldErrors{field: "This file is no picture."}
	}
	text := ""
	if field == "picture" {
		text = f.Values["picture_text"]
	}
	file, err := pages.SaveFile(x.Request.Context(), c.House, web.Actor(x), site, "/look/"+pages.FileName(name), kind, data, text)
	if err != nil {
		var wrong house.FieldErrors
		if errors.As(err, &wrong) {
			return house.FieldErrors{field: wrong["file"]}
		}
		return err
	}
	f.Values[field] = file.Path
	return nil
}
