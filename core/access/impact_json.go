package access

import (
	"io"

	"github.com/go-json-experiment/json/jsontext"
)

// WriteJSON writes an impact in the form of section 9 of the model.
func (i Impact) WriteJSON(out io.Writer) error {
	w := jsonWriter{e: jsontext.NewEncoder(out)}
	w.impact(i)
	return w.err
}

// WriteTimeline writes a timeline in the form of section 9 of the model.
func WriteTimeline(out io.Writer, changes []Impact) error {
	w := jsonWriter{e: jsontext.NewEncoder(out)}
	w.object(func() {
		w.list("changes", len(changes), func(i int) { w.impact(changes[i]) })
	})
	return w.err
}

// WriteJudgements writes judged promises in the form of section 9 of the model.
func WriteJudgements(out io.Writer, list []Judgement) error {
	w := jsonWriter{e: jsontext.NewEncoder(out)}
	w.object(func() {
		w.list("promises", len(list), func(i int) {
			w.object(func() {
				w.text("id", list[i].Promise.ID)
				w.flag("kept", list[i].Kept)
				if !list[i].Kept {
					b := list[i].Breaks
					w.token(jsontext.String("breaks"))
					w.object(func() {
						w.text("at", b.At.String())
						w.text("path", b.Path)
						w.text("who", b.Who)
						w.text("outcome", b.Outcome.String())
					})
				}
			})
		})
	})
	return w.err
}

// jsonWriter keeps the first error, so that writing reads as a list of fields.
type jsonWriter struct {
	e   *jsontext.Encoder
	err error
}

func (w *jsonWriter) token(t jsontext.Token) {
	if w.err == nil {
		w.err = w.e.WriteToken(t)
	}
}

func (w *jsonWriter) object(fields func()) {
	w.token(jsontext.BeginObject)
	fields()
	w.token(jsontext.EndObject)
}

func (w *jsonWriter) list(name string, n int, item func(int)) {
	w.token(jsontext.String(name))
	w.token(jsontext.BeginArray)
	for i := range n {
		item(i)
	}
	w.token(jsontext.EndArray)
}

func (w *jsonWriter) text(name, value string) {
	w.token(jsontext.String(name))
	w.token(jsontext.String(value))
}

func (w *jsonWriter) flag(name string, value bool) {
	w.token(jsontext.String(name))
	w.token(jsontext.Bool(value))
}

// names writes a list of names, or nothing for an empty one.
func (w *jsonWriter) names(name string, names []string) {
	if len(names) > 0 {
		w.list(name, len(names), func(i int) { w.token(jsontext.String(names[i])) })
	}
}

func (w *jsonWriter) impact(i Impact) {
	w.object(func() {
		w.text("at", i.At.String())
		w.list("sites", len(i.Sites), func(n int) {
			s := i.Sites[n]
			w.object(func() {
				w.text("site", s.Site)
				if len(s.Pages) > 0 {
					w.list("pages", len(s.Pages), func(n int) { w.page(&s.Pages[n]) })
				}
				if len(s.Can) > 0 {
					w.list("can", len(s.Can), func(n int) {
						w.object(func() {
							w.text("path", s.Can[n].Path)
							w.can(s.Can[n].Can)
						})
					})
				}
			})
		})
	})
}

func (w *jsonWriter) page(p *PageImpact) {
	w.object(func() {
		w.text("path", p.Path)
		w.names("gains", p.Gains.IDs())
		w.names("loses", p.Loses.IDs())
		if len(p.Observers) > 0 {
			w.list("observers", len(p.Observers), func(i int) {
				w.object(func() {
					w.text("who", p.Observers[i].Who)
					w.text("before", p.Observers[i].Before.String())
					w.text("after", p.Observers[i].After.String())
				})
			})
		}
		if len(p.Tables) > 0 {
			w.list("tables", len(p.Tables), func(i int) { w.table(&p.Tables[i]) })
		}
		if p.NoIndex != nil {
			w.token(jsontext.String("noindex"))
			w.object(func() {
				w.flag("before", p.NoIndex.Before)
				w.flag("after", p.NoIndex.After)
			})
		}
		if len(p.Can) > 0 {
			w.can(p.Can)
		}
	})
}

func (w *jsonWriter) can(list []CapabilityChange) {
	w.list("can", len(list), func(i int) {
		w.object(func() {
			w.text("person", list[i].Person)
			w.names("gains", list[i].Gains.Names())
			w.names("loses", list[i].Loses.Names())
		})
	})
}

func (w *jsonWriter) table(t *TableImpact) {
	w.object(func() {
		w.text("id", t.ID)
		w.names("gains", t.Gains.IDs())
		w.names("loses", t.Loses.IDs())
		if len(t.Observers) > 0 {
			w.list("observers", len(t.Observers), func(i int) {
				w.object(func() {
					w.text("who", t.Observers[i].Who)
					w.flag("before", t.Observers[i].Before)
					w.flag("after", t.Observers[i].After)
				})
			})
		}
	})
}
