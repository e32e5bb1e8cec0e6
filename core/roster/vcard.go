package roster

import (
	"bytes"
	"errors"
	"io"
	"mime/quotedprintable"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/emersion/go-vcard"
)

// isVCard reports whether a text is vCards.
func isVCard(text []byte) bool {
	start := bytes.TrimSpace(text[:min(len(text), 200)])
	return len(start) >= 11 && strings.EqualFold(string(start[:11]), "BEGIN:VCARD")
}

// What stands in the place of escaped separators until lists are split.
const (
	comma     = "\ue000"
	semicolon = "\ue001"
)

// property is a line of a vCard, before it is made what version 4 has.
type property struct {
	line           int
	name, charset  string
	params         []string
	quoted, base64 bool
	value          string // bytes as they stand there
}

// readProperty reads a line of any version: in 2.1 parameters may have no name.
func readProperty(line int, text string) (p property, found bool) {
	head, value, found := cutUnquoted(text)
	if !found {
		return p, false
	}
	parts := strings.Split(head, ";")
	p = property{line: line, value: value, name: strings.ToUpper(strings.TrimSpace(parts[0]))}
	if _, after, grouped := strings.Cut(p.name, "."); grouped {
		p.name = after
	}
	for _, param := range parts[1:] {
		name, is, named := strings.Cut(param, "=")
		name = strings.ToUpper(strings.TrimSpace(name))
		if !named {
			name, is = "TYPE", name
		}
		switch upper := strings.ToUpper(is); {
		case name == "CHARSET":
			p.charset = strings.ToLower(is)
		case name == "ENCODING" && upper == "QUOTED-PRINTABLE", name == "TYPE" && upper == "QUOTED-PRINTABLE":
			p.quoted = true
		case name == "ENCODING" && (upper == "BASE64" || upper == "B"), name == "TYPE" && upper == "BASE64":
			p.base64 = true
		case name == "PREF" || name == "TYPE":
			p.params = append(p.params, name+"="+is)
		}
	}
	return p, true
}

// cutUnquoted cuts a line at the colon that no quotes surround.
func cutUnquoted(text string) (head, value string, found bool) {
	inside := false
	for i := range len(text) {
		switch text[i] {
		case '"':
			inside = !inside
		case ':':
			if !inside {
				return text[:i], text[i+1:], true
			}
		}
	}
	return "", "", false
}

// properties returns the lines of vCards: folded lines are put together, and so are those
// of quoted-printable values, which go on after an equals sign.
func properties(raw []byte) (list []property) {
	lines := strings.Split(strings.ReplaceAll(string(raw), "\r\n", "\n"), "\n")
	for i := 0; i < len(lines); {
		at := i + 1
		var text strings.Builder
		text.WriteString(lines[i])
		for i++; i < len(lines) && lines[i] != "" && (lines[i][0] == ' ' || lines[i][0] == '\t'); i++ {
			text.WriteString(lines[i][1:])
		}
		p, found := readProperty(at, text.String())
		if !found {
			continue
		}
		if p.quoted && strings.HasSuffix(p.value, "=") {
			var whole strings.Builder // a value may go on for as long as the file
			for whole.WriteString(strings.TrimSuffix(p.value, "=")); i < len(lines); i++ {
				part, more := strings.CutSuffix(lines[i], "=")
				if whole.WriteString(part); !more {
					i++
					break
				}
			}
			p.value = whole.String()
		}
		list = append(list, p)
	}
	return list
}

// plain is a property's value as UTF-8, of whatever charset the property or the file is.
func (p *property) plain(charset string) string {
	value := p.value
	if p.quoted {
		if text, err := io.ReadAll(quotedprintable.NewReader(strings.NewReader(value))); err == nil || len(text) > 0 {
			value = string(text)
		}
		value = strings.NewReplacer("\r\n", " ", "\n", " ").Replace(value)
	}
	if p.charset != "" {
		charset = p.charset
	}
	if charset != "utf-8" {
		if from, err := encodingOf(charset); err == nil {
			if text, err := from.NewDecoder().String(value); err == nil {
				value = text
			}
		}
	}
	if !utf8.ValidString(value) {
		value = strings.ToValidUTF8(value, "\uFFFD")
	}
	return value
}

// known properties of a card: others are not handed on, such as pictures.
var cardProperties = []string{"FN", "N", "EMAIL", "CATEGORIES", "ORG"}

// readVCard reads vCard 2.1, 3 and 4 (RFC 2426, RFC 6350): FN or N, every EMAIL, the
// preferred one first, and CATEGORIES or ORG as the group. raw is the text in its charset.
func readVCard(raw, text []byte, charset string) (*Sheet, error) {
	if strings.HasPrefix(charset, "utf-16") { // its lines are not to be found in bytes
		raw, charset = text, "utf-8"
	}
	s := fixedSheet("vcard")
	var card strings.Builder
	at := 0
	for _, p := range properties(bytes.TrimPrefix(raw, []byte("\xef\xbb\xbf"))) {
		switch {
		case p.name == "BEGIN":
			card.Reset()
			card.WriteString("BEGIN:VCARD\nVERSION:4.0\n")
			at = p.line
		case p.name == "END" && at > 0:
			card.WriteString("END:VCARD\n")
			if err := s.addCard(at, card.String()); err != nil {
				return nil, err
			}
			at = 0
		case at > 0 && !p.base64 && slices.Contains(cardProperties, p.name):
			value := strings.NewReplacer(`\\`, `\\`, `\,`, comma, `\;`, semicolon).Replace(p.plain(charset))
			card.WriteString(strings.Join(append([]string{p.name}, p.params...), ";") + ":" + strings.NewReplacer("\n", " ", "\r", "").Replace(value) + "\n")
		}
	}
	if len(s.Rows) == 0 {
		return nil, errors.New("there is nobody in it")
	}
	return s, nil
}

// addCard adds a card of version 4; one that says nothing of anybody is left out.
func (s *Sheet) addCard(line int, text string) error {
	card, err := vcard.NewDecoder(strings.NewReader(text)).Decode()
	if err != nil {
		return nil // it was put together here: what cannot be read of it says nothing
	}
	plain := func(v string) string {
		return strings.Join(strings.Fields(strings.NewReplacer(comma, ",", semicolon, ";").Replace(v)), " ")
	}
	name := plain(card.Value(vcard.FieldFormattedName))
	if n := strings.Split(card.Value(vcard.FieldName), ";"); name == "" && n[0] != "" {
		n = append(n, "")
		name = plain(n[1] + " " + n[0])
	}
	mails := slices.Clone(card[vcard.FieldEmail])
	slices.SortStableFunc(mails, func(a, b *vcard.Field) int { return preference(a) - preference(b) })
	var addresses []string
	for _, m := range mails {
		if a := strings.TrimPrefix(plain(m.Value), "mailto:"); a != "" {
			addresses = append(addresses, a)
		}
	}
	group, _, _ := strings.Cut(card.Value(vcard.FieldCategories), ",")
	if group == "" {
		group, _, _ = strings.Cut(card.Value(vcard.FieldOrganization), ";")
	}
	if name == "" && len(addresses) == 0 {
		return nil
	}
	return s.add(line, name, addresses, plain(group))
}

// preference of an address among several, the smallest first.
func preference(f *vcard.Field) int {
	if n, err := strconv.Atoi(f.Params.Get("PREF")); err == nil {
		return n
	}
	if slices.ContainsFunc(f.Params["TYPE"], func(t string) bool { return strings.EqualFold(t, "pref") }) {
		return 0
	}
	return 101
}
