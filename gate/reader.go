package gate

import (
	"slices"
	"strconv"
	"strings"

	"velada/app/pages"
	"velada/core/access"
	"velada/house"
)

// What is asked about whoever reads a page, or about the moment at which they do. Whatever a page
// shows that depends on either asks one of these, by reader: it is noted with what is kept of the page,
// which serves another reader only where each of them has the same answer.
const (
	aboutOpen         = "opens"          // a page, to the reader
	aboutFile         = "file"           // opens to the reader
	aboutFiles        = "files"          // below a path, or "pages " and a path: those that open to the reader
	aboutNext         = "next"           // when a page opens or closes next to the reader
	aboutMissing      = "missing"        // there is no such page for the reader
	aboutSignedIn     = "signed in"      // whether
	aboutPass         = "pass"           // whether the reader came by a password or a link
	aboutMember       = "member"         // whether the reader is one
	aboutAuthor       = "author"         // which member the reader is, who writes comments
	aboutNotice       = "notice"         // whether the reader has read the notice about cookies
	aboutRibbon       = "ribbon"         // what the team is told where strangers meet a holding page
	aboutTables       = "tables"         // of records that the reader is shown on a page
	aboutStranger     = "stranger opens" // a page, at the moment
	aboutStrangerFile = "stranger file"
	aboutNoIndex      = "noindex" // of a page, at the moment
	aboutMoment       = house.AboutMoment
)

const yes, no = "yes", "no"

func yesIf(is bool) string {
	if is {
		return yes
	}
	return no
}

// notes is what was asked while a page was made, each once, in the order in which it was first asked.
type notes struct {
	list    []house.Note
	answers map[house.Question]string
}

// reader answers a question about the reader, and notes both.
func (q *request) reader(about, of string) string {
	question := house.Question{About: about, Of: of}
	if q.notes == nil {
		return q.answer(question, &q.visitor)
	}
	if answer, known := q.notes.answers[question]; known {
		return answer
	}
	answer := q.answer(question, &q.visitor)
	q.notes.answers[question] = answer
	q.notes.list = append(q.notes.list, house.Note{Question: question, Answer: answer})
	return answer
}

// answer answers a question about a visitor.
func (q *request) answer(question house.Question, v *access.Visitor) string {
	switch of := question.Of; question.About {
	case aboutOpen: // what somebody looks at who may not read it themself has no title in a menu either
		return yesIf(q.site.Decide(of, v, q.at).Outcome == access.Open && (q.as == nil || q.as.may(of)))
	case aboutFile:
		return yesIf(q.site.DecideFile(of, v, q.at).Outcome == access.Open && (q.as == nil || q.as.may(of)))
	case aboutFiles:
		return strings.Join(q.filesThatOpen(of, v), "\x00")
	case aboutNext:
		return q.nextChange(of, v)
	case aboutMissing:
		return yesIf(q.site.Decide(of, v, q.at).Outcome == access.Missing)
	case aboutSignedIn:
		return yesIf(q.who != "" || q.as != nil && q.as.Name != "")
	case aboutPass:
		return yesIf(len(v.Passes)+len(v.Links) > 0)
	case aboutMember:
		return yesIf(q.site.IsMember(v.Identity))
	case aboutAuthor:
		if q.who == "" || q.as != nil {
			return ""
		}
		return q.gate.House.Member(q.address, q.who)
	case aboutNotice:
		return yesIf(q.noticeRead)
	case aboutRibbon:
		return q.whileHeld().ribbonText(v)
	case aboutTables:
		if q.as != nil && q.as.Link && q.inForce("records-need-sign-in") {
			return yes // to nobody in particular
		}
		d := q.site.Decide(of, v, q.at)
		return strings.Join(append(q.site.TablesShown(of, d, v, q.at), yesIf(q.site.Withheld(of, d, v, q.at))), "\x00")
	case aboutStranger:
		return yesIf(q.site.Decide(of, &access.Visitor{}, q.at).Outcome == access.Open)
	case aboutStrangerFile:
		return yesIf(q.site.DecideFile(of, &access.Visitor{}, q.at).Outcome == access.Open)
	case aboutNoIndex:
		return yesIf(q.site.NoIndex(of, q.at))
	case aboutMoment:
		return strconv.FormatInt(house.TimeBucket(q.at), 10)
	}
	panic("nobody knows how to answer " + question.About)
}

// opens reports whether a page opens to the reader.
func (q *request) opens(path string) bool { return q.reader(aboutOpen, path) == yes }

// opensFile reports whether there is a file at a path that opens to the reader.
func (q *request) opensFile(path string) bool {
	return path != "" && q.edition().File(path) != nil && q.reader(aboutFile, path) == yes
}

// strangerOpens reports whether a page opens to just anybody.
func (q *request) strangerOpens(path string) bool { return q.reader(aboutStranger, path) == yes }

// signedIn reports whether the reader is signed in, or is looked through as somebody who is.
func (q *request) signedIn() bool { return q.reader(aboutSignedIn, "") == yes }

// bucketBegins is the moment by which a page with dates is made: it stays so for a while.
func (q *request) bucketBegins() access.Instant {
	bucket, _ := strconv.ParseInt(q.reader(aboutMoment, ""), 10, 64)
	return house.BucketBegins(bucket)
}

// filesThatOpen lists the files below a path that open to a visitor: without pictures where the path
// is that of a page whose files they are.
func (q *request) filesThatOpen(of string, v *access.Visitor) (paths []string) {
	under, ofPage := strings.CutPrefix(of, "page ")
	for _, at := range q.edition().FilesBelow(under) {
		f := q.edition().Files[at]
		if f.Type == pages.TableFile || ofPage && strings.HasPrefix(f.Type, "image/") || q.site.DecideFile(at, v, q.at).Outcome != access.Open || q.as != nil && !q.as.may(at) {
			continue
		}
		if paths = append(paths, at); len(paths) == mostFiles {
			break
		}
	}
	return paths
}

// nextChange is when a page opens or closes next to a visitor, and which of them; "" where that is
// not known, or the page hides from them.
func (q *request) nextChange(path string, v *access.Visitor) string {
	now := q.site.Decide(path, v, q.at).Outcome
	if now == access.Missing || now == access.Absent || now == access.Gone {
		return ""
	}
	moments := q.site.Instants(q.at)
	for _, at := range moments[:min(len(moments), mostInstants)] {
		if (q.site.Decide(path, v, at).Outcome == access.Open) != (now == access.Open) {
			return yesIf(now == access.Open) + " " + at.String()
		}
	}
	return ""
}

// shareable reports whether what was noted has the same answers for anybody: somebody who is nobody
// in particular, from whatever network.
func (q *request) shareable(list []house.Note) bool {
	if !q.site.Shareable(q.path, &q.visitor, q.at) {
		return false
	}
	if !q.site.AsksNetworks() {
		return true // the visitor is nobody in particular
	}
	for _, n := range list {
		if q.answer(n.Question, &access.Visitor{}) != n.Answer {
			return false
		}
	}
	return true
}

// inForce reports whether a house rule of a kind caps the site now.
func (q *request) inForce(kind string) bool {
	return slices.ContainsFunc(q.state.Policy.RulesInForce(q.address, q.at), func(r access.HouseRule) bool { return r.Rule == kind })
}
