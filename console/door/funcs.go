package door

import (
	"html/template"
)

// funcs are what the templates of this room call.
var funcs = template.FuncMap{
	"lines":   func(f *wayForm, site string, rows int) listField { return listField{f, site, rows} },
	"row":     func(r keyRow, v *keysView) keyCell { return keyCell{r, v} },
	"act":     func(r keyRow, site, action, text string) keyAct { return keyAct{r, site, action, text} },
	"letter":  func(symbol string) string { return string(letters[symbol]) },
	"bandTop": func(band int) int { return band * bandRows * sightRow },
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
