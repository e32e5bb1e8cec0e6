package web

import (
	"embed"
	"html/template"
	"io/fs"
	"path"
	"regexp"
	"strings"

	"velada/look"
	"velada/words"
)

//go:embed templates
var ownTemplates embed.FS

// parseTemplates gives each view its own set: the parts that all share, those of its
// room, and itself. A room has its views in templates, and parts of its own in
// templates/shared.
func parseTemplates(rooms []Room) map[string]*template.Template {
	shared := template.Must(template.New("").Funcs(template.FuncMap{
		"asset":     func(name string) string { return look.URL("/look/", name) },
		"sprite":    look.Sprite,
		"window":    windowSymbol,
		"count":     Count,
		"thousands": Thousands,
		"capital":   words.Capital,
		"legend":    func() []Window { return legend },
		"short":     short,
		"join":      strings.Join,
		"add":       func(a, b int) int { return a + b },
		"indent":    func(depth int) int { return 16 * depth },
		"means":     words.Means,
	}).Funcs(controls).ParseFS(tight{ownTemplates}, "templates/shared/*.html"))
	views := map[string]*template.Template{}
	for _, room := range append(rooms, Room{Templates: ownTemplates}) {
		of := template.Must(shared.Clone()).Funcs(room.Funcs)
		if parts := found(room.Templates, "templates/shared/*.html"); len(parts) > 0 {
			of = template.Must(of.ParseFS(tight{room.Templates}, parts...))
		}
		for _, name := range found(room.Templates, "templates/*.html") {
			view := strings.TrimSuffix(path.Base(name), ".html")
			if views[view] != nil {
				panic("two rooms have a view " + view)
			}
			views[view] = template.Must(template.Must(of.Clone()).ParseFS(tight{room.Templates}, name))
		}
	}
	return views
}

// tight is a file system whose templates come without what indents their lines: it is for
// those who read them, and would be sent with every view.
type tight struct{ fs.FS }

var indent = regexp.MustCompile(`\n[ \t]+`)

func (t tight) ReadFile(name string) ([]byte, error) {
	text, err := fs.ReadFile(t.FS, name)
	return indent.ReplaceAll(text, []byte("\n")), err
}

func found(files fs.FS, pattern string) []string {
	names, err := fs.Glob(files, pattern)
	if err != nil {
		panic(err) // the pattern is right
	}
	return names
}

// Window is how a page looks from outside.
type Window struct {
	Symbol, Text string
	Outline      bool // what would be, or a sign that is not about now
}

// windowSymbol draws a window, with a text for those who cannot see it.
func windowSymbol(w Window) template.HTML {
	switch w.Symbol {
	case "open", "step", "some", "shut", "held":
		if w.Outline {
			w.Symbol = "o-" + w.Symbol
		}
	}
	if w.Text == "" {
		return template.HTML(`<svg class="win" aria-hidden="true"><use href="#w-` + template.HTMLEscapeString(w.Symbol) + `"/></svg>`)
	}
	return template.HTML(`<svg class="win" role="img" aria-label="` + template.HTMLEscapeString(w.Text) + `"><use href="#w-` + template.HTMLEscapeString(w.Symbol) + `"/></svg>`)
}

// legend is every window with what it means.
var legend = []Window{
	{Symbol: "open", Text: "opens"}, {Symbol: "step", Text: "opens after a step: sign in, password, join"}, {Symbol: "some", Text: "opens to some of them"},
	{Symbol: "shut", Text: "turned away"}, {Symbol: "hidden", Text: "looks as if it did not exist"}, {Symbol: "held", Text: "a holding page"},
}

// short cuts a name to what fits above a column.
func short(name string) string {
	if letters := []rune(name); len(letters) > 14 {
		return string(letters[:13]) + "…"
	}
	return name
}
