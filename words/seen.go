package words

import (
	"regexp"
	"time"
)

// Then puts an instant into a sentence that is kept: what it is called is made when the sentence is read,
// see AsSeen and Dated.
func Then(t time.Time) string { return "\x02" + t.UTC().Format(time.RFC3339) + "\x03" }

var kept = regexp.MustCompile("\x02([^\x03]*)\x03")

// AsSeen says a sentence with the instants in it as seen from now: today, yesterday and tomorrow by name.
func AsSeen(sentence string, now time.Time) string {
	return said(sentence, func(t time.Time) string {
		t = t.In(now.Location())
		switch days := DaysBetween(now, t); days {
		case 0:
			return "today " + t.Format("15:04")
		case 1:
			return "tomorrow " + t.Format("15:04")
		case -1:
			return "yesterday " + t.Format("15:04")
		}
		return "on " + Moment(t)
	})
}

// Dated says a sentence with the instants in it by their dates, for letters that are read at any time.
func Dated(sentence string, zone *time.Location) string {
	return said(sentence, func(t time.Time) string { return "on " + Moment(t.In(zone)) })
}

func said(sentence string, how func(t time.Time) string) string {
	return kept.ReplaceAllStringFunc(sentence, func(mark string) string {
		t, err := time.Parse(time.RFC3339, mark[1:len(mark)-1])
		if err != nil {
			return ""
		}
		return how(t)
	})
}

// DaysBetween counts the days of the calendar from one time to another.
func DaysBetween(a, b time.Time) int {
	day := func(t time.Time) time.Time { return time.Date(t.Year(), t.Month(), t.Day(), 12, 0, 0, 0, time.UTC) }
	return int(day(b).Sub(day(a)).Hours() / 24)
}
