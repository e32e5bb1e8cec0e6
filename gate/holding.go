package gate

import (
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"velada/app/doors"
	"velada/core/access"
	"velada/words"
)

// holdingPage answers while a holding page stands.
type holdingPage struct{ *request }

// holdSight is what a holding page shows beside what every page does.
type holdSight struct {
	Design, Heading  string
	Soon             bool
	Words            []string // paragraphs
	Contact, Mail    string   // a page, or an address
	Until, UntilTime string   // when it comes down, in words and for machines
	Countdown        *countdown
	Picture          string
	Own              bool
}

// countdown is what is left until the holding page comes down.
type countdown struct {
	Seconds              int64
	Days, Hours, Minutes int64
}

// A holding page may count down, by a script of Velada's own, and show a page of
// the site's own in a frame that runs nothing.
const holdingSecurity = pageSecurity + "; script-src 'self'; frame-src 'self'"

// ownSecurity holds for a site's own holding page: it may show what it brings
// along, and runs nothing.
const ownSecurity = "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data: 'self'; font-src data:; media-src data:; base-uri 'none'; form-action 'none'; frame-ancestors 'self'"

func (q holdingPage) holding(d access.Decision, status int, wrong string) {
	s := q.meeting().sight("")
	s.noMenu()
	s.Wrong, s.Title = wrong, s.Site
	s.Password = offers(d, access.OfferPassword)
	if offers(d, access.OfferSignIn) {
		s.SignIn = q.signInURL()
	}
	written := doors.HoldingPage(q.state, q.address)
	hold := &holdSight{Design: written.Design, Heading: written.Heading, Soon: d.Soon, Own: written.Design == "own"}
	s.Hold = hold
	for _, part := range strings.Split(strings.ReplaceAll(written.Words, "\r\n", "\n"), "\n\n") {
		if part = strings.TrimSpace(part); part != "" {
			hold.Words = append(hold.Words, part)
		}
	}
	switch {
	case strings.HasPrefix(written.Contact, "https://"):
		hold.Contact = written.Contact
	case written.Contact != "":
		hold.Mail = written.Contact
	}
	if len(written.Picture) > 0 {
		hold.Picture = "/velada/holding-picture"
	}
	if comesDown, ends := q.site.HoldingUntil(q.at); ends {
		until := comesDown.Time()
		hold.Until, hold.UntilTime = words.Moment(until.In(q.state.Zone)), until.Format(time.RFC3339)
		if left := int64(until.Sub(q.at.Time()).Seconds()); written.Countdown && left > 0 {
			hold.Countdown = &countdown{left, left / 86400, left / 3600 % 24, left / 60 % 60}
		}
	}
	if status == http.StatusServiceUnavailable {
		q.w.Header().Set("Retry-After", strconv.Itoa(q.site.RetryAfter(q.at)))
	}
	q.meeting().send("holding.html", status, s)
}

// holdingPicture serves the picture of the holding page.
func (q holdingPage) holdingPicture() {
	p := doors.HoldingPage(q.state, q.address)
	if len(p.Picture) == 0 || !q.seesHolding() {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	headers(q.w)
	h := q.w.Header()
	h.Set("Content-Type", p.PictureType)
	h.Set("Content-Security-Policy", "default-src 'none'; sandbox")
	h.Set("Cache-Control", "private, no-store")
	h.Set("Content-Length", strconv.Itoa(len(p.Picture)))
	q.write(p.Picture)
}

// seesHolding reports whether the holding page is up, so that somebody gets it now,
// or whoever asks looks after the site.
func (q holdingPage) seesHolding() bool {
	if q.site.HoldingUp(q.at) || q.as != nil {
		return true
	}
	return q.site.Decide("/", &q.visitor, q.at).Via == access.ViaTeam
}

// ownHolding serves a site's own holding page to whoever meets it now.
func (q holdingPage) ownHolding() {
	p := doors.HoldingPage(q.state, q.address)
	if p.Design != "own" || q.site.Decide("/", &q.visitor, q.at).Outcome != access.Held {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	headers(q.w)
	h := q.w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Content-Security-Policy", ownSecurity)
	h.Set("X-Robots-Tag", "noindex") // it is part of the page that frames it
	h.Set("Cache-Control", "private, no-store")
	q.write([]byte(p.HTML))
}

// ribbon is what the team sees on pages in whose place a holding page stands.
type ribbon struct {
	Text, Link, LinkText string
}

func (q holdingPage) ribbon() *ribbon {
	if q.as != nil && q.as.Back != "" {
		return &ribbon{"This is what a stranger gets here.", q.as.Back, "Back to what you see"}
	}
	text := q.reader(aboutRibbon, "")
	if text == "" {
		return nil
	}
	return &ribbon{text, "/velada/as-stranger?" + url.Values{"path": {q.path}}.Encode(), "See it as a stranger"}
}

// ribbonText is what a visitor of the team is told of the page where strangers meet a holding page; ""
// for others, and elsewhere.
func (q holdingPage) ribbonText(v *access.Visitor) string {
	if q.as != nil || q.who == "" {
		return ""
	}
	stranger := q.site.Decide(q.path, &access.Visitor{}, q.at)
	if stranger.Outcome != access.Held || q.site.Decide(q.path, v, q.at).Via != access.ViaTeam {
		return ""
	}
	text := "Strangers get the maintenance page here"
	if stranger.Soon {
		text = "Strangers get the coming soon page here"
	}
	if until, ends := q.site.HoldingUntil(q.at); ends {
		text += " until " + words.Moment(until.Time().In(q.state.Zone))
	}
	return text + ". You get the site because you are on the team."
}

// asStranger shows somebody on the team a page as a stranger meets it, without
// signing them out.
func (q holdingPage) asStranger() {
	path, err := access.DocumentPath(q.URL.Query().Get("path"))
	if err != nil || q.site.Decide(path, &q.visitor, q.at).Via != access.ViaTeam {
		q.meeting().meet(access.Decision{Outcome: access.Missing})
		return
	}
	q.path = path
	q.as = &As{Policy: q.state.Policy, At: q.at, Back: escape(path)}
	q.visitor, q.who = access.Visitor{}, ""
	q.meeting().meet(q.site.Decide(path, &q.visitor, q.at))
}
