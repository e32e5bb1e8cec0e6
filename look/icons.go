package look

import (
	"html/template"
	"slices"
)

// icon is a kind of place elsewhere, drawn in 24 by 24.
type icon struct{ ID, Name, path string }

// Icons are the kinds of places elsewhere that a site's links can be marked as.
var Icons = []icon{
	{"", "Another page", "M9 5H5v14h14v-4M13 5h6v6M19 5l-9 9"},
	{"pictures", "Pictures", "M3 5h18v14H3zM3 16l5-5 4 4 3-3 6 5M15.5 9h.01"},
	{"films", "Films", "M3 6h13v12H3zM16 10l5-3v10l-5-3"},
	{"sound", "Sound", "M4 10v4M8 7v10M12 4v16M16 8v8M20 10.5v3"},
	{"messages", "Short messages", "M4 5h16v11h-9l-4 4v-4H4zM8 9.5h8M8 12.5h5"},
	{"letters", "A newsletter", "M3 6h18v12H3zM3 7l9 7 9-7"},
	{"texts", "Texts and books", "M12 6c-3-2-6-2-8-1v13c2-1 5-1 8 1 3-2 6-2 8-1V5c-2-1-5-1-8 1zM12 6v13"},
	{"code", "Code", "M8 7l-5 5 5 5M16 7l5 5-5 5M13.5 5l-3 14"},
	{"dates", "Dates", "M4 6h16v14H4zM4 10h16M8 3.5V7M16 3.5V7M8 14h3M8 17h6"},
	{"group", "People", "M9 11a3.5 3.5 0 1 0 0-7 3.5 3.5 0 0 0 0 7zM2.5 20c.5-4 3-6 6.5-6s6 2 6.5 6M16 4.500a3.2 3.2 0 0 1 0 6M17.5 14.500c2.3.7 3.7 2.5 4 5.5"},
	{"place", "A place", "M12 21c-4.5-5-6.5-8.3-6.5-11.200a6.5 6.5 0 0 1 13 0C18.5 12.7 16.5 16 12 21zM12 12.500a2.7 2.7 0 1 0 0-5.4 2.7 2.7 0 0 0 0 5.400z"},
	{"support", "Gifts and support", "M4 11h16v9H4zM3 7.500h18V11H3zM12 7.500V20M12 7.500c-2-4-6.5-4-6-1.5.3 1.3 3 1.5 6 1.500zM12 7.500c2-4 6.5-4 6-1.5-.3 1.3-3 1.5-6 1.500z"},
}

// KnownIcon reports whether there is an icon with an id.
func KnownIcon(id string) bool {
	return slices.ContainsFunc(Icons, func(i icon) bool { return i.ID == id })
}

// Icon draws the icon with an id; that of another page where there is none with it. The words
// beside it say what it is.
func Icon(id string) template.HTML {
	path := Icons[0].path
	if i := slices.IndexFunc(Icons, func(i icon) bool { return i.ID == id }); i >= 0 {
		path = Icons[i].path
	}
	return template.HTML(`<svg viewBox="0 0 24 24" width="18" height="18" aria-hidden="true"><path d="` + path + `"/></svg>`)
}
