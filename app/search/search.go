// Package search finds words on a site, in just what opens to whoever searches.
package search

import (
	"context"
	"fmt"
	"net/url"
	"strings"
	"unicode"

	"golang.org/x/sync/singleflight"

	"velada/core/access"
	"velada/core/content"
	"velada/house"
	"velada/limits"
	"velada/store"
)

// What is looked through, and shown.
const (
	LongestWords = limits.SearchLength
	mostWords    = limits.SearchWords
	mostFound    = 20
	mostRows     = 3    // of one table
	mostMatches  = 200  // that are looked through for those
	mostTable    = 5000 // rows of a table that can be found
	longest      = limits.SearchTime
)

// Found is a page that was found, or the rows of a table on it. Texts are snippets, with
// store.MarkBegins and store.MarkEnds around what was searched.
type Found struct {
	Path    string
	Records string // the id of the table
	Title   string
	Texts   []string
	More    bool   // of the table's rows match
	Query   string // what to ask the page for, so that its table shows just those rows
}

// Asker is who searches a site: as whom, when, and which pages at most.
type Asker struct {
	Site    *access.CompiledSite
	Visitor *access.Visitor
	At      access.Instant
	May     func(path string) bool // nil lets all through
	Source  string                 // the network that they come from
}

// Finder searches the sites of a house.
type Finder struct {
	house  *house.House
	making singleflight.Group
}

// New returns a finder in a house.
func New(h *house.House) *Finder { return &Finder{house: h} }

// Find returns what matches on the live edition of a site and opens to whoever asks, the best
// first; more reports that there is more of it. Nothing else of the site tells on what it
// returns. A search that takes too long is given up with the context's error.
func (f *Finder) Find(ctx context.Context, of *house.Site, words string, by Asker) (list []Found, more bool, err error) {
	match := query(words)
	if match == "" || of.Live == nil {
		return nil, false, nil
	}
	in := by.places(of.Live)
	if len(in) == 0 {
		return nil, false, nil
	}
	ctx, cancel := context.WithTimeout(ctx, longest)
	defer cancel()
	leave, err := f.house.Throttles.Searches.Enter(ctx, by.Source, by.Visitor.Identity.Known())
	if err != nil {
		return nil, false, err
	}
	defer leave()
	if err := f.ready(ctx, of); err != nil {
		return nil, false, err
	}
	matches, err := store.Search(ctx, f.house.Reader(), of.ID, of.Live.Number, match, in, mostMatches+1)
	if err != nil {
		return nil, false, fmt.Errorf("searching: %w", err)
	}
	list, more = grouped(matches, words)
	return list, more, nil
}

// places lists the pages that open, and the tables that are shown on them.
func (by Asker) places(e *house.LiveEdition) (list []store.SearchPlace) {
	for path := range e.Pages {
		d := by.Site.Decide(path, by.Visitor, by.At)
		if d.Outcome != access.Open || by.May != nil && !by.May(path) {
			continue
		}
		list = append(list, store.SearchPlace{Path: path})
		for _, id := range by.Site.TablesShown(path, d, by.Visitor, by.At) {
			list = append(list, store.SearchPlace{Path: path, Records: id})
		}
	}
	return list
}

// grouped puts rows of one table together.
func grouped(matches []store.Searchable, words string) (list []Found, more bool) {
	at := map[store.SearchPlace]int{}
	for _, m := range matches {
		i, known := at[m.SearchPlace]
		if known && m.Records != "" {
			if f := &list[i]; len(f.Texts) < mostRows {
				f.Texts = append(f.Texts, m.Words)
			} else {
				f.More = true
			}
			continue
		}
		if len(list) == mostFound {
			return list, true
		}
		found := Found{Path: m.Path, Records: m.Records, Title: m.Title, Texts: []string{m.Words}}
		if one := strings.TrimSpace(words); m.Records != "" && !strings.ContainsFunc(one, notWord) {
			found.Query = url.Values{m.Records + ".find": {one}}.Encode()
		}
		at[m.SearchPlace] = len(list)
		list = append(list, found)
	}
	return list, len(matches) > mostMatches
}

func notWord(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsNumber(r) && !unicode.IsMark(r) }

// query writes words as a query that finds all of them, the last by how it begins; "" where
// there is no word.
func query(text string) string {
	if len(text) > LongestWords {
		text = strings.ToValidUTF8(text[:LongestWords], "")
	}
	words := strings.FieldsFunc(text, notWord)
	words = words[:min(len(words), mostWords)]
	if len(words) == 0 {
		return ""
	}
	match := `"` + strings.Join(words, `" "`) + `"`
	if last := words[len(words)-1]; len(last) > 1 { // one letter begins too much
		match += "*"
	}
	return match
}

// ready makes the live edition of a site searchable, where it is not yet.
func (f *Finder) ready(ctx context.Context, of *house.Site) error {
	number, err := store.SearchedEdition(ctx, f.house.Reader(), of.ID)
	if err != nil || number == of.Live.Number {
		return err
	}
	done := f.making.DoChan(string(of.ID), func() (any, error) { // goes on where the first who asked has gone
		return nil, f.make(context.WithoutCancel(ctx), of)
	})
	select {
	case made := <-done:
		return made.Err
	case <-ctx.Done():
		return ctx.Err()
	}
}

func (f *Finder) make(ctx context.Context, of *house.Site) error {
	e, err := store.FindEdition(ctx, f.house.Reader(), of.ID, of.Live.Number)
	if err != nil || e == nil {
		return err
	}
	var list []store.Searchable
	for _, p := range e.Pages {
		html := p.HTML
		if p.Kind == "html" {
			html = p.Body
		}
		text := content.Unconditional(html)
		list = append(list, store.Searchable{SearchPlace: store.SearchPlace{Path: p.Path}, Title: p.Title, Words: content.Plain(text)})
		for _, place := range content.Tables(p.Body) {
			rows, err := f.rows(ctx, of, p, place)
			if err != nil {
				return err
			}
			list = append(list, rows...)
		}
	}
	return f.house.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
		if now := tx.State().SiteOf(of.ID); now == nil || now.Live == nil || now.Live.Number != of.Live.Number {
			return nil // published since: whoever asks next makes it anew
		}
		return store.SaveSearchable(ctx, tx, of.ID, of.Live.Number, list)
	})
}

// rows are the rows of a table on a page; none where its file is no table, which visitors are
// not shown either. What a row is found by are its fields, not the page's title.
func (f *Finder) rows(ctx context.Context, of *house.Site, p store.Page, place content.TablePlace) (list []store.Searchable, err error) {
	file := of.Live.Files[place.File]
	if file == nil {
		return nil, nil
	}
	data, err := f.house.FileData(ctx, file)
	if err != nil {
		return nil, err
	}
	records, err := content.ReadRecords(data)
	if err != nil {
		return nil, nil
	}
	for _, row := range records.Rows[:min(len(records.Rows), mostTable)] {
		list = append(list, store.Searchable{SearchPlace: store.SearchPlace{Path: p.Path, Records: place.ID}, Words: strings.Join(row, " · ")})
	}
	return list, nil
}
