package door

import (
	"cmp"
	"encoding/csv"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
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
// plan scrolls smoothly.
type sightBand struct {
	Rows   []sightLine
	Height int
}

const bandRows = 25

type sightView struct {
	Site          string
	Seen          string
	Columns       []sightCol
	Bands         []sightBand
	Width, Height int // Height is that of all rows
	Breach        string
	Door, At      string // where a window leads
	Knobs         []web.Knob
	LineWidth     int
	Compare       bool
	Folds         []web.Chip
	Query         template.URL // of this view, for the exports
}

// column is what a column of the sightlines is worked out from.
type column struct {
	who     string   // an observer, group:ID, guests or team
	folded  []string // the observers of a folded kind
	name    string
	sub     string
	several bool
}

func showSightlines(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v := sightlines(d, x.Query("fold"), x.Query("promise"))
	p := c.SitePage(x, "Sightlines")
	if d.Tray != nil {
		p.Tray = web.TrayView(c, d.Tray, d.State, d.SightURL(d.Asked, x.Query("fold")))
	}
	p.View = v
	c.Show(x, http.StatusOK, "sightlines", p)
}

var foldable = []struct{ kind, name string }{{"pass", "Passes"}, {"link", "Links"}, {"domain", "Domains"}, {"address", "Addresses"}, {"network", "Networks"}, {"group", "Groups"}}

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

func sightlines(d *web.Site, fold, promise string) *sightView {
	breach := breachShown(d, promise)
	v := &sightView{Site: d.Site, Compare: d.Tray != nil, Seen: "now"}
	if d.Asked != "" {
		v.Seen = d.At.Time().In(d.State.Zone).Format("Monday 2 Jan 2006, 15:04")
	}
	query := url.Values{}
	if d.Asked != "" {
		query.Set("at", d.Asked)
	}
	if fold != "" {
		query.Set("fold", fold)
	}
	v.Query = template.URL(query.Encode())
	folded := strings.Split(fold, ",")
	columns := columns(d, folded)
	if breach != nil {
		v.Breach = fmt.Sprintf("%s gets “%s” on %s: a promise is broken there.", d.Words.Observer(breach.Who), web.OutcomeWords(breach.Outcome), breach.Path)
		if !slices.ContainsFunc(columns, func(c column) bool { return c.who == breach.Who }) {
			columns = append(columns, column{who: breach.Who, name: d.Words.Observer(breach.Who), sub: "of a promise"})
		}
	}
	for i, col := range columns {
		who := col.who
		if len(col.folded) > 0 {
			who = col.folded[0]
		}
		if who == "guests" || who == "team" {
			who = ""
		}
		v.Columns = append(v.Columns, sightCol{col.name, col.sub, d.URL("", who), who, len(col.folded) > 0, i*sightColumn + sightColumn/2})
	}
	for _, f := range foldable {
		rest := slices.DeleteFunc(slices.Clone(folded), func(k string) bool { return k == f.kind || k == "" })
		on := slices.Contains(folded, f.kind)
		if !on {
			rest = append(rest, f.kind)
		}
		if on || len(kindOf(d, f.kind)) > 1 {
			v.Folds = append(v.Folds, web.Chip{Name: f.name, URL: d.SightURL(d.Asked, strings.Join(rest, ",")), On: on})
		}
	}
	rows := sightRows(d, columns, breach)
	v.Width, v.Height = len(columns)*sightColumn, len(rows)*sightRow
	for first := 0; first < len(rows); first += bandRows {
		band := sightBand{Rows: rows[first:min(len(rows), first+bandRows)]}
		band.Height = len(band.Rows) * sightRow
		for i := range band.Rows {
			band.Rows[i].draw(v.Width)
			band.Rows[i].told()
		}
		v.Bands = append(v.Bands, band)
	}
	v.Door, v.At = "/sites/"+d.Site+"/door", d.Asked
	v.Knobs, v.LineWidth = d.Knobs(fold)
	return v
}

// kindOf lists the observers of a kind on this site.
func kindOf(d *web.Site, kind string) (list []string) {
	if kind == "group" {
		for _, id := range d.Policy.Site(d.Site).GroupsNamed() {
			list = append(list, "group:"+id)
		}
		return list
	}
	for _, who := range d.Policy.Observers(d.Site) {
		if strings.HasPrefix(who, kind+":") {
			list = append(list, who)
		}
	}
	return list
}

func columns(d *web.Site, folded []string) []column {
	columns := []column{{who: "stranger", name: "Strangers"}, {who: "search", name: "Search engines"}}
	for _, f := range foldable {
		list := kindOf(d, f.kind)
		if slices.Contains(folded, f.kind) && len(list) > 1 {
			columns = append(columns, column{folded: list, name: f.name, sub: web.Count(len(list), "of them", "of them")})
			continue
		}
		for _, who := range list {
			col := column{who: who, name: strings.TrimPrefix(d.Words.Observer(who), "Password "), several: f.kind == "group"}
			if id, ok := strings.CutPrefix(who, "pass:"); ok {
				col.sub = "password · " + web.Count(d.Uses["pass:"+id].Uses, "use", "uses")
			}
			columns = append(columns, col)
		}
	}
	if slices.ContainsFunc(d.Then.Door.Ways, func(w access.Way) bool { return w.Way == "people" }) {
		columns = append(columns, column{who: "guests", name: "Guest list", several: true})
	}
	columns = append(columns, column{who: "team", name: "Team", several: true})
	for i := range columns {
		if columns[i].several {
			shares := d.Policy.Shares(d.Site, columns[i].who, []string{"/"}, d.At)
			columns[i].sub = web.Count(shares[0].Of, "person", "people")
		}
	}
	return columns
}

func sightRows(d *web.Site, columns []column, breach *access.Breach) []sightLine {
	plan := d.Plan()
	paths := make([]string, len(plan))
	lines := make([]sightLine, len(plan))
	for i, row := range plan {
		paths[i] = cmp.Or(row.Page, "/")
		lines[i] = sightLine{Title: row.Title, Note: row.Note, URL: row.URL, Page: row.Page, Path: paths[i], Indent: row.Depth, Whole: i == 0, Y: i % bandRows * sightRow}
	}
	for k, col := range columns {
		after := sights(d, d.Policy, col, paths)
		before := after
		if d.Tray != nil {
			before = sights(d, d.State.Policy, col, paths)
		}
		for i := range lines {
			cell := sightCell{Window: after[i], X: k*sightColumn + sightColumn/2 - 8, Y: lines[i].Y + 7}
			cell.Plain = !strings.HasPrefix(after[i].Text, "opens to ")
			if before[i] != after[i] {
				was := before[i]
				cell.Before, cell.BeforeX, cell.X = &was, cell.X-15, cell.X+15
			}
			cell.Window.Outline = d.Asked != "" || cell.Before != nil
			cell.Breach = breach != nil && i > 0 && col.who == breach.Who && paths[i] == breach.Path
			lines[i].Cells = append(lines[i].Cells, cell)
		}
	}
	return lines
}

// sights works out one column: the window for each path.
func sights(d *web.Site, p *access.Policy, col column, paths []string) []web.Window {
	windows := make([]web.Window, len(paths))
	switch {
	case len(col.folded) > 0:
		for i := range windows {
			windows[i] = web.Window{}
		}
		for _, who := range col.folded {
			for i, w := range sights(d, p, column{who: who, several: strings.HasPrefix(who, "group:")}, paths) {
				windows[i] = together(windows[i], w)
			}
		}
	case col.several:
		for i, share := range p.Shares(d.Site, col.who, paths, d.At) {
			switch {
			case share.Of == 0:
				windows[i] = web.Window{Symbol: "plain", Text: "nobody is in it"}
			case share.Open == share.Of:
				windows[i] = web.Window{Symbol: "open", Text: "opens"}
			case share.Open > 0:
				windows[i] = web.Window{Symbol: "some", Text: fmt.Sprintf("opens to %d of %d", share.Open, share.Of)}
			default:
				windows[i] = web.WindowOf(share.Else)
			}
		}
	default:
		who := col.who
		if who == "search" {
			who = "stranger"
		}
		visitor, _ := p.Observer(who)
		for i, path := range paths {
			windows[i] = web.WindowOf(p.Site(d.Site).Decide(path, &visitor, d.At))
		}
	}
	return windows
}

// together is the window of a folded column: what all have in common, or some.
func together(a, b web.Window) web.Window {
	switch {
	case a == (web.Window{}) || a == b:
		return b
	case a.Symbol == "open" || b.Symbol == "open" || a.Symbol == "some" || b.Symbol == "some":
		return web.Window{Symbol: "some", Text: "opens to some of them"}
	case a.Symbol == "step" || b.Symbol == "step":
		return web.Window{Symbol: "step", Text: "opens to some of them after a step"}
	}
	return a
}

// sightlinesCSV writes the sightlines as a table: a row a page, a column an observer.
func sightlinesCSV(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	v := sightlines(d, x.Query("fold"), "")
	x.Header("Content-Type", "text/csv; charset=utf-8")
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", d.Site+"-sightlines.csv"))
	w := csv.NewWriter(x.Writer)
	head := []string{"Page", "Path"}
	for _, col := range v.Columns {
		head = append(head, col.Name)
	}
	rows := [][]string{head}
	for _, band := range v.Bands {
		for _, line := range band.Rows {
			row := []string{web.Harmless(line.Title), web.Harmless(line.Path)}
			for _, cell := range line.Cells {
				row = append(row, cell.Window.Text)
			}
			rows = append(rows, row)
		}
	}
	if err := w.WriteAll(rows); err != nil {
		return // whoever hung up does not matter
	}
}

// sightlinesSVG writes the sightlines as a picture that stands alone.
func sightlinesSVG(c *web.Console, x *gin.Context) {
	d, err := c.Site(x)
	if err != nil {
		c.Fail(x, err)
		return
	}
	p := &web.Page{Site: &web.SiteHead{Address: d.Site, Title: cmp.Or(d.Now.Title, d.Site)}, View: sightlines(d, x.Query("fold"), "")}
	x.Header("Content-Type", "image/svg+xml")
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", d.Site+"-sightlines.svg"))
	x.Status(http.StatusOK)
	if err := c.Templates["sightlines-svg"].ExecuteTemplate(x.Writer, "fragment", p); err != nil {
		panic(err)
	}
}
