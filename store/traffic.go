package store

import (
	"context"
	"database/sql"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"velada/core/access"
	"velada/core/traffic"
)

// wordIDs numbers words, each for ever.
type wordIDs struct {
	q   Queryer
	ids map[string]int64
}

func (w *wordIDs) id(ctx context.Context, word string) (id int64, err error) {
	if id, known := w.ids[word]; known {
		return id, nil
	}
	if err := exec(ctx, w.q, `INSERT INTO traffic_words (word) VALUES (?) ON CONFLICT DO NOTHING`, word); err != nil {
		return 0, err
	}
	if err := w.q.QueryRowContext(ctx, `SELECT id FROM traffic_words WHERE word = ?`, word).Scan(&id); err != nil {
		return 0, err
	}
	w.ids[word] = id
	return id, nil
}

// AddTraffic adds counts to those that are kept. What is of a site that is gone is left out.
func AddTraffic(ctx context.Context, q Queryer, hits map[traffic.Key]int, days map[traffic.DayKey]int, visits map[traffic.VisitorOf]traffic.Visit) error {
	words := &wordIDs{q, map[string]int64{}}
	for k, n := range hits {
		page, err1 := words.id(ctx, k.Page)
		who, err2 := words.id(ctx, k.Who)
		reason, err3 := words.id(ctx, k.Reason)
		err := errors.Join(err1, err2, err3)
		if err == nil {
			err = exec(ctx, q, `INSERT INTO traffic_hits (site, hour, page, asker, outcome, reason, n) SELECT ?1, ?2, ?3, ?4, ?5, ?6, ?7 WHERE EXISTS (SELECT 1 FROM sites WHERE id = ?1)
				ON CONFLICT DO UPDATE SET n = n + excluded.n`, k.Site, k.Hour, page, who, int(k.Outcome), reason, n)
		}
		if err != nil {
			return fmt.Errorf("counting hits: %w", err)
		}
	}
	for k, n := range days {
		name, err := words.id(ctx, k.Name)
		if err == nil {
			err = exec(ctx, q, `INSERT INTO traffic_days (site, day, kind, name, n) SELECT ?1, ?2, ?3, ?4, ?5 WHERE EXISTS (SELECT 1 FROM sites WHERE id = ?1)
				ON CONFLICT DO UPDATE SET n = n + excluded.n`, k.Site, k.Day, string(k.Kind), name, n)
		}
		if err != nil {
			return fmt.Errorf("counting a day: %w", err)
		}
	}
	for who, v := range visits {
		err := exec(ctx, q, `INSERT INTO traffic_today (site, visitor, began, last, pages) SELECT ?1, ?2, ?3, ?4, ?5 WHERE EXISTS (SELECT 1 FROM sites WHERE id = ?1)
			ON CONFLICT DO UPDATE SET began = excluded.began, last = excluded.last, pages = excluded.pages`, who.Site, int64(who.Visitor), v.Began.Unix(), v.Last.Unix(), v.Pages)
		if err != nil {
			return fmt.Errorf("keeping a visit: %w", err)
		}
	}
	return nil
}

// TrafficToday reads the visits of a day that goes on.
func TrafficToday(ctx context.Context, q Reader) (map[traffic.VisitorOf]*traffic.Visit, error) {
	today := map[traffic.VisitorOf]*traffic.Visit{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var who traffic.VisitorOf
		var visitor, began, last int64
		v := &traffic.Visit{}
		err = r.Scan(&who.Site, &visitor, &began, &last, &v.Pages)
		who.Visitor, v.Began, v.Last = uint64(visitor), time.Unix(began, 0), time.Unix(last, 0)
		today[who] = v
		return struct{}{}, err
	}, `SELECT site, visitor, began, last, pages FROM traffic_today`)
	return today, err
}

// TrafficGoingOn reads the visits of a site that are not over, or not known to be, and began in a stretch of
// time.
func TrafficGoingOn(ctx context.Context, q Reader, site SiteID, from, until time.Time) ([]traffic.Visit, error) {
	return collect(ctx, q, func(r *sql.Rows) (v traffic.Visit, err error) {
		var began, last int64
		err = r.Scan(&began, &last, &v.Pages)
		v.Began, v.Last = time.Unix(began, 0), time.Unix(last, 0)
		return v, err
	}, `SELECT began, last, pages FROM traffic_today WHERE site = ? AND began >= ? AND began < ?`, site, from.Unix(), until.Unix())
}

// TrafficDayGoesOn reports whether a day is the one whose visits are kept.
func TrafficDayGoesOn(ctx context.Context, q Reader, day int64) (is bool, err error) {
	err = q.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM traffic_key WHERE day = ?)`, day).Scan(&is)
	return is, err
}

// TrafficKey reads the key of a day, making it with fresh where there is none; the keys and
// visitors of other days are thrown away.
func TrafficKey(ctx context.Context, q Queryer, day int64, fresh func() []byte) (key []byte, err error) {
	var gone int
	if err := q.QueryRowContext(ctx, `SELECT count(*) FROM traffic_key WHERE day <> ?`, day).Scan(&gone); err != nil {
		return nil, err
	}
	if gone > 0 {
		if err := errors.Join(exec(ctx, q, `DELETE FROM traffic_key WHERE day <> ?`, day), exec(ctx, q, `DELETE FROM traffic_today`)); err != nil {
			return nil, err
		}
	}
	if err := exec(ctx, q, `INSERT INTO traffic_key (day, key) VALUES (?, ?) ON CONFLICT DO NOTHING`, day, fresh()); err != nil {
		return nil, err
	}
	err = q.QueryRowContext(ctx, `SELECT key FROM traffic_key WHERE day = ?`, day).Scan(&key)
	return key, err
}

// TrafficChoice is what a site chooses of how it is counted.
type TrafficChoice struct {
	Names  bool // people who are signed in are counted by name
	Days   int  // how long hits are kept as they were
	Months int  // how long figures are kept
}

// DefaultTraffic is what holds where nothing was chosen.
var DefaultTraffic = TrafficChoice{Days: 28, Months: 24}

// TrafficChoices reads what sites chose, or one; those that did not are left out.
func TrafficChoices(ctx context.Context, q Reader, only SiteID) (map[SiteID]TrafficChoice, error) {
	all := map[SiteID]TrafficChoice{}
	_, err := collectOf(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var site SiteID
		var c TrafficChoice
		err = r.Scan(&site, &c.Names, &c.Days, &c.Months)
		all[site] = c
		return struct{}{}, err
	}, `SELECT site, names, days, months FROM traffic_choices`, "site", only, "")
	return all, err
}

// SaveTrafficChoice writes what a site chooses.
func SaveTrafficChoice(ctx context.Context, q Queryer, site SiteID, c TrafficChoice) error {
	return exec(ctx, q, `INSERT INTO traffic_choices (site, names, days, months) VALUES (?, ?, ?, ?)
		ON CONFLICT (site) DO UPDATE SET names = excluded.names, days = excluded.days, months = excluded.months`, site, c.Names, c.Days, c.Months)
}

// ForgetTraffic rolls up what is older than hits are kept, to days and without who it was, and
// deletes what is older than figures are kept. Hours and days count from 1970; noon returns the hour at which
// the day of another is kept.
func ForgetTraffic(ctx context.Context, q Queryer, site SiteID, rollBefore, dropHour, dropDay int64, noon func(hour int64) int64) error {
	somebody, err1 := (&wordIDs{q, map[string]int64{}}).id(ctx, "somebody")
	stranger, err2 := (&wordIDs{q, map[string]int64{}}).id(ctx, "stranger")
	err := errors.Join(err1, err2,
		exec(ctx, q, `DELETE FROM traffic_hits WHERE site = ? AND hour < ?`, site, dropHour),
		exec(ctx, q, `DELETE FROM traffic_days WHERE site = ? AND day < ?`, site, dropDay),
		exec(ctx, q, `DELETE FROM traffic_lines WHERE site = ? AND hour < ?`, site, dropHour),
	)
	if err != nil {
		return err
	}
	type old struct {
		hour  int64
		named bool // by more than whether they were strangers
	}
	hours, err := collect(ctx, q, func(r *sql.Rows) (o old, err error) { return o, r.Scan(&o.hour, &o.named) },
		`SELECT hour, max(asker NOT IN (?3, ?4)) FROM traffic_hits WHERE site = ?1 AND hour < ?2 GROUP BY hour`, site, rollBefore, somebody, stranger)
	if err != nil {
		return err
	}
	for _, o := range hours {
		to := noon(o.hour)
		if to == o.hour && !o.named {
			continue
		}
		const these = ` FROM traffic_hits WHERE site = ?1 AND hour = ?2 AND (?2 <> ?5 OR asker NOT IN (?3, ?4))`
		err = errors.Join(
			exec(ctx, q, `INSERT INTO traffic_hits (site, hour, page, asker, outcome, reason, n)
				SELECT site, ?5, page, CASE asker WHEN ?4 THEN ?4 ELSE ?3 END, outcome, reason, sum(n)`+these+` GROUP BY 1, 2, 3, 4, 5, 6
				ON CONFLICT DO UPDATE SET n = n + excluded.n`, site, o.hour, somebody, stranger, to),
			exec(ctx, q, `DELETE`+these, site, o.hour, somebody, stranger, to),
		)
		if err != nil {
			return fmt.Errorf("rolling visits up: %w", err)
		}
	}
	return nil
}

// TrafficHits reads the hits of a site from one hour on and before another.
func TrafficHits(ctx context.Context, q Reader, site SiteID, from, until int64) ([]traffic.Sum, error) {
	type row struct {
		hour              int64
		page, who, reason int64
		outcome, n        int
	}
	rows, err := collect(ctx, q, func(r *sql.Rows) (h row, err error) {
		return h, r.Scan(&h.hour, &h.page, &h.who, &h.outcome, &h.reason, &h.n)
	}, `SELECT hour, page, asker, outcome, reason, n FROM traffic_hits WHERE site = ? AND hour >= ? AND hour < ?`, site, from, until)
	if err != nil {
		return nil, err
	}
	words := map[int64]string{} // of many rows few: they are read once each
	for _, h := range rows {
		words[h.page], words[h.who], words[h.reason] = "", "", ""
	}
	if err := readWords(ctx, q, words); err != nil {
		return nil, err
	}
	list := make([]traffic.Sum, len(rows))
	for i, h := range rows {
		list[i] = traffic.Sum{Hour: h.hour, Page: words[h.page], Who: words[h.who], Outcome: access.Outcome(h.outcome), Reason: words[h.reason], N: h.n}
	}
	return list, nil
}

// readWords reads the words that numbers stand for.
func readWords(ctx context.Context, q Reader, words map[int64]string) error {
	ids, err := json.Marshal(slices.Collect(maps.Keys(words)))
	if err != nil {
		return err
	}
	_, err = collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var id int64
		var word string
		err = r.Scan(&id, &word)
		words[id] = word
		return
	}, `SELECT id, word FROM traffic_words WHERE id IN (SELECT value FROM json_each(?))`, string(ids))
	return err
}

// TrafficDays reads the counts of a site from one day on and before another, added up.
func TrafficDays(ctx context.Context, q Reader, site SiteID, from, until int64) ([]traffic.DaySum, error) {
	return collect(ctx, q, func(r *sql.Rows) (d traffic.DaySum, err error) {
		return d, r.Scan(&d.Kind, &d.Name, &d.N)
	}, `SELECT d.kind, w.word, d.n FROM (SELECT kind, name, sum(n) AS n FROM traffic_days WHERE site = ? AND day >= ? AND day < ? GROUP BY kind, name) d
		JOIN traffic_words w ON w.id = d.name`, site, from, until)
}

// TrafficOfSites adds up, for every site, what opened, turned away and was missing from one hour
// on and before another, and the visitors of the days from one on and before another.
func TrafficOfSites(ctx context.Context, q Reader, fromHour, untilHour, fromDay, untilDay int64) (map[SiteID]*traffic.Figures, error) {
	of := map[SiteID]*traffic.Figures{}
	at := func(id SiteID) *traffic.Figures {
		if of[id] == nil {
			of[id] = &traffic.Figures{}
		}
		return of[id]
	}
	_, err1 := collect(ctx, q, func(r *sql.Rows) (id SiteID, err error) {
		sum := traffic.Sum{}
		err = r.Scan(&id, &sum.Outcome, &sum.N)
		switch f := at(id); {
		case sum.Opened():
			f.Opened += sum.N
		case sum.Turned():
			f.Turned += sum.N
		default:
			f.Missing += sum.N
		}
		return id, err
	}, `SELECT s.id, h.outcome, sum(h.n) FROM sites s CROSS JOIN traffic_hits h ON h.site = s.id AND h.hour >= ? AND h.hour < ? GROUP BY s.id, h.outcome`, fromHour, untilHour)
	_, err2 := collect(ctx, q, func(r *sql.Rows) (id SiteID, err error) {
		var n int
		err = r.Scan(&id, &n)
		at(id).Visitors += n
		return id, err
	}, `SELECT s.id, sum(d.n) FROM sites s CROSS JOIN traffic_days d ON d.site = s.id AND d.day >= ? AND d.day < ? WHERE d.kind = ? GROUP BY s.id`, fromDay, untilDay, traffic.Visitors)
	return of, errors.Join(err1, err2)
}

// ForgetAsker makes what somebody asked for somebody's whom nobody knows.
func ForgetAsker(ctx context.Context, q Queryer, who Who) error {
	return exec(ctx, q, `UPDATE traffic_words SET word = 'gone:' || id WHERE word = 'person:' || ?`, who)
}

// LogMarks reads the marks of the lines that were read of an hour of a site.
func LogMarks(ctx context.Context, q Reader, site SiteID, hour int64) (map[uint64]bool, error) {
	var blob []byte
	err := q.QueryRowContext(ctx, `SELECT marks FROM traffic_lines WHERE site = ? AND hour = ?`, site, hour).Scan(&blob)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return nil, err
	}
	marks := map[uint64]bool{}
	for i := 0; i+markLength <= len(blob); i += markLength {
		marks[uint64(binary.LittleEndian.Uint32(blob[i:]))|uint64(blob[i+4])<<32] = true
	}
	return marks, nil
}

// markLength is the bytes of a mark, see traffic.MarkMask.
const markLength = 5

// LogHours reads the hours of a site of which logs were read, with how many lines; none of an
// hour that Velada counted itself.
func LogHours(ctx context.Context, q Reader, site SiteID) (map[int64]int, error) {
	lines := map[int64]int{}
	_, err := collect(ctx, q, func(r *sql.Rows) (_ struct{}, err error) {
		var hour int64
		var length int
		err = r.Scan(&hour, &length)
		lines[hour] = length / markLength
		return
	}, `SELECT hour, length(marks) FROM traffic_lines WHERE site = ?`, site)
	return lines, err
}

// TrafficHours reads the hours in which hits of a site are kept.
func TrafficHours(ctx context.Context, q Reader, site SiteID) ([]int64, error) {
	return collect(ctx, q, func(r *sql.Rows) (hour int64, err error) {
		return hour, r.Scan(&hour)
	}, `SELECT DISTINCT hour FROM traffic_hits WHERE site = ?`, site)
}

// SaveLogMarks writes the marks of the lines that were read of an hour of a site.
func SaveLogMarks(ctx context.Context, q Queryer, site SiteID, hour int64, marks map[uint64]bool) error {
	blob := make([]byte, 0, markLength*len(marks))
	for m := range marks {
		blob = append(binary.LittleEndian.AppendUint32(blob, uint32(m)), byte(m>>32))
	}
	return exec(ctx, q, `INSERT INTO traffic_lines (site, hour, marks) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET marks = excluded.marks`, site, hour, blob)
}

// ForgetWords deletes the words of traffic that nothing is counted of any more.
func ForgetWords(ctx context.Context, q Queryer) error {
	return exec(ctx, q, `DELETE FROM traffic_words WHERE id NOT IN (SELECT page FROM traffic_hits UNION SELECT asker FROM traffic_hits UNION SELECT reason FROM traffic_hits UNION SELECT name FROM traffic_days)`)
}
