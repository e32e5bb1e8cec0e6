// Package limits is the one table of how much outsiders may feed: whoever writes pages, sends forms,
// searches, imports or asks. Sizes are in bytes unless something else is said. Each has a test that
// feeds the worst of that size, see the rooms named beside it.
package limits

import "time"

// Pages, as they are written (core/content).
const (
	TableColumns = 200    // of one table in Markdown
	TableCells   = 20_000 // likewise: short rows are filled up to the width of the first
	Footnotes    = 400    // marks and notes of a page: each is looked for among all
	TablesOnPage = 20     // of records, each of which reads a file
	ListsOnPage  = 12     // of dates or files
)

// Records and calendars, as they are read from files (core/content, app/calendar).
const (
	RecordRows     = 50_000
	RecordCells    = 500_000
	RecordColumns  = 200
	RecordsKept    = 32 // files whose records are kept as they were read
	CalendarSize   = 1 << 20
	CalendarEvents = 200  // of one file
	CalendarTimes  = 1200 // at which an event of it begins: three years, day by day
	CalendarsKept  = 32
	CalendarRule   = 1000 // of a rule of recurrence
)

// Searches of visitors (app/search).
const (
	SearchLength   = 200
	SearchWords    = 8
	SearchesAtOnce = 4 // of the house
	SearchTime     = 5 * time.Second
)

// Signing in (identity, app/accounts).
const (
	HashesAtOnce    = 3   // passwords that are looked at, of those who sign in
	WaitBySource    = 16  // who wait in line from one source
	GuessesBySource = 100 // wrong passwords from one source, whatever the account; then one in GuessPause
	GuessPause      = 6 * time.Second
)

// Teams and messages (app/teams, app/members).
const (
	InvitationsWaiting = 500 // on a site
	InvitationsAnHour  = 200 // by one person
	LettersADay        = 20  // of a site to its members
)

// Addresses of sites (console/listing): whether one is free is asked while it is typed.
const (
	AddressesAsked = 60 // by one person; then one in AddressPause
	AddressPause   = 2 * time.Second
)

// Counting (app/traffic).
const (
	NamesADay = 1000 // that are told apart of one kind on a site: words searched for, where visitors came from
)
