package access

import (
	"fmt"
	"testing"
)

// People are found by id and address as going through all of them finds them, whatever was
// written in a copy of a document.
func TestFinderFindsWhatIsThere(t *testing.T) {
	eachDocument(t, func(t *testing.T, m maker, doc *Document, p *Policy) {
		copied := p.Document().Clone()
		for range m.IntN(4) {
			switch i := m.IntN(max(1, len(copied.People))); m.IntN(4) {
			case 0:
				copied.People = append(copied.People, Person{ID: fmt.Sprint("late-", len(copied.People)), Address: fmt.Sprintf("late%d@one.example", len(copied.People))})
			case 1:
				copied.People[i].Former = append(copied.People[i].Former, copied.People[i].Address)
				copied.People[i].Address = fmt.Sprintf("moved%d@two.example", i)
			case 2:
				copied.People[i].Name = "Another"
			default:
				copied.People = append(copied.People[:i:i], copied.People[i+1:]...)
			}
		}
		for _, d := range []*Document{copied, doc, {People: copied.People}} {
			f := d.Finder()
			for _, known := range [][]Person{doc.People, copied.People} {
				for _, p := range known {
					var byID, at *Person
					address, _ := ParseAddress(p.Address)
					for i := range d.People {
						if d.People[i].ID == p.ID {
							byID = &d.People[i]
						}
						if a, err := ParseAddress(d.People[i].Address); err == nil && a == address {
							at = &d.People[i]
						}
					}
					if f.Person(p.ID) != byID || f.At(address) != at {
						t.Fatalf("%s, %s: %v %v", p.ID, p.Address, f.Person(p.ID), f.At(address))
					}
				}
			}
		}
	})
}
