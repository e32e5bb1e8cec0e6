package roster

import (
	"fmt"
	"strings"

	"velada/core/access"
)

// Guests is what a block of text says about whom to put on a guest list.
type Guests struct {
	People   []string // ids of people of the house, or addresses of others
	Problems []string // what could not be read, piece by piece
	Twice    []string // who stood there more than once
}

// guestIndex finds people of the house by what a guest list may call them.
type guestIndex struct {
	byName    map[string]string // lower case name, or id
	byAddress map[access.Address]string
}

func newGuestIndex(doc *access.Document) *guestIndex {
	x := &guestIndex{make(map[string]string, 2*len(doc.People)), make(map[access.Address]string, len(doc.People))}
	for _, p := range doc.People {
		x.byName[p.ID] = p.ID
		if a, err := access.ParseAddress(p.Address); err == nil {
			x.byAddress[a] = p.ID
		}
	}
	for _, p := range doc.People { // a name counts before another's id
		if p.Name != "" {
			x.byName[strings.ToLower(p.Name)] = p.ID
		}
	}
	return x
}

// ReadGuests reads a guest list as people paste it: addresses separated by
// anything, with names in front or not ("Okafor, Tobias <tobias@lens.example>"
// too), or names of people of the house.
func ReadGuests(text string, doc *access.Document) Guests {
	var g Guests
	index := newGuestIndex(doc)
	listed := map[string]bool{}
	lines := strings.FieldsFunc(text, func(r rune) bool { return r == ';' || r == '\n' || r == '\r' || r == '\t' })
	for _, line := range lines {
		pieces := strings.Split(line, ",")
		for i, piece := range pieces {
			piece = strings.TrimSpace(piece)
			if piece == "" {
				continue
			}
			found, problem := index.read(piece)
			if problem != "" && !strings.Contains(piece, "@") && i+1 < len(pieces) && strings.Contains(pieces[i+1], "@") && strings.Contains(pieces[i+1], "<") {
				continue // a family name in front of the given name and the address
			}
			if problem != "" {
				g.Problems = append(g.Problems, problem)
			}
			for _, who := range found {
				if listed[who] {
					g.Twice = append(g.Twice, who)
					continue
				}
				listed[who] = true
				g.People = append(g.People, who)
			}
		}
	}
	return g
}

// read reads one piece: a person's name or id, or every address in it.
func (x *guestIndex) read(piece string) (found []string, problem string) {
	if id, ok := x.byName[strings.ToLower(strings.Trim(piece, "\"'"))]; ok {
		return []string{id}, ""
	}
	for _, word := range strings.Fields(piece) {
		if !strings.Contains(word, "@") {
			continue
		}
		word = strings.TrimPrefix(strings.Trim(word, "<>()[]\"'."), "mailto:")
		address, err := access.ParseAddress(word)
		if err != nil {
			return nil, fmt.Sprintf("“%s” is not an address.", word)
		}
		if id, ok := x.byAddress[address]; ok {
			found = append(found, id)
		} else {
			found = append(found, address.String())
		}
	}
	if found == nil {
		return nil, fmt.Sprintf("“%s” is neither an address nor the name of a person of the house.", piece)
	}
	return found, ""
}
