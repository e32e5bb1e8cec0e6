package door

import (
	"html/template"
)

// funcs are what the templates of this room call.
var funcs = template.FuncMap{
	"lines":       func(f *wayForm, site string, rows int) listField { return listField{f, site, rows} },
	"row":         func(r keyRow, v *keysView) keyCell { return keyCell{r, v} },
	"act":         func(r keyRow, site, action, text string) keyAct { return keyAct{r, site, action, text} },
	"letter":      func(symbol string) string { return string(letters[symbol]) },
	"designThumb": designThumb,
	"bandTop":     func(band int) int { return band * bandRows * sightRow },
}

// listField is the list of a way's form.
type listField struct {
	Form *wayForm
	Site string
	Rows int
}

// keyCell is a pass or link on the view that lists it.
type keyCell struct {
	Row  keyRow
	View *keysView
}

// keyAct is a button that changes a pass or link.
type keyAct struct {
	Row                keyRow
	Site, Action, Text string
}

// designThumbs draw the designs of a holding page, 120 by 76.
var designThumbs = map[string]string{
	"night":  `<path fill="#14202b" d="M0 0h120v76H0z"/><path fill="#e8eef0" d="M10 24h40v5H10zM10 34h46v2H10zM10 40h38v2H10zM10 52h26v7H10z"/><path fill="#46586a" d="M68 10h42v56H68z"/>`,
	"paper":  `<path fill="#e9edec" d="M0 0h120v76H0z"/><path fill="#fbfcfb" stroke="#cdd5d6" d="M26 8h68v60H26z"/><path fill="#1d2b38" d="M34 18h36v4H34zM34 28h52v2H34zM34 34h48v2H34zM34 40h52v2H34zM34 46h30v2H34z"/>`,
	"poster": `<path fill="#fbfcfb" d="M0 0h120v76H0z"/><path fill="#14202b" d="M10 14h92v14H10zM10 34h66v14H10zM10 58h30v4H10z"/>`,
	"plain":  `<path fill="#fbfcfb" d="M0 0h120v76H0z"/><path fill="#52626f" d="M44 30h32v3H44zM40 38h40v2H40zM46 44h28v2H46z"/>`,
	"own":    `<path fill="#fbfcfb" d="M0 0h120v76H0z"/><path fill="none" stroke="#1d2b38" stroke-width="3" d="m46 26-14 12 14 12M74 26l14 12-14 12M65 22 55 54"/>`,
}

func designThumb(design string) template.HTML {
	return template.HTML(`<svg viewBox="0 0 120 76" width="120" height="76" aria-hidden="true">` + designThumbs[design] + `</svg>`)
}
