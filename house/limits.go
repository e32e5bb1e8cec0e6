package house

import "time"

// How much may be said where. Lengths of texts are in letters, see limits.Longer.
const (
	MostHeading    = 200  // of a holding page
	MostQuestions  = 10   // to who wants to be a member
	MostLabel      = 40   // of the sign-in corner
	MostWord       = 1000 // from who asks to be let in
	MostSubject    = 150  // of a letter to members
	MostAbout      = 2000 // of a member's page, and of an answer of theirs
	MostPasskey    = 80   // the name of a passkey
	MostIcon       = 200 << 10
	MostPicture    = 2 << 20   // of a holding page
	MostPortrait   = 500 << 10 // of a member
	MostJoining    = 1000      // people by one join code
	LongestJoining = 366 * 24 * time.Hour
)

// Pictures are the media types of pictures that every browser shows.
var Pictures = []string{"image/png", "image/jpeg", "image/webp", "image/gif"}

// Portraits are those that a member's picture may be: none that moves.
var Portraits = []string{"image/png", "image/jpeg", "image/webp"}
