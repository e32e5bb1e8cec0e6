package web

import (
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"velada/core/access"
	"velada/house"
)

// chooseAgain is said of a file that came with a form in which something else was wrong.
const ChooseAgain = "Choose this file again: browsers do not keep it when another field has to be corrected."

// FileSent reads a file of a form, of at most so many bytes; nil where none was
// chosen.
func FileSent(x *gin.Context, field string, most int64) (name string, data []byte, err error) {
	head, err := x.FormFile(field)
	if err != nil || head.Size == 0 {
		return "", nil, nil // none was chosen
	}
	if head.Size > most {
		return head.Filename, nil, fmt.Errorf("a file here has at most %s", SizeWords(int(most)))
	}
	file, err := head.Open()
	if err != nil {
		return head.Filename, nil, err
	}
	defer file.Close()
	data, err = io.ReadAll(file)
	return head.Filename, data, err
}

// Choice is an option of a field.
type Choice struct {
	ID, Name string
	On       bool
}

// LocalTime is how a date and time is written everywhere: in fields, sentences and lists.
const LocalTime = "2 Jan 2006 15:04"

// localTimes are the ways in which a date and time may be typed.
var localTimes = []string{LocalTime, "2 January 2006 15:04", "2 Jan 2006, 15:04", "2006-01-02T15:04", "2006-01-02 15:04", "2 Jan 2006", "2 January 2006", "2006-01-02"}

// NoDate is said of what was typed for a date and is none.
const NoDate = "This is no date and time, such as 12 Dec 2026 20:00."

var errNoDate = errors.New("no date and time, such as 12 Dec 2026 20:00")

// ReadLocal reads a date and time as it was typed, in the house's zone.
func ReadLocal(text string, zone *time.Location) (time.Time, error) {
	for _, layout := range localTimes {
		if t, err := time.ParseInLocation(layout, strings.TrimSpace(text), zone); err == nil {
			return t, nil
		}
	}
	return time.Time{}, errNoDate
}

// Local writes an instant for a field, in the house's zone.
func (d *Site) Local(i access.Instant) string { return LocalIn(i, d.State.Zone) }

// LocalIn writes an instant for a field, in a zone; "" where it is none.
func LocalIn(i access.Instant, zone *time.Location) string {
	if i.IsZero() {
		return ""
	}
	return i.Time().In(zone).Format(LocalTime)
}

// EachWord splits a list at blanks, commas and semicolons.
func EachWord(text string) []string {
	return strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" ,;\n\r\t", r) })
}

// ReadNumber reads a number that a form or an address names.
func ReadNumber(text string) (int64, error) { return strconv.ParseInt(text, 10, 64) }

// Form is what was typed, and what is wrong with it.
type Form struct {
	Values map[string]string
	Wrong  house.FieldErrors
}

// Typed reads fields of a form as they were typed, without blanks around.
func Typed(x *gin.Context, fields ...string) Form {
	f := Form{Values: map[string]string{}, Wrong: house.FieldErrors{}}
	for _, name := range fields {
		f.Values[name] = strings.TrimSpace(x.PostForm(name))
	}
	return f
}
