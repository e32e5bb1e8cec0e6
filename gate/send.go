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

	"velada/house"
	"velada/identity"
	"velada/packed"
)

// sending sends a page, kept or rendered.
type sending struct{ *request }

// nameStandIn stands where the name of whoever is signed in comes: nobody can write it into a page.
var nameStandIn = "name-" + identity.Token()

// Header values that most answers share.
var (
	kindHTML    = []string{"text/html; charset=utf-8"}
	nosniff     = []string{"nosniff"}
	varyCookie  = []string{"Cookie"}
	varyBoth    = []string{"Cookie, Accept-Encoding"}
	security    = []string{pageSecurity}
	withCode    = []string{codeSecurity + noWorkers}
	withWorkers = []string{codeSecurity + ownWorkers}
	shared      = []string{"public, max-age=0, must-revalidate"}
	noStore     = []string{"private, no-store"}
	noindexed   = []string{"noindex"}
	packedWith  = []string{packed.Coding}
)

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
		q.sendPublic(a.Page)
	} else {
		q.sendOwn(a.Page)
	}
	return true
}

// keepAnswer keeps the answer to requests like this one, until the core says that
// it may change.
func (q sending) keepAnswer(p *house.RenderedPage) {
	if q.as != nil || len(q.visitor.Passes)+len(q.visitor.Links) > 0 {
		return
	}
	if until, steady := q.site.SteadyUntil(q.at); steady {
		if ends := house.BucketEnds(p.Bucket); p.Bucket != 0 && ends.Before(until) {
			until = ends
		}
		q.state.RenderedOf(q.address).PutAnswer(q.asked(), &house.Answer{Page: p, From: q.at, Until: until})
	}
}

// begin sets what every page carries.
func (q sending) begin(p *house.RenderedPage) http.Header {
	h := q.w.Header()
	h["Content-Type"], h["X-Content-Type-Options"] = kindHTML, nosniff
	h["Content-Security-Policy"] = security // frame-ancestors says who may frame it; where referrers go stands in the page
	if d := q.state.Site(q.address).Details; d.Head != "" || d.Foot != "" {
		h["Content-Security-Policy"] = withCode
		if d.Workers {
			h["Content-Security-Policy"] = withWorkers
		}
	}
	apart(h)
	if p.NoIndex {
		h["X-Robots-Tag"] = noindexed
	}
	return h
}

func (q sending) sendKept(p *house.RenderedPage) {
	shared := q.who == "" && q.shareable(p.Notes)
	if q.who != "" || shared {
		q.keepAnswer(p)
	}
	if shared {
		q.sendPublic(p)
	} else {
		q.sendOwn(p)
	}
}

// sendOwn sends a page that is for one visitor alone.
func (q sending) sendOwn(p *house.RenderedPage) {
	h := q.begin(p)
	name := ""
	if p.Named {
		name = template.HTMLEscapeString(q.gate.House.NameOf(q.who))
	}
	h["Vary"], h["Cache-Control"] = varyCookie, noStore
	h["Content-Length"] = []string{strconv.Itoa(len(p.Head) + len(name) + len(p.Tail))}
	q.write(p.Head, []byte(name), p.Tail)
}

// sendPublic sends a page that anybody gets.
func (q sending) sendPublic(p *house.RenderedPage) {
	h := q.begin(p)
	small := len(p.Packed) > 0 && packed.Takes(q.Header["Accept-Encoding"])
	tag := p.Tag
	if small {
		tag = p.PackedTag
	}
	h["Vary"], h["Cache-Control"], h["Etag"] = varyBoth, shared, tag
	if match := q.Header["If-None-Match"]; len(match) > 0 && (has(match, p.Tag[0]) || len(p.Packed) > 0 && has(match, p.PackedTag[0])) {
		q.notModified()
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

// notModified answers that what the visitor has is what there is.
func (q *request) notModified() {
	q.answered = http.StatusNotModified
	q.w.WriteHeader(http.StatusNotModified)
}

// pack cuts a rendered page where the name stands, and packs it once.
func (q sending) pack(page []byte, asked *notes) *house.RenderedPage {
	p := &house.RenderedPage{Head: page, NoIndex: asked.answers[house.Question{About: aboutNoIndex, Of: q.path}] == yes}
	p.Bucket, _ = strconv.ParseInt(asked.answers[house.Question{About: aboutMoment}], 10, 64)
	if head, tail, found := bytes.Cut(page, []byte(nameStandIn)); found {
		p.Head, p.Tail, p.Named = head, tail, true
	} else if q.who == "" && len(q.visitor.Passes)+len(q.visitor.Links) == 0 {
		p.Packed = packed.Pack(page)
	}
	if q.site.AsksNetworks() {
		p.Notes = asked.list
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
