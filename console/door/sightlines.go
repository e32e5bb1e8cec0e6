package door

import (
	"cmp"
	"encoding/csv"
	"errors"
	"fmt"
	"html/template"
	"maps"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
)

// Sizes of the drawing, in its own units.
const (
	sightColumn = 108
	sightRow    = 34
	sightHead   = 66
)

// sightCell is one window of the sightlines: how it is at the instant, and
// before the rehearsal where that differs.
type sightCell struct {
	Window  web.Window
	Before  *web.Window
	Plain   bool // the text is just what the symbol means
	Breach  bool // a promise is first broken here
	X, Y    int
	BeforeX int
}

type sightCol struct {
	Name, Sub, URL, Who string
	Folded              bool
	X                   int
}

type sightLine struct {
	Title, Note, URL, Page, Path string
	Indent                       int
	Whole                        bool
	Y                            int // in its band
	Cells                        []sightCell
	Is, Was, Some                string // the cells in letters, see told
	Layers                       []layer
}

// sightBand is some rows that are drawn as one picture, so that a long floor
// plan scrolls smoothly; those further down are drawn when they come into sight.
type sightBand struct {
	Rows                 []sightLine
	First, Width, Height int
	URL                  string // where the band is drawn, where it is not yet
}

const bandRows = 25

type sightView struct {
	Site          string
	Seen          string
	Columns       []sightCol
	Bands         []sightBand
	Width, Height int // Height is that of all rows
	Rows          int
	Breach        string
	Door, At      string // where a window leads
	Knobs         []web.Knob
	LineWidth     int
	Compare       bool
	Folds         []web.Chip
	Query         template.URL // of this view, for the exports
	Stretch       string       // "Columns 1 to 40 of 303"; "" where all stand there
	Before, After string
}

// drawing is what the rows of sightlines are drawn from.
type drawing struct {
	d         *web.Site
	columns   []column
	paths     []string // of the rows; the first is the whole site
	tree      *web.Tree
	notes     map[string]string
	then, now *access.Sight // as rehearsed, and as applied
	breach    *access.Breach
}

func showSightlines(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v := sightlines(d, x.Request.URL.Query(), false)
	p := c.SitePage(x, "Sightlines")
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, d.SightURL(d.Asked, x.Query("fold")))
	}
	p.View = v
	c.Show(x, http.StatusOK, "sightlines", p)
}

// sightRows draws the rows that have come into sight.
func sightRows(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	q := x.Request.URL.Query()
	w := newDrawing(d, q)
	w.cut(q)
	first, err := strconv.Atoi(q.Get("from"))
	if err != nil || first < 0 || first >= len(w.paths) || first%bandRows != 0 {
		c.NotFound(x)
		return
	}
	c.Show(x, http.StatusOK, "sightline-rows", w.band(first))
}

// breachShown finds where a promise is first broken, for marking it.
func breachShown(d *web.Site, promise string) *access.Breach {
	if promise == "" {
		return nil
	}
	for _, j := range d.State.Policy.Judge(access.At(d.Real)) {
		if j.Promise.ID == promise && j.Promise.Site == d.Site && !j.Kept {
			return &j.Breaks
		}
	}
	return nil
}

// newDrawing begins the sightlines that an address asks for.
func newDrawing(d *web.Site, q url.Values) *drawing {
	w := &drawing{d: d, tree: d.Tree(), notes: d.DoorNotes(), breach: breachShown(d, q.Get("promise"))}
	w.then = d.Policy.Sight(d.Site, d.At)
	w.now = w.then
	if d.Tray != nil {
		w.now = d.State.Policy.Sight(d.Site, d.At)
	}
	w.columns = columns(d, w.then, foldedKinds(d, q.Get("fold")))
	w.paths = append([]string{""}, w.tree.Order...)
	return w
}

// cut leaves the columns that the address asks for, where there are many, and where a
// promise is broken. It returns the first, and how many there are.
func (w *drawing) cut(q url.Values) (from, of int) {
	of = len(w.columns)
	if of > mostColumns {
		from, _ = strconv.Atoi(q.Get("columns"))
		from = min(max(from, 0), of-1) / mostColumns * mostColumns
		w.columns = w.columns[from:min(from+mostColumns, of)]
	}
	if b := w.breach; b != nil && !slices.ContainsFunc(w.columns, func(c column) bool { return c.who == b.Who }) {
		w.columns = append(w.columns, column{who: b.Who, name: w.d.Words.Observer(b.Who), sub: "of a promise"})
	}
	return from, of
}

// sightlines are the sightlines that an address asks for: the rows that are seen at first,
// or all.
func sightlines(d *web.Site, q url.Values, all bool) *sightView {
	w := newDrawing(d, q)
	from, of := w.cut(q)
	v := &sightView{Site: d.Site, Compare: d.Tray != nil, Seen: "now"}
	if d.Asked != "" {
		v.Seen = d.At.Time().In(d.State.Zone).Format("Monday 2 Jan 2006, 15:04")
	}
	kept := url.Values{}
	for _, name := range []string{"at", "fold", "columns"} {
		if q.Get(name) != "" {
			kept.Set(name, q.Get(name))
		}
	}
	v.Query = template.URL(kept.Encode())
	if w.breach != nil {
		v.Breach = fmt.Sprintf("%s gets “%s” on %s: a promise is broken there.", d.Words.Observer(w.breach.Who), web.OutcomeWords(w.breach.Outcome), w.breach.Path)
	}
	for i, col := range w.columns {
		who := col.who
		if len(col.folded) > 0 {
			who = col.folded[0]
		}
		if who == "guests" || who == "team" {
			who = ""
		}
		v.Columns = append(v.Columns, sightCol{col.name, col.sub, d.URL("", who), who, len(col.folded) > 0, i*sightColumn + sightColumn/2})
	}
	v.Folds = folds(d, q.Get("fold"))
	if of > mostColumns {
		v.Stretch = fmt.Sprintf("Columns %d to %d of %d", from+1, min(from+mostColumns, of), of)
		at := func(n int) string {
			kept.Set("columns", strconv.Itoa(n))
			return "/sites/" + d.Site + "/sightlines?" + kept.Encode()
		}
		if from > 0 {
			v.Before = at(from - mostColumns)
		}
		if from+mostColumns < of {
			v.After = at(from + mostColumns)
		}
	}
	v.Width, v.Rows = len(w.columns)*sightColumn, len(w.paths)
	v.Height = v.Rows * sightRow
	for first := 0; first < len(w.paths); first += bandRows {
		rows := w.paths[first:min(first+bandRows, len(w.paths))]
		if all || first < bandRows || len(w.paths) <= 4*bandRows || w.breach != nil && slices.Contains(rows, w.breach.Path) {
			v.Bands = append(v.Bands, w.band(first))
			continue
		}
		q := maps.Clone(q)
		q.Set("from", strconv.Itoa(first))
		v.Bands = append(v.Bands, sightBand{First: first, Width: v.Width, Height: len(rows) * sightRow, URL: "/sites/" + d.Site + "/sightlines/rows?" + q.Encode()})
	}
	v.Door, v.At = "/sites/"+d.Site+"/door", d.Asked
	v.Knobs, v.LineWidth = d.Knobs(q.Get("fold"))
	return v
}

// folds are the kinds of columns that can be one, or are.
func folds(d *web.Site, asked string) (chips []web.Chip) {
	folded := foldedKinds(d, asked)
	for _, f := range foldable {
		rest := slices.DeleteFunc(slices.Clone(folded), func(k string) bool { return k == f.kind })
		on := slices.Contains(folded, f.kind)
		if !on {
			rest = append(rest, f.kind)
		}
		if on || len(kindOf(d, f.kind)) > 1 {
			chips = append(chips, web.Chip{Name: f.name, URL: d.SightURL(d.Asked, cmp.Or(strings.Join(rest, ","), nothingFolded)), On: on})
		}
	}
	return chips
}

// band draws some rows, from one on.
func (w *drawing) band(first int) sightBand {
	d := w.d
	rows := w.paths[first:min(first+bandRows, len(w.paths))]
	b := sightBand{First: first, Width: len(w.columns) * sightColumn, Height: len(rows) * sightRow}
	paths := make([]string, len(rows))
	for i, page := range rows {
		paths[i] = cmp.Or(page, "/")
		line := sightLine{Title: "The whole site", URL: d.URL(page, d.As), Page: page, Path: paths[i], Whole: page == "", Y: i * sightRow}
		if page != "" {
			line.Title, line.Note, line.Indent = d.State.Title(d.Site, page), w.notes[page], min(w.tree.Depth(page)+1, 3)
		}
		b.Rows = append(b.Rows, line)
	}
	for k, col := range w.columns {
		after := sights(d, d.Policy, w.then, col, paths)
		before := after
		if d.Tray != nil {
			before = sights(d, d.State.Policy, w.now, col, paths)
		}
		for i := range b.Rows {
			line := &b.Rows[i]
			cell := sightCell{Window: after[i], X: k*sightColumn + sightColumn/2 - 8, Y: line.Y + 7}
			cell.Plain = !strings.HasPrefix(after[i].Text, "opens to ")
			if before[i] != after[i] {
				was := before[i]
				cell.Before, cell.BeforeX, cell.X = &was, cell.X-15, cell.X+15
			}
			cell.Window.Outline = d.Asked != "" || cell.Before != nil
			cell.Breach = w.breach != nil && !line.Whole && col.who == w.breach.Who && line.Path == w.breach.Path
			line.Cells = append(line.Cells, cell)
		}
	}
	for i := range b.Rows {
		b.Rows[i].draw(b.Width)
		b.Rows[i].told()
	}
	return b
}

// sightlinesCSV writes the sightlines as a table: a row a page, a column an observer.
func sightlinesCSV(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	drawn := newDrawing(d, x.Request.URL.Query())
	x.Header("Content-Type", "text/csv; charset=utf-8")
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", d.Site+"-sightlines.csv"))
	w := csv.NewWriter(x.Writer)
	head := []string{"Page", "Path"}
	for _, col := range drawn.columns {
		head = append(head, col.name)
	}
	failed := w.Write(head)
	for first := 0; first < len(drawn.paths) && failed == nil; first += bandRows {
		for _, line := range drawn.band(first).Rows {
			row := []string{web.Harmless(line.Title), web.Harmless(line.Path)}
			for _, cell := range line.Cells {
				row = append(row, cell.Window.Text)
			}
			failed = errors.Join(failed, w.Write(row))
		}
		w.Flush()
		failed = errors.Join(failed, w.Error(), x.Request.Context().Err()) // whoever hung up does not matter
	}
}

// sightlinesSVG writes the sightlines as a picture that stands alone.
func sightlinesSVG(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := &web.Page{Site: &web.SiteHead{Address: d.Site, Title: cmp.Or(d.Now.Title, d.Site)}, View: sightlines(d, x.Request.URL.Query(), true)}
	x.Header("Content-Type", "image/svg+xml")
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", d.Site+"-sightlines.svg"))
	x.Status(http.StatusOK)
	if err := c.Templates["sightlines-svg"].ExecuteTemplate(x.Writer, "fragment", p); err != nil {
		panic(err)
	}
}
