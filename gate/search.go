package gate

import (
	"context"
	"errors"
	"html/template"
	"log/slog"
	"net/http"
	"strings"

	"velada/app/search"
	"velada/core/access"
	"velada/identity"
	"velada/store"
)

// searchSight is what was searched for on a site, and what of it opens to the visitor.
type searchSight struct {
	Words string
	Says  string // in place of what was found
	Found []foundSight
	More  bool
}

type foundSight struct {
	URL, Title string
	Texts      []template.HTML // snippets with what was searched marked
	Rows, More bool            // of a table
}

// searchable reports whether visitors are offered to search the site.
func (q *request) searchable() bool {
	of := q.state.Site(q.address)
	return of.Details.Search && of.Details.Upstream == "" && of.Live != nil
}

// search answers what a visitor looks for, in just what opens to them.
func (q *request) search() {
	front := q.site.Decide("/", &q.visitor, q.at)
	switch {
	case front.Outcome == access.Held || front.Outcome == access.Gone:
		q.path = "/"
		q.meeting().meet(front)
		return
	case !q.searchable():
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	v := &searchSight{Words: strings.TrimSpace(q.URL.Query().Get("q"))}
	if len(v.Words) > search.LongestWords {
		v.Words = strings.ToValidUTF8(v.Words[:search.LongestWords], "")
	}
	status := http.StatusOK
	if v.Words != "" {
		status = q.find(v)
	}
	s := q.meeting().sight("Search")
	s.NoIndex, s.Found = true, v
	q.meeting().send("search.html", status, s)
}

// find searches, counts that, and returns the status of the answer.
func (q *request) find(v *searchSight) int {
	if q.as != nil && q.as.Edition != nil {
		v.Says = "Searching goes through what is published. Look through somebody’s eyes at what is live to try it."
		return http.StatusOK
	}
	by := search.Asker{Site: q.site, Visitor: &q.visitor, At: q.at, Source: identity.Source(remoteIP(q.Request).String())}
	if q.as != nil {
		by.May = q.as.May
	}
	list, more, err := q.gate.finder.Find(q.Context(), q.state.Site(q.address), v.Words, by)
	switch {
	case errors.Is(err, context.Canceled) && q.Context().Err() != nil: // they have gone
		return http.StatusOK
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, identity.ErrTooMany):
		q.w.Header().Set("Retry-After", "10")
		v.Says = "Too many search at the moment. Try again in a few seconds."
		return http.StatusServiceUnavailable
	case err != nil:
		slog.Error("searching a site", "site", q.address, "error", err)
		v.Says = "This site cannot be searched at the moment."
		return http.StatusServiceUnavailable
	}
	q.searched(v.Words, len(list) > 0)
	v.More = more
	for _, f := range list {
		one := foundSight{URL: escape(f.Path), Title: f.Title, Rows: f.Records != "", More: f.More}
		if one.Rows {
			one.Title = q.edition().Page(f.Path).Title
			if f.Query != "" {
				one.URL += "?" + f.Query
			}
			one.URL += "#table-" + f.Records
		}
		for _, text := range f.Texts {
			if text != "" {
				one.Texts = append(one.Texts, marked(text))
			}
		}
		v.Found = append(v.Found, one)
	}
	return http.StatusOK
}

var marks = strings.NewReplacer(store.MarkBegins, "<mark>", store.MarkEnds, "</mark>")

// marked is a snippet as HTML.
func marked(text string) template.HTML {
	return template.HTML(marks.Replace(template.HTMLEscapeString(text)))
}
