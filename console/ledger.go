package console

import (
	"cmp"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"
	"velada/core/roster"
	"velada/house"
	"velada/words"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/store"
)

// ledgerView is who changed what, filtered.
type ledgerView struct {
	At    string // the view's own address
	Rows  []ledgerRow
	Form  form
	Kinds []choice
	Query string
	Whole bool // the whole house's
	More  bool
}

type ledgerRow struct {
	When, Who, Site, Kind, What string
	Undo                        int64 // the entry that can be rehearsed backwards, or 0
}

// ledgerKinds are what the kinds of entries are called.
var ledgerKinds = map[string]string{
	"door": "doors, passes, team", "promise": "promises", "holding": "what a holding page says", "edition": "editions", "state": "taken down, put back",
	"listing": "title, details, short names", "address": "addresses", "site": "new sites", "member": "members", "house": "the house", "import": "imports",
	"invitation": "invitations, handing over", "people": "people and groups", "team": "why people are on teams",
}

const mostEntries = 200

func (c *Console) ledger(x *gin.Context) {
	p := c.page(x, "Ledger")
	if !p.Steward {
		c.notFound(x)
		return
	}
	p.Here = "Ledger"
	p.Standing.Rest = "Every change to access, with who made it and when."
	c.showLedger(x, p, "")
}

func (c *Console) siteLedger(x *gin.Context) {
	if !c.House.Can(actor(x), x.Param("site"), "/").Has(access.ChangeDoor) {
		c.notFound(x)
		return
	}
	c.showLedger(x, c.sitePage(x, "Ledger"), x.Param("site"))
}

// ledgerFilter reads the filter of the address; what is wrong in it is noted.
func (c *Console) ledgerFilter(x *gin.Context, site string) (store.LedgerFilter, form) {
	s := c.House.State()
	f := form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
	for _, name := range []string{"site", "who", "kind", "from", "until"} {
		f.Values[name] = strings.TrimSpace(x.Query(name))
	}
	filter := store.LedgerFilter{Kind: f.Values["kind"]}
	if site = cmp.Or(site, f.Values["site"]); site != "" {
		filter.Sites = []store.SiteID{s.ID(site)}
	}
	from, until := f.window(s.Zone)
	filter.From, filter.Until = from.Time(), until.Time()
	if who := f.Values["who"]; who != "" {
		doc := s.Policy.Document()
		if site := x.Param("site"); site != "" {
			doc = c.known(x)
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

func (c *Console) showLedger(x *gin.Context, p *page, site string) {
	filter, f := c.ledgerFilter(x, site)
	if format := x.Query("as"); format == "csv" || format == "jsonl" {
		c.exportLedger(x, filter, cmp.Or(site, "house"), format)
		return
	}
	filter.Most = mostEntries
	entries, err := store.Ledger(x.Request.Context(), c.House.Reader(), filter)
	if err != nil {
		c.fail(x, err)
		return
	}
	if len(f.Wrong) > 0 {
		entries = nil
	}
	kinds, err := store.LedgerKinds(x.Request.Context(), c.House.Reader())
	if err != nil {
		c.fail(x, err)
		return
	}
	s := c.House.State()
	v := &ledgerView{At: x.Request.URL.Path, Form: f, Whole: site == "", More: len(entries) == mostEntries}
	for _, kind := range kinds {
		v.Kinds = append(v.Kinds, choice{kind, cmp.Or(ledgerKinds[kind], kind), kind == filter.Kind})
	}
	query := url.Values{}
	for name, value := range f.Values {
		if value != "" {
			query.Set(name, value)
		}
	}
	v.Query = query.Encode()
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
	c.show(x, http.StatusOK, "ledger", p)
}

// exportLedger sends the entries as they are kept, their seals included, the
// oldest first.
func (c *Console) exportLedger(x *gin.Context, filter store.LedgerFilter, name, format string) {
	entries, err := store.Ledger(x.Request.Context(), c.House.Reader(), filter)
	if err != nil {
		c.fail(x, err)
		return
	}
	x.Header("Content-Disposition", fmt.Sprintf("attachment; filename=%q", name+"-ledger."+format))
	if format == "csv" {
		x.Header("Content-Type", "text/csv; charset=utf-8")
		w := csv.NewWriter(x.Writer)
		_ = w.Write([]string{"number", "at", "who", "site", "kind", "what", "before", "after", "earlier", "hash"}) // whoever hung up does not matter
		for i := len(entries) - 1; i >= 0; i-- {
			e := entries[i]
			_ = w.Write([]string{fmt.Sprint(e.Number), e.At, harmless(e.Who), e.Site, e.Kind, harmless(e.What), e.Before, e.After, e.Earlier, e.Hash})
		}
		w.Flush()
		return
	}
	x.Header("Content-Type", "application/jsonl; charset=utf-8")
	out := json.NewEncoder(x.Writer)
	for i := len(entries) - 1; i >= 0; i-- {
		e := entries[i]
		if out.Encode(map[string]any{
			"number": e.Number, "at": e.At, "who": e.Who, "site": e.Site, "kind": e.Kind, "what": e.What, "before": e.Before, "after": e.After, "earlier": e.Earlier, "hash": e.Hash,
		}) != nil {
			return
		}
	}
}
