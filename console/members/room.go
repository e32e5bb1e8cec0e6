// Package members holds the views of members and who asks to be one.
package members

import (
	"embed"
	"html/template"

	"velada/console/web"
)

//go:embed templates
var templates embed.FS

// Room returns what the room answers and shows.
func Room() web.Room {
	return web.Room{Routes: routes(), Templates: templates, Funcs: template.FuncMap{
		"memberList": func(v *membersView, l memberList) shownList { return shownList{v, l} },
	}}
}

// shownList is a list of members on the view that shows it.
type shownList struct {
	View *membersView
	List memberList
}
