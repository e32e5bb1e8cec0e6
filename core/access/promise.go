package access

import (
	"slices"
	"strings"

	"github.com/RoaringBitmap/roaring/v2"
)

// Judgement is how a promise stands.
type Judgement struct {
	Promise *Promise
	Kept    bool
	Breaks  Breach // the first, where it is not kept
}

// Breach is where a promise is broken.
type Breach struct {
	At      Instant
	Path    string
	Who     string // an observer; person:ID where the promise speaks of a group
	Outcome Outcome
}

// Judge judges every promise of the document, now and for all the time ahead
// that the promise speaks of.
func (p *Policy) Judge(now Instant) []Judgement {
	list := make([]Judgement, len(p.doc.Promises))
	surveys := map[surveyKey]*surveyor{}
	for i := range p.doc.Promises {
		j := judge{policy: p, promise: &p.doc.Promises[i], site: p.sites[p.doc.Promises[i].Site], surveys: surveys}
		breach := j.first(now)
		list[i] = Judgement{Promise: j.promise, Kept: breach == nil}
		if breach != nil {
			list[i].Breaks = *breach
		}
	}
	return list
}

type surveyKey struct {
	site *CompiledSite
	at   Instant
}

type judge struct {
	policy  *Policy
	promise *Promise
	site    *CompiledSite
	surveys map[surveyKey]*surveyor
}

// first finds the first breach: by instant, then path, then person.
func (j *judge) first(now Instant) *Breach {
	paths := j.paths()
	for _, at := range j.instants(now) {
		for _, path := range paths {
			if b := j.at(path, at); b != nil {
				return b
			}
		}
	}
	return nil
}

func (j *judge) instants(now Instant) []Instant {
	start := now
	switch {
	case j.promise.At.set:
		return []Instant{j.promise.At}
	case j.promise.From.set:
		start = j.promise.From
	}
	instants := append([]Instant{start}, j.site.Instants(start)...)
	if group, ok := strings.CutPrefix(j.promise.Who, "group:"); ok { // who is meant changes too
		instants = append(instants, j.policy.groupByID[group].cuts...)
	}
	instants = slices.DeleteFunc(instants, func(t Instant) bool {
		return t.Before(start) || j.promise.Until.set && !t.Before(j.promise.Until)
	})
	return sortedCuts(instants)
}

func (j *judge) paths() []string {
	path := normal(j.promise.Path)
	if !j.promise.Below {
		return []string{path}
	}
	var paths []string
	for existing := range j.site.pages {
		if Covers(path, existing) {
			paths = append(paths, existing)
		}
	}
	slices.Sort(paths)
	return paths
}

func (j *judge) at(path string, at Instant) *Breach {
	mustOpen := j.promise.Must == "open"
	group, isGroup := strings.CutPrefix(j.promise.Who, "group:")
	if !isGroup {
		v, _ := j.policy.Observer(j.promise.Who) // validated before
		if d := j.site.Decide(path, &v, at); (d.Outcome == Open) != mustOpen {
			return &Breach{at, path, j.promise.Who, d.Outcome}
		}
		return nil
	}
	p, a := j.site.locate(path)
	breaking := j.survey(at).page(p, a)
	members := j.policy.groupByID[group].at(at)
	if mustOpen {
		breaking = roaring.AndNot(members, breaking)
	} else {
		breaking = roaring.And(members, breaking)
	}
	if breaking.IsEmpty() {
		return nil
	}
	i := breaking.Minimum()
	v := Visitor{Identity: Identity{i, aPerson, j.policy.people.address[i]}}
	return &Breach{at, path, "person:" + j.policy.people.entries[i].ID, j.site.Decide(path, &v, at).Outcome}
}

func (j *judge) survey(at Instant) *surveyor {
	k := surveyKey{j.site, at}
	if j.surveys[k] == nil {
		j.surveys[k] = j.site.survey(at)
	}
	return j.surveys[k]
}
