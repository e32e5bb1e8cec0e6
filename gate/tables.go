package gate

import (
	"fmt"
	"html/template"
	"log/slog"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"velada/app/pages"
	"velada/core/content"
)

// tableSight is a table of records as a visitor is shown it.
type tableSight struct {
	ID, Path, Find string
	Columns        []columnSight
	content.Shown
	Before, After string // where the stretch before and after is
	Keep          []keptField
}

type columnSight struct{ Name, URL, Order string }

type keptField struct{ Name, Value string }

const rowsAPage = 50

// tables puts the tables that the visitor is shown into a page, a notice where a
// house rule wants them to sign in first, and nothing in place of the others.
func (q *request) tables(page string) string {
	if !strings.Contains(page, "[[table ") {
		return page
	}
	shown := strings.Split(q.reader(aboutTables, q.path), "\x00")
	withheld := shown[len(shown)-1] == yes
	shown = shown[:len(shown)-1]
	return content.PutTables(page, func(place content.TablePlace) string {
		switch {
		case slices.Contains(shown, place.ID):
			return q.table(place)
		case withheld:
			withheld = false // once is enough
			return `<p class="records-notice">There are records here. ` + template.HTMLEscapeString(q.state.Policy.Document().House.Name) +
				` shows them only to those who sign in. <a href="` + template.HTMLEscapeString(q.signInURL()) + `">Sign in</a></p>`
		}
		return ""
	})
}

func (q *request) table(place content.TablePlace) string {
	e := q.edition()
	f := e.File(place.File)
	if f == nil || !q.opensFile(place.File) || q.as != nil && !q.as.may(place.File) {
		return ""
	}
	records, err := pages.Records(q.Context(), q.gate.House, f)
	if err != nil {
		slog.Error("reading a table", "site", q.address, "file", place.File, "error", err)
		return ""
	}
	asked := q.URL.Query()
	get := func(name string) string { return asked.Get(place.ID + "." + name) }
	number := func(name string) int { n, _ := strconv.Atoi(get(name)); return n }
	v := content.View{Find: strings.TrimSpace(get("find")), Sort: number("sort"), Descending: get("order") == "down", Page: number("page"), Size: rowsAPage}
	t := tableSight{ID: place.ID, Path: escape(q.path), Find: v.Find, Shown: records.Show(v)}
	link := func(pairs ...string) string {
		to := url.Values{}
		for name, values := range asked {
			to[name] = slices.Clone(values)
		}
		for i := 0; i+1 < len(pairs); i += 2 {
			to.Set(place.ID+"."+pairs[i], pairs[i+1])
			if pairs[i+1] == "" {
				to.Del(place.ID + "." + pairs[i])
			}
		}
		return t.Path + "?" + to.Encode() + "#table-" + place.ID
	}
	for i, name := range t.Head {
		c := columnSight{Name: name, URL: link("sort", strconv.Itoa(i+1), "order", "", "page", "")}
		if v.Sort == i+1 {
			c.Order = "ascending"
			if v.Descending {
				c.Order = "descending"
			} else {
				c.URL = link("sort", strconv.Itoa(i+1), "order", "down", "page", "")
			}
		}
		t.Columns = append(t.Columns, c)
	}
	if t.Page > 1 {
		t.Before = link("page", strconv.Itoa(t.Page-1))
	}
	if t.Page < t.Pages {
		t.After = link("page", strconv.Itoa(t.Page+1))
	}
	for name, values := range asked {
		if name != place.ID+".find" && name != place.ID+".page" {
			for _, value := range values {
				t.Keep = append(t.Keep, keptField{name, value})
			}
		}
	}
	var b strings.Builder
	if err := execute(&b, "table.html", t); err != nil {
		panic(fmt.Errorf("showing a table: %w", err))
	}
	return b.String()
}
