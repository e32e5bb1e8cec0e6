package access

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"net/netip"
	"strconv"

	"github.com/go-json-experiment/json/jsontext"
)

// Question is a request or an ask as it stands on a line of JSON.
type Question struct {
	Site, Path string // Path as in a URL
	At         Instant
	Person     string
	Address    string
	Passes     []string
	Links      []string
	IP         netip.Addr

	seen questionField
}

type questionField uint16

const (
	hasSite questionField = 1 << iota
	hasPath
	hasAt
	hasPerson
	hasAddress
	hasPasses
	hasLinks
	hasIP
)

// questionFieldOf finds a field by its name as it stands in JSON; 0 is none.
func questionFieldOf(quoted []byte) questionField {
	switch string(quoted) {
	case `"site"`:
		return hasSite
	case `"path"`:
		return hasPath
	case `"at"`:
		return hasAt
	case `"person"`:
		return hasPerson
	case `"address"`:
		return hasAddress
	case `"passes"`:
		return hasPasses
	case `"links"`:
		return hasLinks
	case `"ip"`:
		return hasIP
	}
	if plain, err := jsontext.AppendUnquote(nil, quoted); err == nil && bytes.IndexByte(quoted, '\\') >= 0 {
		if again, err := jsontext.AppendQuote(nil, plain); err == nil && bytes.IndexByte(again, '\\') < 0 {
			return questionFieldOf(again)
		}
	}
	return 0
}

const longestLine = 1 << 20

var errLongLine = errors.New("the line is longer than 1 MiB")

// AnswerLines reads requests, one JSON object a line, and writes a decision for
// each, with its why when withWhy is set; now stands for an absent "at". What
// cannot be read is answered with an error, and the rest go on.
func (p *Policy) AnswerLines(in io.Reader, out io.Writer, now Instant, withWhy bool) error {
	l := lineAnswerer{policy: p, now: now, withWhy: withWhy}
	return eachLine(in, out, l.decide)
}

// CanLines is AnswerLines for capabilities.
func (p *Policy) CanLines(in io.Reader, out io.Writer, now Instant) error {
	l := lineAnswerer{policy: p, now: now}
	return eachLine(in, out, l.can)
}

// eachLine answers line by line in constant memory.
func eachLine(in io.Reader, out io.Writer, answer func(line, to []byte) ([]byte, error)) error {
	reader, writer := bufio.NewReaderSize(in, 64<<10), bufio.NewWriterSize(out, 64<<10)
	var long, buffer []byte
	for {
		line, err := reader.ReadSlice('\n')
		tooLong := false
		if errors.Is(err, bufio.ErrBufferFull) {
			long = append(long[:0], line...)
			for errors.Is(err, bufio.ErrBufferFull) {
				line, err = reader.ReadSlice('\n')
				if len(long) <= longestLine {
					long = append(long, line...)
				}
			}
			line, tooLong = long, len(long) > longestLine
		}
		if err != nil && !errors.Is(err, io.EOF) {
			return fmt.Errorf("reading a request: %w", err)
		}
		if len(bytes.TrimSpace(line)) > 0 {
			var reply []byte
			refusal := errLongLine
			if !tooLong {
				reply, refusal = answer(line, buffer[:0])
			}
			if refusal != nil {
				reply = append(buffer[:0], `{"error":`...)
				reply, _ = jsontext.AppendQuote(reply, refusal.Error())
				reply = append(reply, '}')
			}
			reply = append(reply, '\n')
			if _, err := writer.Write(reply); err != nil {
				return fmt.Errorf("writing an answer: %w", err)
			}
			buffer = reply
		}
		if err != nil {
			return writer.Flush()
		}
		if reader.Buffered() == 0 { // nothing waits: let whoever asks have the answer
			if err := writer.Flush(); err != nil {
				return fmt.Errorf("writing an answer: %w", err)
			}
		}
	}
}

type lineAnswerer struct {
	policy  *Policy
	now     Instant
	withWhy bool
	decoder jsontext.Decoder
	source  bytes.Reader
	q       Question
	why     trace
}

func (l *lineAnswerer) decide(line, to []byte) ([]byte, error) {
	q := &l.q
	if err := l.read(line); err != nil {
		return nil, err
	}
	path, err := URLPath(q.Path)
	if err != nil {
		return nil, err
	}
	id, err := l.policy.Identify(q.Person, q.Address)
	if err != nil {
		return nil, err
	}
	v := Visitor{Identity: id, Passes: q.Passes, Links: q.Links, IP: q.IP}
	s := l.policy.Site(q.Site)
	l.why.reset(path)
	var d Decision
	switch {
	case s == nil:
		l.why.noSite(q.Site)
	default:
		p, a := s.locate(path)
		if l.withWhy {
			d = s.decide(a, p != nil, &v, q.At, &l.why)
		} else {
			d = s.decide(a, p != nil, &v, q.At, nil)
		}
	}
	to = append(to, `{"outcome":"`...)
	to = append(to, d.Outcome.String()...)
	to = append(to, `","status":`...)
	to = strconv.AppendInt(to, int64(d.Status()), 10)
	to = append(to, `,"offers":`...)
	to = appendNames(to, d.Offers.Names())
	to = append(to, `,"noindex":`...)
	to = strconv.AppendBool(to, s.NoIndex(path, q.At))
	to = append(to, `,"via":"`...)
	to = append(to, d.Via.String()...)
	to = append(to, `","tables":`...)
	to = appendNames(to, s.TablesShown(path, d, &v, q.At))
	if l.withWhy {
		to = append(to, `,"why":`...)
		to = l.why.appendJSON(to)
	}
	return append(to, '}'), nil
}

func (l *lineAnswerer) can(line, to []byte) ([]byte, error) {
	q := &l.q
	if err := l.read(line); err != nil {
		return nil, err
	}
	if q.seen&(hasPasses|hasLinks|hasIP) != 0 {
		return nil, errors.New("passes, links and ip say nothing of what somebody may do: leave them out")
	}
	path, err := URLPath(q.Path)
	if err != nil {
		return nil, err
	}
	id, err := l.policy.Identify(q.Person, q.Address)
	if err != nil {
		return nil, err
	}
	to = append(to, `{"can":`...)
	to = appendNames(to, l.policy.Site(q.Site).Capabilities(path, id, q.At).Names())
	return append(to, '}'), nil
}

func appendNames(to []byte, names []string) []byte {
	to = append(to, '[')
	for i, n := range names {
		if i > 0 {
			to = append(to, ',')
		}
		to, _ = jsontext.AppendQuote(to, n)
	}
	return append(to, ']')
}

// Identify finds whom a person's id or an address means; both empty is nobody.
func (p *Policy) Identify(person, address string) (Identity, error) {
	switch {
	case person != "":
		id, ok := p.Person(person)
		if !ok {
			return id, fmt.Errorf("there is no person %q", person)
		}
		return id, nil
	case address != "":
		a, err := ParseAddress(address)
		if err != nil {
			return Identity{}, fmt.Errorf("%q is %w", address, err)
		}
		return p.Address(a), nil
	}
	return Identity{}, nil
}

// read reads one line into l.q.
func (l *lineAnswerer) read(line []byte) error {
	q := &l.q
	*q = Question{At: l.now, Passes: q.Passes[:0], Links: q.Links[:0]}
	l.source.Reset(line)
	d := &l.decoder
	d.Reset(&l.source)
	if t, err := d.ReadToken(); err != nil || t.Kind() != '{' {
		return errors.New("a request is one JSON object")
	}
	for d.PeekKind() == '"' {
		name, err := d.ReadValue()
		if err != nil {
			return notJSON(err)
		}
		field := questionFieldOf(name)
		if field == 0 {
			return fmt.Errorf("an unknown field %s", name)
		}
		q.seen |= field
		if err := l.field(field); err != nil {
			return err
		}
	}
	if _, err := d.ReadToken(); err != nil {
		return notJSON(err)
	}
	if _, err := d.ReadToken(); !errors.Is(err, io.EOF) {
		return errors.New("something follows the object")
	}
	return q.check()
}

func notJSON(err error) error { return fmt.Errorf("not JSON: %w", err) }

// text reads a string; the name is that of its field.
func (l *lineAnswerer) text(name string) (string, error) {
	raw, err := l.decoder.ReadValue()
	switch {
	case err != nil:
		return "", notJSON(err)
	case raw[0] != '"':
		return "", fmt.Errorf("%s is not text", name)
	case bytes.IndexByte(raw, '\\') < 0:
		return string(raw[1 : len(raw)-1]), nil
	}
	plain, err := jsontext.AppendUnquote(nil, raw)
	return string(plain), err
}

var fieldNames = map[questionField]string{
	hasSite: "site", hasPath: "path", hasAt: "at", hasPerson: "person",
	hasAddress: "address", hasPasses: "passes", hasLinks: "links", hasIP: "ip",
}

func (l *lineAnswerer) field(field questionField) error {
	q := &l.q
	switch field {
	case hasPasses:
		return l.names("passes", &q.Passes)
	case hasLinks:
		return l.names("links", &q.Links)
	}
	value, err := l.text(fieldNames[field])
	if err != nil {
		return err
	}
	switch field {
	case hasSite:
		q.Site = value
	case hasPath:
		q.Path = value
	case hasPerson:
		q.Person = value
	case hasAddress:
		q.Address = value
	case hasAt:
		if q.At, err = ParseInstant(value); err != nil {
			return err
		}
	case hasIP:
		if q.IP, err = ParseIP(value); err != nil {
			return err
		}
	}
	return nil
}

// ParseIP reads an IP address; an IPv4-mapped one is IPv4.
func ParseIP(s string) (netip.Addr, error) {
	ip, err := netip.ParseAddr(s)
	if err != nil || ip.Zone() != "" {
		return netip.Addr{}, fmt.Errorf("%q is no IP address", s)
	}
	return ip.Unmap(), nil
}

func (l *lineAnswerer) names(field string, into *[]string) error {
	d := &l.decoder
	token, err := d.ReadToken()
	if err == nil && token.Kind() != '[' {
		return fmt.Errorf("%s is not a list", field)
	}
	for err == nil {
		if token, err = d.ReadToken(); err != nil {
			break
		}
		switch token.Kind() {
		case ']':
			return nil
		case '"':
			*into = append(*into, token.String())
		default:
			return fmt.Errorf("%s holds something other than text", field)
		}
	}
	return notJSON(err)
}

func (q *Question) check() error {
	switch {
	case q.seen&hasSite == 0:
		return errors.New("site is missing")
	case q.seen&hasPath == 0:
		return errors.New("path is missing")
	case q.seen&hasPerson != 0 && q.seen&hasAddress != 0:
		return errors.New("both person and address: say one of them")
	case q.seen&hasPerson != 0 && q.Person == "":
		return errors.New("there is no person with an empty id")
	case q.seen&hasAddress != 0 && q.Address == "":
		return ErrAddress
	}
	return nil
}
