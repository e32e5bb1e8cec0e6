package console

import (
	"html/template"
	"io/fs"
	"path"
	"strings"

	"velada/look"
)

// parseTemplates gives each view its own set: the shared parts and itself.
func parseTemplates() map[string]*template.Template {
	shared := template.Must(template.New("").Funcs(template.FuncMap{
		"asset":   func(name string) string { return look.URL("/look/", name) },
		"sprite":  look.Sprite,
		"window":  windowSymbol,
		"count":   count,
		"capital": capital,
		"legend":  func() []window { return legend },
		"short":   short,
		"add":     func(a, b int) int { return a + b },
		"lines":   func(f *wayForm, site string, rows int) listField { return listField{f, site, rows} },
		"row":     func(r keyRow, v *keysView) keyCell { return keyCell{r, v} },
		"act":     func(r keyRow, site, action, text string) keyAct { return keyAct{r, site, action, text} },
		"letter":  func(symbol string) string { return string(letters[symbol]) },
		"bandTop": func(band int) int { return band * bandRows * sightRow },
		"indent":  func(depth int) int { return 16 * depth },
	}).ParseFS(templateFiles, "templates/shared/*.html"))
	views := map[string]*template.Template{}
	names, err := fs.Glob(templateFiles, "templates/*.html")
	if err != nil {
		panic(err) // the pattern is right
	}
	for _, name := range names {
		view := template.Must(template.Must(shared.Clone()).ParseFS(templateFiles, name))
		views[strings.TrimSuffix(path.Base(name), ".html")] = view
	}
	return views
}

// window is how a page looks from outside.
type window struct{ Symbol, Text string }

// windowSymbol draws a window, with a text for those who cannot see it.
func windowSymbol(w window) template.HTML {
	if w.Text == "" {
		return template.HTML(`<svg class="win" aria-hidden="true"><use href="#w-` + template.HTMLEscapeString(w.Symbol) + `"/></svg>`)
	}
	return template.HTML(`<svg class="win" role="img" aria-label="` + template.HTMLEscapeString(w.Text) + `"><use href="#w-` + template.HTMLEscapeString(w.Symbol) + `"/></svg>`)
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// legend is every window with what it means.
var legend = []window{
	{"open", "opens"}, {"step", "opens after a step: sign in, pass, join"}, {"some", "opens to some of them"}, {"shut", "turned away"},
	{"hidden", "looks as if it did not exist"}, {"held", "a holding page"},
}

// short cuts a name to what fits above a column.
func short(name string) string {
	if letters := []rune(name); len(letters) > 14 {
		return string(letters[:13]) + "…"
	}
	return name
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
