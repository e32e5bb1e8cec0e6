package roster

import (
	"bufio"
	"bytes"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"
)

// isLDIF reports whether a text begins as LDIF does, after comments.
func isLDIF(text []byte) bool {
	for range 200 {
		line, rest, more := bytes.Cut(text, []byte("\n"))
		start := strings.ToLower(strings.TrimSpace(string(line[:min(len(line), 40)])))
		if strings.HasPrefix(start, "dn:") || strings.HasPrefix(start, "version:") {
			return true
		}
		if start != "" && !strings.HasPrefix(start, "#") || !more {
			return false
		}
		text = rest
	}
	return false
}

// unfolded returns the lines of a text in which a line that begins with white
// space goes on the one before, with where each began.
func unfolded(text []byte, each func(line int, text string) error) error {
	in := bufio.NewScanner(bytes.NewReader(text))
	in.Buffer(nil, MostBytes)
	line, began := 0, 0
	var whole strings.Builder
	for in.Scan() {
		line++
		t := strings.TrimRight(in.Text(), "\r")
		if t != "" && (t[0] == ' ' || t[0] == '\t') && whole.Len() > 0 {
			whole.WriteString(t[1:])
			continue
		}
		if began > 0 {
			if err := each(began, whole.String()); err != nil {
				return err
			}
		}
		whole.Reset()
		whole.WriteString(t)
		began = line
	}
	if err := in.Err(); err != nil {
		return err
	}
	return each(began, whole.String())
}

// entry is a record of LDIF: the values that are read of it, by attribute.
type entry struct {
	line   int
	values map[string][]string
}

func (e *entry) first(names ...string) string {
	for _, n := range names {
		if len(e.values[n]) > 0 {
			return e.values[n][0]
		}
	}
	return ""
}

// person reports whether a record is somebody: it has an address, or is of a class that
// only people are of.
func (e *entry) person() bool {
	if kind := e.first("changetype"); kind != "" && !strings.EqualFold(kind, "add") {
		return false
	}
	for _, class := range e.values["objectclass"] {
		switch strings.ToLower(class) {
		case "organizationalunit", "organization", "groupofnames", "groupofuniquenames", "posixgroup", "dcobject", "domain":
			return false
		}
	}
	return len(e.values["mail"]) > 0 || len(e.values["objectclass"]) > 0 && e.first("sn") != "" && e.name() != ""
}

func (e *entry) name() string {
	if name := e.first("displayname", "cn"); name != "" {
		return name
	}
	return strings.TrimSpace(e.first("givenname") + " " + e.first("sn"))
}

// read are the attributes that a record is asked for: others may hold anything.
var read = map[string]bool{
	"cn": true, "displayname": true, "givenname": true, "sn": true, "mail": true, "rfc822mailbox": true, "ou": true, "objectclass": true, "changetype": true,
}

// readLDIF reads LDIF (RFC 2849) as directories print it: displayName, cn or givenName and
// sn, every mail, and ou as the group.
func readLDIF(text []byte) (*Sheet, error) {
	s := fixedSheet("ldif")
	e := entry{values: map[string][]string{}}
	end := func() error {
		defer func() { e = entry{values: map[string][]string{}} }()
		if !e.person() {
			return nil
		}
		return s.add(e.line, e.name(), e.values["mail"], e.first("ou"))
	}
	err := unfolded(text, func(line int, t string) error {
		if strings.HasPrefix(t, "#") {
			return nil
		}
		if strings.TrimSpace(t) == "" {
			return end()
		}
		name, value, found := strings.Cut(t, ":")
		if !found {
			if t == "-" { // between the changes of one record
				return nil
			}
			return fmt.Errorf("line %d: there is no colon in it", line)
		}
		name, _, _ = strings.Cut(strings.ToLower(strings.TrimSpace(name)), ";") // without options, such as a language
		if name == "rfc822mailbox" {
			name = "mail"
		}
		if e.line == 0 {
			e.line = line
		}
		if !read[name] || strings.HasPrefix(value, "<") { // a value that lies elsewhere
			return nil
		}
		if encoded, is := strings.CutPrefix(value, ":"); is {
			raw, err := base64.StdEncoding.DecodeString(strings.TrimSpace(encoded))
			if err != nil || !utf8.Valid(raw) {
				return fmt.Errorf("line %d: its value cannot be read", line)
			}
			value = string(raw)
		}
		if value = strings.Join(strings.Fields(value), " "); value != "" {
			e.values[name] = append(e.values[name], value)
		}
		return nil
	})
	if err == nil {
		err = end()
	}
	if err == nil && len(s.Rows) == 0 {
		err = errors.New("there is nobody in it")
	}
	return s, err
}
