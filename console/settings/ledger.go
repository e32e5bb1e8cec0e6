package settings

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/console/web"
	"velada/core/access"
	"velada/core/roster"
	"velada/house"
	"velada/store"
	"velada/words"
)

// ledgerView is who changed what, filtered.
type ledgerView struct {
	At    string // the view's own address
	List  web.List
	Rows  []ledgerRow
	Form  web.Form
	Kinds []web.Choice
	Query template.URL
	Whole bool // the whole house's
}

type ledgerRow struct {
	When, Who, Site, Kind, What string
	Undo                        int64 // the entry that can be rehearsed backwards, or 0
}

// ledgerKinds are what the kinds of entries are called.
var ledgerKinds = map[string]string{
	"door": "doors, passwords, team", "promise": "promises", "holding": "what a holding page says", "edition": "editions", "state": "unpublished, published again",
	"listing": "title, details, short names", "address": "addresses", "site": "new sites", "member": "members", "house": "the house", "import": "imports",
	"invitation": "invitations, handing over", "people": "people and groups", "team": "why people are on teams",
}

// ledgerSorts are the orders that the ledger may be listed in.
var ledgerSorts = []web.Choice{{ID: "", Name: "the newest first"}, {ID: "old", Name: "the oldest first"}}

func ledger(c *web.Console, x *gin.Context) {
	p := c.Page(x, "Ledger")
	if !p.Steward {
		c.NotFound(x)
		return
	}
	p.Here = "Ledger"
	p.Standing.Say("The ledger: " + words.Means("ledger") + ".")
	showLedger(c, x, p, "")
}

func siteLedger(c *web.Console, x *gin.Context) {
	if !c.House.Can(web.Actor(x), x.Param("site"), "/").Has(access.ChangeDoor) {
		c.NotFound(x)
		return
	}
	showLedger(c, x, c.SitePage(x, "Ledger"), x.Param("site"))
}

// ledgerFilter reads the filter of the address; what is wrong in it is noted.
func ledgerFilter(c *web.Console, x *gin.Context, site string) (store.LedgerFilter, web.Form) {
	s := c.House.State()
	f := web.Form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
	for _, name := range []string{"find", "site", "who", "kind", "from", "until", "sort"} {
		f.Values[name] = strings.TrimSpace(x.Query(name))
	}
	filter := store.LedgerFilter{Kind: f.Values["kind"], Words: f.Values["find"], Oldest: f.Values["sort"] == "old"}
	if site = cmp.Or(site, f.Values["site"]); site != "" {
		filter.Sites = []store.SiteID{s.ID(site)}
	}
	from, until := f.Window(s.Zone)
	filter.From, filter.Until = from.Time(), until.Time()
	if who := f.Values["who"]; who != "" {
		doc := s.Policy.Document()
		if site := x.Param("site"); site != "" {
			doc = c.Known(x)
		}
		guests := roster.ReadGuests(who, doc)
		if len(guests.People) != 1 {
			f.Wrong["who"] = "Name one person of the house, or one address."
			return filter, f
		}
		filter.Who = store.Who(guests.People[0])
	}
	return filter, f
}

func showLedger(c *web.Console, x *gin.Context, p *web.Page, site string) {
	filter, f := ledgerFilter(c, x, site)
	if format := x.Query("as"); (format == "csv" || format == "jsonl") && len(f.Wrong) == 0 {
		exportLedger(c, x, filter, cmp.Or(site, "house"), format)
		return
	}
	s := c.House.State()
	v := &ledgerView{At: x.Request.URL.Path, List: web.NewList(x, ledgerSorts...), Form: f, Whole: site == ""}
	n, err := store.CountLedger(x.Request.Context(), c.House.Reader(), filter)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if len(f.Wrong) > 0 {
		n = 0
	}
	from, to := v.List.Found(x, n, "entry", "entries")
	filter.Skip, filter.Most = from, max(1, to-from)
	entries, err := store.Ledger(x.Request.Context(), c.House.Reader(), filter)
	if err != nil {
		c.Fail(x, err)
		return
	}
	if len(f.Wrong) > 0 {
		entries = nil
	}
	kinds, err := store.LedgerKinds(x.Request.Context(), c.House.Reader())
	if err != nil {
		c.Fail(x, err)
		return
	}
	for _, kind := range kinds {
		v.Kinds = append(v.Kinds, web.Choice{ID: kind, Name: cmp.Or(ledgerKinds[kind], kind), On: kind == filter.Kind})
	}
	query := url.Values{}
	for name, value := range f.Values {
		if value != "" {
			query.Set(name, value)
		}
	}
	v.Query = template.URL(query.Encode())
	for _, e := range entries {
		row := ledgerRow{Who: e.Who, What: e.What, Kind: e.Kind}
		if site != "" && e.Kind == "door" {
			row.Undo = e.Number
		}
		if at, err := time.Parse(time.RFC3339, e.At); err == nil {
			row.When = words.Moment(at.In(s.Zone))
		}
		if me, there := c.House.ActorOf(e.WhoID); there { // of who is gone the address stays
			row.Who = me.Name
		}
		if doc := s.SiteDocument(s.SiteAddress(e.SiteID)); doc != nil {
			row.Site = doc.Title
		}
		v.Rows = append(v.Rows, row)
	}
	p.View = v
	c.Show(x, http.StatusOK, "ledger", p)
}

// exportLedger sends the entries as they are kept, their seals included, the
// oldest first.
func exportLedger(c *web.Console, x *gin.Context, f store.LedgerFilter, name, format string) {
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+"-ledger."+format))
	var each func(e store.Entry) error
	table := csv.NewWriter(x.Writer)
	if format == "csv" {
		x.Header("Content-Type", "text/csv; charset=utf-8")
		_ = table.Write([]string{"number", "at", "who", "site", "kind", "what", "before", "after", "earlier", "hash"}) // whoever hung up is seen below
		each = func(e store.Entry) error {
			return table.Write([]string{fmt.Sprint(e.Number), e.At, web.Harmless(e.Who), e.Site, e.Kind, web.Harmless(e.What), e.Before, e.After, e.Earlier, e.Hash})
		}
	} else {
		x.Header("Content-Type", "application/jsonl; charset=utf-8")
		out := json.NewEncoder(x.Writer)
		each = func(e store.Entry) error {
			return out.Encode(map[string]any{
				"number": e.Number, "at": e.At, "who": e.Who, "site": e.Site, "kind": e.Kind, "what": e.What, "before": e.Before, "after": e.After, "earlier": e.Earlier, "hash": e.Hash,
			})
		}
	}
	ctx := x.Request.Context()
	if err := store.EachEntry(ctx, c.House.Reader(), f, each); err != nil && ctx.Err() == nil {
		panic(err) // what is said then stands at the end of what has gone out, which must not look whole
	}
	table.Flush()
}
