// Package search finds words on a site, in just what opens to whoever searches.
package search

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"sync"
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
	kept   sync.Map // store.SiteID → the number of the edition that is known to be searchable
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
	in, err := f.places(ctx, of.Live, by)
	if err != nil || len(in) == 0 {
		return nil, false, err
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
	byRelevance(matches)
	list, more = grouped(matches, words)
	return list, more, nil
}

// byRelevance puts what was found into order by itself alone: where the words stand in the title first,
// and then where they stand often for its length. What does not open has no say in it.
func byRelevance(matches []store.Searchable) {
	score := func(m store.Searchable) float64 {
		if m.Records != "" {
			return -1 // rows of tables come after pages, in their own order
		}
		n := strings.Count(m.Marked, store.MarkBegins)
		title := 0.0
		if n == 0 { // it was found by its title
			title = 100
		}
		return title + float64(n)/(1+float64(len(m.Marked))/2000)
	}
	slices.SortStableFunc(matches, func(a, b store.Searchable) int { return cmp.Compare(score(b), score(a)) })
}

// places lists the pages that open, and the tables that are shown on them: those whose files open too.
func (f *Finder) places(ctx context.Context, e *house.LiveEdition, by Asker) (list []store.SearchPlace, err error) {
	may := func(path string) bool { return by.May == nil || by.May(path) }
	for path, p := range e.Pages {
		d := by.Site.Decide(path, by.Visitor, by.At)
		if d.Outcome != access.Open || !may(path) {
			continue
		}
		list = append(list, store.SearchPlace{Path: path})
		shown := by.Site.TablesShown(path, d, by.Visitor, by.At)
		if len(shown) == 0 {
			continue
		}
		text, err := f.house.PageHTML(ctx, e, p)
		if err != nil {
			return nil, err
		}
		content.PutTables(text, func(place content.TablePlace) string {
			file := place.File
			if slices.Contains(shown, place.ID) && e.File(file) != nil && may(file) && by.Site.DecideFile(file, by.Visitor, by.At).Outcome == access.Open {
				list = append(list, store.SearchPlace{Path: path, Records: recordsOf(place)})
			}
			return ""
		})
	}
	return list, nil
}

// recordsOf names the rows of a table where they are searched: two tables of one name on a page may show
// files that do not open alike.
func recordsOf(place content.TablePlace) string { return place.ID + " " + place.File }

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
		table, _, _ := strings.Cut(m.Records, " ")
		found := Found{Path: m.Path, Records: table, Title: m.Title, Texts: []string{m.Words}}
		if one := strings.TrimSpace(words); table != "" && !strings.ContainsFunc(one, notWord) {
			found.Query = url.Values{table + ".find": {one}}.Encode()
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

// ready waits until the live edition of a site is searchable.
func (f *Finder) ready(ctx context.Context, of *house.Site) error {
	number, err := store.SearchedEdition(ctx, f.house.Reader(), of.ID)
	if err != nil || number == of.Live.Number {
		return err
	}
	done := f.making.DoChan(fmt.Sprint(of.ID, " ", of.Live.Number), func() (any, error) { // goes on where the first who asked has gone
		return nil, f.make(context.WithoutCancel(ctx), of)
	})
	select {
	case made := <-done:
		return made.Err
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Keep makes live editions searchable, soon after they went live.
func (f *Finder) Keep(ctx context.Context) error {
	s := f.house.State()
	if s == nil {
		return nil
	}
	var failed error
	for _, doc := range s.Policy.Document().Sites {
		of := s.Site(doc.Address)
		if of.Live == nil || !of.Details.Search || ctx.Err() != nil {
			continue
		}
		if made, there := f.kept.Load(of.ID); there && made == of.Live.Number {
			continue
		}
		if err := f.ready(ctx, of); err != nil {
			failed = errors.Join(failed, err)
			continue
		}
		f.kept.Store(of.ID, of.Live.Number)
	}
	return failed
}

// atATime is how many rows are written in one change of the house: others wait for no more than these.
const atATime = 200

// make reads an edition outside any lock, and writes its words piece by piece beside those of the
// edition before, which are forgotten once the new ones are there.
func (f *Finder) make(ctx context.Context, of *house.Site) error {
	e, err := store.FindEdition(ctx, f.house.Reader(), of.ID, of.Live.Number)
	if err != nil || e == nil {
		return err
	}
	write := func(do func(tx *house.Tx) error) error {
		return f.house.Change(ctx, house.Velada, house.Needs{}, func(tx *house.Tx) error {
			tx.Lazy() // it is made anew where it is missing
			return do(tx)
		})
	}
	still := func(tx *house.Tx) bool {
		now := tx.State().SiteOf(of.ID)
		return now != nil && now.Live != nil && now.Live.Number == of.Live.Number
	}
	if err := f.dropAll(of.ID, 0, of.Live.Number, write); err != nil { // what an earlier try left
		return err
	}
	var list []store.Searchable
	flush := func(all bool) error {
		for len(list) >= atATime || all && len(list) > 0 {
			piece := list[:min(len(list), atATime)]
			err := write(func(tx *house.Tx) error {
				if !still(tx) { // published since: whoever asks next makes it anew
					return errOlder
				}
				return store.AddSearchable(ctx, tx, of.ID, of.Live.Number, piece)
			})
			if err != nil {
				return err
			}
			list = list[len(piece):]
		}
		return nil
	}
	for _, p := range e.Pages {
		html := p.HTML
		if p.Kind == "html" {
			html = p.Body
		}
		list = append(list, store.Searchable{SearchPlace: store.SearchPlace{Path: p.Path}, Title: p.Title, Words: content.Plain(content.Unconditional(html))})
		for _, place := range content.Tables(p.Body) {
			rows, err := f.rows(ctx, of, p, place)
			if err != nil {
				return err
			}
			list = append(list, rows...)
		}
		if err := flush(false); err != nil {
			return ignoreOlder(err)
		}
	}
	if err := flush(true); err != nil {
		return ignoreOlder(err)
	}
	err = write(func(tx *house.Tx) error {
		if !still(tx) {
			return errOlder
		}
		return store.SetSearched(ctx, tx, of.ID, of.Live.Number)
	})
	if err != nil {
		return ignoreOlder(err)
	}
	return f.dropAll(of.ID, of.Live.Number, 0, write)
}

var errOlder = errors.New("another edition is live by now")

func ignoreOlder(err error) error {
	if errors.Is(err, errOlder) {
		return nil
	}
	return err
}

// dropAll forgets the words of a site piece by piece: of all editions but one, or of one alone.
func (f *Finder) dropAll(site store.SiteID, but, only int, write func(func(tx *house.Tx) error) error) error {
	for more := true; more; {
		err := write(func(tx *house.Tx) (err error) {
			if only != 0 {
				more, err = store.DropSearchableOf(tx.Context(), tx, site, only, atATime)
			} else {
				more, err = store.DropSearchable(tx.Context(), tx, site, but, atATime)
			}
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
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
		list = append(list, store.Searchable{SearchPlace: store.SearchPlace{Path: p.Path, Records: recordsOf(place)}, Words: strings.Join(row, " · ")})
	}
	return list, nil
}
