package gate

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"html/template"
	"io"
	"net/http"
	"strconv"

	"velada/core/access"
	"velada/house"
	"velada/packed"
)

// sending sends a page, kept or rendered.
type sending struct{ *request }

// standInName stands where the name of whoever is signed in comes.
const standInName = "velada-stand-in-name"

// Header values that most answers share.
var (
	kindHTML   = []string{"text/html; charset=utf-8"}
	nosniff    = []string{"nosniff"}
	varyCookie = []string{"Cookie"}
	varyBoth   = []string{"Cookie, Accept-Encoding"}
	security   = []string{pageSecurity}
	withCode   = []string{codeSecurity}
	shared     = []string{"public, max-age=0, must-revalidate"}
	noStore    = []string{"private, no-store"}
	noindexed  = []string{"noindex"}
	packedWith = []string{packed.Coding}
)

// renderedKey is what the page at the path depends on; false where it may not be
// kept, since more than this tells on it.
func (q sending) renderedKey(e *house.LiveEdition, page *house.LivePage) (house.RenderedKey, bool) {
	if q.as != nil || page.Own || q.who != "" && q.state.Site(q.address).Membership.WantsComments(q.path) {
		return house.RenderedKey{}, false
	}
	key := house.RenderedKey{Site: q.address, Path: q.path, NoIndex: q.site.NoIndex(q.path, q.at), SignedIn: q.who != "", HasPass: len(q.visitor.Passes)+len(q.visitor.Links) > 0, Member: q.site.IsMember(q.visitor.Identity)}
	for i, p := range e.Menu[:min(len(e.Menu), mostMenu)] { // each a bit
		if q.site.Decide(p.Path, &q.visitor, q.at).Outcome == access.Open {
			key.Menu |= 1 << i
		}
	}
	if q.meeting().goesOn(e) {
		key.Menu |= 1 << mostMenu
	}
	key.Shared = q.site.Decide(q.path, &access.Visitor{}, q.at).Outcome == access.Open
	if picture := house.PictureOf(q.state.Site(q.address), page); picture != "" {
		key.Picture = q.site.DecideFile(picture, &access.Visitor{}, q.at).Outcome == access.Open
	}
	key.Uploads = q.strangersSeeUploads()
	if q.state.RenderedOf(q.address).Turns(q.path) {
		key.Turn = house.Turn(q.at)
	}
	key.Below, key.Feed = q.meeting().belowBits(page), q.feeds().hasFeed(page)
	key.HeadPicture, key.Logo = page.Path == "/" && q.meeting().opensFile(e.Look.Picture), q.meeting().opensFile(e.Look.Logo)
	key.Notice = !q.noticeRead && q.state.Site(q.address).Details.CookieNotice != ""
	return key, !q.site.HoldingUp(q.at) // the ribbon of the team
}

// asked is what the answer to this request depends on, if that is all.
func (q sending) asked() house.Asked {
	return house.Asked{Site: q.address, Path: q.path, Who: q.who, NoticeRead: q.noticeRead}
}

// known sends what was sent to the same request before, where that is known to be
// still the same; it reports whether it did.
func (q sending) known(raw string) bool {
	if q.as != nil || raw != q.path || len(q.visitor.Passes)+len(q.visitor.Links) > 0 || q.Method != http.MethodGet && q.Method != http.MethodHead {
		return false
	}
	a := q.state.RenderedOf(q.address).Answer(q.asked(), q.at)
	if a == nil {
		return false
	}
	if q.who == "" {
		q.sendPublic(a.Page, a.Key)
	} else {
		q.sendOwn(a.Page, a.Key)
	}
	return true
}

// keepAnswer keeps the answer to requests like this one, until the core says that
// it may change.
func (q sending) keepAnswer(key house.RenderedKey, p *house.RenderedPage) {
	if q.as != nil || key.HasPass {
		return
	}
	if until, steady := q.site.SteadyUntil(q.at); steady {
		if ends := house.TurnEnds(key.Turn); key.Turn != 0 && ends.Before(until) {
			until = ends
		}
		q.state.RenderedOf(q.address).PutAnswer(q.asked(), &house.Answer{Key: key, Page: p, From: q.at, Until: until})
	}
}

// kept sends the page as it was sent before, if it was.
func (q sending) kept(key house.RenderedKey) bool {
	p := q.state.RenderedOf(q.address).Get(key)
	if p == nil {
		return false
	}
	q.sendKept(key, p)
	return true
}

// begin sets what every page carries.
func (q sending) begin(key house.RenderedKey) http.Header {
	h := q.w.Header()
	h["Content-Type"], h["X-Content-Type-Options"] = kindHTML, nosniff
	h["Content-Security-Policy"] = security // frame-ancestors says who may frame it; where referrers go stands in the page
	if d := q.state.Site(q.address).Details; d.Head != "" || d.Foot != "" {
		h["Content-Security-Policy"] = withCode
	}
	if key.NoIndex {
		h["X-Robots-Tag"] = noindexed
	}
	return h
}

func (q sending) sendKept(key house.RenderedKey, p *house.RenderedPage) {
	if q.who != "" {
		q.keepAnswer(key, p)
	} else if !key.HasPass && q.site.Shareable(q.path, &q.visitor, q.at) {
		q.keepAnswer(key, p)
		q.sendPublic(p, key)
		return
	}
	q.sendOwn(p, key)
}

// sendOwn sends a page that is for one visitor alone.
func (q sending) sendOwn(p *house.RenderedPage, key house.RenderedKey) {
	h := q.begin(key)
	name := ""
	if key.SignedIn {
		name = template.HTMLEscapeString(q.gate.House.NameOf(q.who))
	}
	h["Vary"], h["Cache-Control"] = varyCookie, noStore
	h["Content-Length"] = []string{strconv.Itoa(len(p.Head) + len(name) + len(p.Tail))}
	q.write(p.Head, []byte(name), p.Tail)
}

// sendPublic sends a page that anybody gets.
func (q sending) sendPublic(p *house.RenderedPage, key house.RenderedKey) {
	h := q.begin(key)
	small := len(p.Packed) > 0 && packed.Takes(q.Header["Accept-Encoding"])
	tag := p.Tag
	if small {
		tag = p.PackedTag
	}
	h["Vary"], h["Cache-Control"], h["Etag"] = varyBoth, shared, tag
	if match := q.Header["If-None-Match"]; len(match) > 0 && (has(match, p.Tag[0]) || len(p.Packed) > 0 && has(match, p.PackedTag[0])) {
		q.w.WriteHeader(http.StatusNotModified)
		return
	}
	body := p.Head
	if small {
		h["Content-Encoding"], body = packedWith, p.Packed
		h["Content-Length"] = []string{strconv.Itoa(len(body))}
	} else {
		h["Content-Length"] = p.Length
	}
	q.write(body)
}

// pack cuts a rendered page where the name stands, and packs it once.
func (q sending) pack(key house.RenderedKey, page []byte) *house.RenderedPage {
	p := &house.RenderedPage{Head: page}
	if key.SignedIn {
		if head, tail, found := bytes.Cut(page, []byte(standInName)); found {
			p.Head, p.Tail = head, tail
		}
	} else if !key.HasPass {
		p.Packed = packed.Pack(page)
	}
	sum := sha256.Sum256(page)
	p.Tag, p.PackedTag = []string{`"` + hex.EncodeToString(sum[:12]) + `"`}, []string{`"` + hex.EncodeToString(sum[:12]) + `-gzip"`}
	p.Length = []string{strconv.Itoa(len(page))}
	return p
}

// renderWhile executes a template for as long as ctx lasts: nobody works on for a
// visitor who has gone.
func renderWhile(ctx context.Context, to io.Writer, name string, s *sight) error {
	err := execute(&whileWriter{ctx, to}, name, s)
	if err != nil && ctx.Err() == nil {
		panic(err)
	}
	return err
}

type whileWriter struct {
	ctx context.Context
	to  io.Writer
}

func (w *whileWriter) Write(p []byte) (int, error) {
	if err := w.ctx.Err(); err != nil {
		return 0, err
	}
	return w.to.Write(p)
}

// render executes a template.
func render(to io.Writer, name string, s *sight) {
	if err := execute(to, name, s); err != nil {
		panic(err)
	}
}
