package words

// Term is one of Velada's own words, with the half sentence that explains it.
type Term struct{ Word, Means string }

// Glossary is all of Velada's own words: what others have no name for.
var Glossary = []Term{
	{"house", "your organisation here, with all its sites and people"},
	{"stranger", "anyone not signed in, without password or link"},
	{"door", "who may view this site or page; a way in is one way to get in, and any one is enough"},
	{"walk in as", "see each page as somebody else gets it, without signing out"},
	{"rehearsal", "a change tried out, not applied yet"},
	{"sightlines", "who can open which page, at any time"},
	{"holding page", "shown instead of the site: coming soon or maintenance"},
	{"edition", "all pages as published once; visitors read the latest"},
	{"promise", "what Velada checks at every change, such as “strangers never open the crew pages”"},
	{"rounds", "what needs attention, each with its remedy"},
	{"ledger", "who changed what, and when"},
	{"outbox", "every message, as it was sent or kept"},
	{"house rules", "limits that hold on every site"},
	{"steward", "looks after every site, person and setting"},
	{"usher", "approves members and sees the draft"},
}

// Means returns the half sentence that explains one of Velada's own words.
func Means(word string) string {
	for _, t := range Glossary {
		if t.Word == word {
			return t.Means
		}
	}
	panic("no word of Velada's own: " + word)
}
