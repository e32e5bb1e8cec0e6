package web

import (
	"bytes"
	"fmt"
	"html/template"
	"slices"
	"strings"

	"velada/core/content"
)

// field is what the partial "field" shows: a labelled input, with what was typed, what is
// wrong with it and a hint.
type field struct {
	Name, Label, Value, Wrong string
	Type, Hint, Optional      string
	Rows                      string // of a text with several lines
	Choices                   []Choice
	Long                      bool // there are so many choices that one types, and the first are offered
	Attrs                     template.HTMLAttr
}

// mostChoices is how many choices are listed to choose from.
const mostChoices = 200

// attributes that a field may be given by name; those without a value stand alone.
var fieldAttributes = []string{
	"maxlength", "placeholder", "autocomplete", "inputmode", "accept", "min", "size", "spellcheck", "list", "id", "pattern",
	"data-names", "hx-get", "hx-trigger", "hx-target", "hx-include", "data-key", "aria-describedby",
	"required", "autofocus", "readonly", "multiple",
}

// newField reads "name=value" and single words such as "required" into a field.
func newField(f Fields, name, label string, more ...string) field {
	it := field{Name: name, Label: label, Type: "text"}
	if f != nil {
		typed := f.Typed()
		it.Value, it.Wrong = typed.Values[name], typed.Wrong[name]
	}
	var attrs strings.Builder
	for _, m := range more {
		key, value, has := strings.Cut(m, "=")
		switch {
		case key == "type":
			it.Type = value
		case key == "hint":
			it.Hint = value
		case key == "rows":
			it.Rows = value
		case key == "value":
			it.Value = value
		case key == "optional":
			it.Optional = "(optional)"
			if has {
				it.Optional = "(optional: " + value + ")"
			}
		case slices.Contains(fieldAttributes, key) && has:
			fmt.Fprintf(&attrs, ` %s="%s"`, key, template.HTMLEscapeString(value))
		case slices.Contains(fieldAttributes, key):
			attrs.WriteString(" " + key)
		default:
			panic("a field has no " + key)
		}
	}
	if it.Wrong != "" {
		fmt.Fprintf(&attrs, ` aria-invalid="true" aria-describedby="%s-wrong"`, name)
	}
	it.Attrs = template.HTMLAttr(attrs.String())
	return it
}

// Fields is a form whose fields are shown with what was typed.
type Fields interface{ Typed() Form }

// Typed makes every form that holds one of these a Fields.
func (f Form) Typed() Form { return f }

// actions are the buttons at the end of a form: what it does, and where cancelling leads.
type actions struct{ Do, Cancel string }

// tick is a labelled box to tick.
type tick struct {
	Name, Value, Label, Hint string
	On                       bool
}

// empty is what stands where there is nothing yet: what goes here, and the button that begins it.
// listForm is the form that a list is asked by, where words and an order are all.
type listForm struct {
	List  List
	Label string
}

type empty struct{ Text, Do, URL string }

// choices are alternatives of which one is on, in a row.
type choices struct {
	Label string
	Of    []Tab
}

var controls = template.FuncMap{
	"field": func(f Fields, name, label string, more ...string) field { return newField(f, name, label, more...) },
	"date": func(f Fields, name, label string, more ...string) field {
		return newField(f, name, label, append(more, "type=date-time")...)
	},
	"select": func(f Fields, name, label string, choices []Choice, more ...string) field {
		it := newField(f, name, label, more...)
		it.Choices = choices
		if len(choices) > mostChoices {
			it.Long, it.Choices = true, choices[:mostChoices]
			for _, c := range choices {
				if c.On {
					it.Value = c.ID
				}
			}
		}
		return it
	},
	"actions": func(do, cancel string) actions { return actions{do, cancel} },
	"datebox": func(name string, value any, label string) field {
		text, _ := value.(string)
		return newField(nil, name, label, "value="+text)
	},
	"tick": func(name, value string, on any, label string) tick {
		return tick{Name: name, Value: value, Label: label, On: truth(on)}
	},
	// searches has a form search the list in the part of the view with an id, as one types.
	"searches": func(part string) template.HTMLAttr {
		return template.HTMLAttr(`data-searches hx-target="#` + part + `" hx-select="#` + part + `" hx-swap="outerHTML" hx-replace-url="true"`)
	},
	"listForm": func(l List, label string) listForm { return listForm{l, label} },
	"choices":  func(label string, of []Tab) choices { return choices{label, of} },
	"empty":    func(text, do, url string) empty { return empty{text, do, url} },
	"diff":     diffHTML,
	"gravity":  gravity,
	"sentence": sentenceHTML,
	"printed":  func(parts ...any) string { return fmt.Sprint(parts...) },
}

func truth(v any) bool {
	is, ok := template.IsTrue(v)
	return is && ok
}

// gravity draws how pressing something is: a shape, said in words beside it.
func gravity(grave string) template.HTML {
	shape := map[string]string{
		"now":          `<path class="g-now" d="m8 1 7 13H1z"/>`,
		"soon":         `<path class="g-soon" d="m8 1.5 6.5 6.5L8 14.5 1.5 8z"/>`,
		"when you can": `<path class="g-tidy" d="M2 8h12"/>`,
	}[grave]
	return template.HTML(`<svg class="gravity" viewBox="0 0 16 16" aria-hidden="true">` + shape + `</svg>`)
}

// sentenceHTML writes a sentence with its parts lit.
func sentenceHTML(s Sentence) template.HTML {
	var b strings.Builder
	for _, p := range s.Parts {
		text := template.HTMLEscapeString(p.Text)
		switch p.Look {
		case "":
			b.WriteString(text)
		case "quiet":
			b.WriteString("<span>" + text + "</span>")
		default:
			b.WriteString(`<mark class="` + p.Look + `">` + text + "</mark>")
		}
	}
	return template.HTML(b.String())
}

// diffHTML marks what differs between two texts.
func diffHTML(pieces []content.Piece) template.HTML {
	var b bytes.Buffer
	for _, p := range pieces {
		tag := map[content.PieceKind]string{1: "del", 2: "ins"}[p.Kind]
		if tag == "" {
			tag = "span"
		}
		fmt.Fprintf(&b, "<%s>%s</%s>", tag, template.HTMLEscapeString(p.Text), tag)
	}
	return template.HTML(b.String())
}
