// Package post writes mail and hands it to a mail server. What is sent, to
// whom, and the outbox that keeps it all belong to app.
package post

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"mime"
	netmail "net/mail"
	"regexp"
	"strings"
	text "text/template"
	"time"
	"unicode"

	"github.com/wneessen/go-mail"
)

// Letter is one message to one reader, before it is put into words for the wire.
type Letter struct {
	To      string
	Subject string
	Lines   []string // paragraphs
	Word    string   // what the sender adds in their own words
	From    string   // whose words those are
	Facts   [][2]string
	Action  Action
	After   []string // paragraphs below the action
	Stop    string   // a link by which such mail is stopped, or ""
	ReplyTo string   // where an answer goes; "" is the sender
}

// Action is the one thing that a letter asks for.
type Action struct{ Text, URL string }

//go:embed letter.html
var letterHTML string

//go:embed letter.txt
var letterText string

var (
	asHTML = template.Must(template.New("letter").Funcs(template.FuncMap{"linked": linked}).Parse(letterHTML))
	asText = text.Must(text.New("letter").Parse(letterText))
)

// plainLocal is a name before an @ that stands in a message as it is (RFC 5322, dot-atom; RFC 6532).
var plainLocal = regexp.MustCompile(`^[^\x00-\x20\x7f()<>\[\]:;@\\,."]+(\.[^\x00-\x20\x7f()<>\[\]:;@\\,."]+)*$`)

// mailbox writes an address as it stands in a message: a name that holds what has a meaning there, such as
// a comma or two dots, is quoted. So whatever is an address can be written to.
func mailbox(address string) string {
	at := strings.LastIndexByte(address, '@')
	if at < 1 || plainLocal.MatchString(address[:at]) || strings.ContainsFunc(address, unicode.IsControl) || strings.ContainsFunc(address, unicode.IsSpace) {
		return address
	}
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(address[:at]) + `"` + address[at:]
}

// address is an address in a text, without what ends the sentence.
var address = regexp.MustCompile(`https?://[^\s<>"]*[^\s<>".,;:!?)]`)

// linked is a text as HTML in which every address is a link.
func linked(text string) template.HTML {
	var b strings.Builder
	at := 0
	for _, found := range address.FindAllStringIndex(text, -1) {
		url := template.HTMLEscapeString(text[found[0]:found[1]])
		b.WriteString(template.HTMLEscapeString(text[at:found[0]]) + `<a href="` + url + `">` + url + `</a>`)
		at = found[1]
	}
	b.WriteString(template.HTMLEscapeString(text[at:]))
	return template.HTML(b.String())
}

// around is what stands around a letter's HTML in the message.
const around = `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>%s</title></head><body style="margin:0;background:#e9edec;color:#1d2b38;font:16px/1.5 sans-serif"><div style="max-width:34rem;margin:0 auto;padding:28px 24px;background:#fbfcfb">%s</div></body></html>`

// Written is a letter as it is kept: its parts, and the whole message.
type Written struct {
	Text, HTML string // HTML is the letter alone, without what stands around it
	Raw        []byte // as in RFC 5322
}

// Write puts a letter into a message from a sender ("Name <address>"). id tells
// it from others.
func (l *Letter) Write(from, id string, at time.Time) (*Written, error) {
	var h, t bytes.Buffer
	if err := asHTML.Execute(&h, l); err != nil {
		return nil, fmt.Errorf("writing a letter: %w", err)
	}
	if err := asText.Execute(&t, l); err != nil {
		return nil, fmt.Errorf("writing a letter: %w", err)
	}
	w := &Written{Text: strings.TrimSpace(t.String()) + "\n", HTML: strings.TrimSpace(h.String())}
	m := mail.NewMsg(mail.WithNoDefaultUserAgent())
	if err := m.From(from); err != nil {
		return nil, fmt.Errorf("a letter from %q: %w", from, err)
	}
	if err := m.To(mailbox(l.To)); err != nil {
		return nil, fmt.Errorf("a letter to %q: %w", l.To, err)
	}
	if l.ReplyTo != "" {
		if err := m.ReplyTo(mailbox(l.ReplyTo)); err != nil {
			return nil, fmt.Errorf("a letter that is answered to %q: %w", l.ReplyTo, err)
		}
	}
	m.Subject(l.Subject)
	m.SetDateWithValue(at)
	m.SetMessageIDWithValue(id)
	if l.Stop != "" {
		m.SetGenHeader(mail.HeaderListUnsubscribe, "<"+l.Stop+">")
		if strings.HasPrefix(l.Stop, "https://") { // RFC 8058 is for HTTPS alone
			m.SetGenHeader(mail.HeaderListUnsubscribePost, "List-Unsubscribe=One-Click")
		}
	}
	m.SetGenHeader("Auto-Submitted", "auto-generated")
	m.SetBodyString(mail.TypeTextPlain, w.Text)
	m.AddAlternativeString(mail.TypeTextHTML, fmt.Sprintf(around, template.HTMLEscapeString(l.Subject), w.HTML))
	var raw bytes.Buffer
	if _, err := m.WriteTo(&raw); err != nil {
		return nil, fmt.Errorf("writing a letter: %w", err)
	}
	w.Raw = raw.Bytes()
	return w, nil
}

// Rewrite puts other text into a message that has a head, RFC 5322, and a subject:
// who sent it to whom, when and under which id stays, and so does what divides its parts.
func Rewrite(head []byte, subject, text, html string) ([]byte, error) {
	old, err := mail.EMLToMsgFromString(string(head) + "\r\n\r\n")
	if err != nil {
		return nil, fmt.Errorf("reading the head of a letter: %w", err)
	}
	m := mail.NewMsg(mail.WithNoDefaultUserAgent())
	if whole, err := netmail.ReadMessage(bytes.NewReader(append(bytes.Clone(head), "\r\n\r\n"...))); err == nil {
		if _, is, err := mime.ParseMediaType(whole.Header.Get("Content-Type")); err == nil && is["boundary"] != "" {
			m.SetBoundary(is["boundary"])
		}
	}
	for _, set := range []struct {
		list []string
		to   func(string) error
	}{{old.GetFromString(), m.From}, {old.GetToString(), func(s string) error { return m.To(s) }}} {
		for _, one := range set.list {
			if err := set.to(one); err != nil {
				return nil, fmt.Errorf("writing a letter anew: %w", err)
			}
		}
	}
	m.Subject(subject)
	for _, name := range []mail.Header{mail.HeaderDate, mail.HeaderMessageID, mail.HeaderListUnsubscribe, mail.HeaderListUnsubscribePost} {
		if values := old.GetGenHeader(name); len(values) > 0 {
			m.SetGenHeader(name, values...)
		}
	}
	for _, to := range old.GetAddrHeaderString(mail.HeaderReplyTo) {
		if err := m.ReplyTo(to); err != nil {
			return nil, fmt.Errorf("writing a letter anew: %w", err)
		}
	}
	m.SetGenHeader("Auto-Submitted", "auto-generated")
	m.SetBodyString(mail.TypeTextPlain, text)
	m.AddAlternativeString(mail.TypeTextHTML, fmt.Sprintf(around, template.HTMLEscapeString(subject), html))
	var raw bytes.Buffer
	_, err = m.WriteTo(&raw)
	return raw.Bytes(), err
}
