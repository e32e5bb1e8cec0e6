package web

import (
	"cmp"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"
)

// List is how a list is asked for: which words are searched for, in which order it stands
// and which of its rows are shown. Its address says all of it.
type List struct {
	At    string // its own address
	Words string
	Sort  string
	Sorts []Choice // the first is the usual one
	Count string   // how many rows were found, in words
	CSV   string   // where all of them are as a table
	Pager Pager

	asked url.Values
}

// NewList reads how a list is asked for, in one of some orders.
func NewList(x *gin.Context, sorts ...Choice) List {
	l := List{At: x.Request.URL.Path, Words: strings.TrimSpace(x.Query("find")), asked: x.Request.URL.Query()}
	for i, s := range sorts {
		if s.ID == x.Query("sort") || i == 0 {
			l.Sort = s.ID
		}
	}
	for _, s := range sorts {
		s.On = s.ID == l.Sort
		l.Sorts = append(l.Sorts, s)
	}
	return l
}

// Found says how many rows there are, and returns which of them are shown: rows[from:to].
func (l *List) Found(x *gin.Context, n int, one, many string) (from, to int) {
	l.Count = Thousands(n) + " " + Plural(n, one, many)
	return l.Pager.Cut(x, n)
}

// Table offers the rows as a table at an address that is asked as the list is.
func (l *List) Table(at string, more ...string) { l.CSV = l.AskedAs(at, more...) }

// AskedAs is another address, asked as the list is, and for pairs of a name and a value beside that.
func (l List) AskedAs(at string, more ...string) string {
	q := url.Values{}
	for _, asked := range l.Asked() {
		q.Set(asked.ID, asked.Name)
	}
	for i := 0; i+1 < len(more); i += 2 {
		q.Set(more[i], more[i+1])
	}
	if len(q) > 0 {
		at += "?" + q.Encode()
	}
	return at
}

// Asked is what the address asks of the list beside its page, for forms that act on all of it.
func (l List) Asked() []Choice { return l.askedBut("rows") }

// Keeps is what the address says besides what the list's own form asks.
func (l List) Keeps() []Choice { return l.askedBut("rows", "find", "sort") }

func (l List) askedBut(but ...string) (list []Choice) {
	for name, values := range l.asked {
		if !slices.Contains(but, name) && len(values) > 0 && values[0] != "" {
			list = append(list, Choice{ID: name, Name: values[0]})
		}
	}
	slices.SortFunc(list, func(a, b Choice) int { return strings.Compare(a.ID, b.ID) })
	return list
}

// AskedAgain is the address of a list as a form that acts on it was asked.
func AskedAgain(x *gin.Context, at string, names ...string) string {
	q := url.Values{}
	for _, name := range names {
		if value := x.PostForm(name); value != "" {
			q.Set(name, value)
		}
	}
	if len(q) > 0 {
		at += "?" + q.Encode()
	}
	return at
}

// SendTable begins to send a table of rows as CSV, and returns what writes one; it reports
// false where whoever asked hung up.
func SendTable(x *gin.Context, name string, head ...string) (row func(cells ...string) bool, end func()) {
	x.Header("Content-Type", "text/csv; charset=utf-8")
	x.Header("Content-Disposition", `attachment; filename="`+name+`.csv"`)
	x.Status(http.StatusOK)
	w := csv.NewWriter(x.Writer)
	row = func(cells ...string) bool {
		for i := range cells {
			cells[i] = Harmless(cells[i])
		}
		return w.Write(cells) == nil && x.Request.Context().Err() == nil
	}
	row(head...)
	return row, w.Flush
}

// FirstOf returns the first rows of a list in an order: all that stand before to, which may
// be few of many.
func FirstOf[T any](list []T, to int, compare func(a, b T) int) []T {
	if to > len(list)/8 {
		list = slices.Clone(list)
		slices.SortStableFunc(list, compare)
		return list[:min(to, len(list))]
	}
	first := make([]T, 0, to+1)
	for _, one := range list {
		if len(first) == to && compare(one, first[to-1]) >= 0 {
			continue
		}
		at, _ := slices.BinarySearchFunc(first, one, func(a, b T) int {
			if compare(a, b) <= 0 { // after its equals
				return -1
			}
			return 1
		})
		first = slices.Insert(first, at, one)
		first = first[:min(len(first), to)]
	}
	return first
}

// CompareFold compares two texts whatever their letters' size.
func CompareFold(a, b string) int {
	for i := range min(len(a), len(b)) {
		if a[i] >= 0x80 || b[i] >= 0x80 {
			return strings.Compare(strings.ToLower(a), strings.ToLower(b))
		}
		if x, y := lower(a[i]), lower(b[i]); x != y {
			return cmp.Compare(x, y)
		}
	}
	return cmp.Compare(len(a), len(b))
}

func lower(b byte) byte {
	if 'A' <= b && b <= 'Z' {
		return b + 'a' - 'A'
	}
	return b
}

// ListChanged says that an action was not done, since it was seen for other rows than there are.
const ListChanged = "The list has changed since you looked: look at it again, then go on."

// SeenMark is of rows that an action was chosen for: other rows have another.
func SeenMark(ids []string) string {
	sum := sha256.New()
	for _, id := range ids {
		sum.Write([]byte(id))
		sum.Write([]byte{0})
	}
	return hex.EncodeToString(sum.Sum(nil)[:12])
}
