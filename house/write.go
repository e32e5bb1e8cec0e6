package house

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"time"

	"velada/core/access"
	"velada/store"
)

// finish compiles what a change has drafted, checks it, writes it, and reads what the
// state needs anew, in the transaction of the change.
func (tx *Tx) finish() error {
	drafted := tx.doc != nil || len(tx.order) > 0
	if drafted {
		then, err := tx.compile()
		if err != nil {
			return err
		}
		if tx.compiled && !tx.asCompiled() {
			return errLateDraft
		}
		if err := tx.asSeen(then); err != nil {
			return err
		}
		if err := tx.checkTeams(then); err != nil {
			return err
		}
		if err := tx.save(then.Document()); err != nil {
			return fmt.Errorf("writing the change: %w", err)
		}
	}
	if tx.settings != nil {
		if err := tx.house.Keys.saveSettings(tx.ctx, tx, *tx.settings); err != nil {
			return err
		}
	}
	if err := errors.Join(store.WriteLedger(tx.ctx, tx, tx.entries...), tx.saveLetters()); err != nil { // once their sites are there
		return err
	}
	if tx.anew {
		next, err := tx.house.load(tx.ctx, tx)
		if err != nil {
			return err
		}
		tx.next = next
	} else if err := tx.reread(drafted); err != nil {
		return err
	}
	return tx.clearBrowsers()
}

// errLateDraft says that a change wrote in a draft after it had been compiled.
var errLateDraft = errors.New("a draft was written in after it was compiled")

// checkTeams asks the rules about teams: nobody gives or takes what they lack, and a
// site and a house keep somebody to look after them.
func (tx *Tx) checkTeams(then *access.Policy) error {
	if tx.by.velada || tx.was == nil || tx.anyTeam {
		return nil
	}
	actor := tx.by
	if tx.teamBy != nil {
		actor = *tx.teamBy
	}
	by, at := tx.was.Identity(actor.Who), access.At(tx.at)
	if tx.doc == nil {
		for _, address := range tx.order {
			if err := tx.was.Policy.CheckTeam(then, address, by, at); err != nil {
				return err
			}
		}
		return nil
	}
	looksAfter := func(p access.Person) bool { return p.Steward && !p.Blocked }
	if slices.ContainsFunc(tx.was.Policy.Document().People, looksAfter) && !slices.ContainsFunc(tx.doc.People, looksAfter) {
		return access.TeamRefusal{Text: "The house would have no steward. Make somebody else one first."}
	}
	for _, site := range tx.doc.Sites {
		if err := tx.was.Policy.CheckTeam(then, site.Address, by, at); err != nil {
			return access.TeamRefusal{Text: cmp.Or(site.Title, site.Address) + ": " + err.Error()}
		}
	}
	return nil
}

// save writes what was drafted, as it was compiled.
func (tx *Tx) save(doc *access.Document) error {
	if tx.doc == nil {
		return tx.saveSites(doc)
	}
	before := &access.Document{}
	if tx.was != nil {
		before = tx.was.Policy.Document()
	}
	follow := followPeople(before, doc, tx.becomes)
	var err error
	if tx.whole {
		err = store.SaveDocument(tx.ctx, tx, doc)
	} else {
		err = store.SaveChanges(tx.ctx, tx, before, doc)
		tx.anew = tx.anew || slices.ContainsFunc(doc.Sites, func(s *access.Site) bool { return tx.was.ID(s.Address) == "" })
	}
	if err := errors.Join(err, follow.write(tx.ctx, tx)); err != nil {
		return err
	}
	tx.After(func() { follow.hold(tx.house) })
	if tx.anew {
		return nil
	}
	for _, id := range follow.commented { // comments are by people
		tx.Renew(id, Comments)
	}
	return nil
}

// saveSites writes the sites that were drafted, where nothing else was. A new one gets
// its id now.
func (tx *Tx) saveSites(doc *access.Document) error {
	before := tx.was.Policy.Document().Sites
	for _, address := range tx.order {
		at := func(s *access.Site) bool { return s.Address == address }
		i, is := slices.IndexFunc(before, at), doc.Sites[slices.IndexFunc(doc.Sites, at)]
		var members []access.Member
		if i < 0 {
			tx.anew, i = true, len(before)
		} else {
			members = before[i].Members
		}
		if err := store.SaveSiteOver(tx.ctx, tx, is, i, members); err != nil {
			return err
		}
	}
	return nil
}

// reread makes the next state of what was drafted and what is to be read anew.
func (tx *Tx) reread(drafted bool) error {
	if !drafted && len(tx.parts) == 0 && tx.settings == nil && len(tx.comments) == 0 {
		return nil
	}
	next := *tx.was
	if tx.doc != nil || tx.settings != nil { // it may show anywhere
		next = *tx.was.anew()
	}
	if drafted {
		next.Policy = tx.then
		if zone := tx.then.Document().House.Zone; zone != tx.was.Policy.Document().House.Zone {
			location, err := time.LoadLocation(zone)
			if err != nil {
				return err
			}
			next.Zone = location
		}
	}
	if tx.settings != nil {
		next.Settings = tx.settings
	}
	for _, address := range tx.order {
		if id := tx.was.ID(address); id != "" && tx.parts[id] == 0 {
			tx.Renew(id, PassesAndLinks)
		}
	}
	state := &next
	for id, parts := range tx.parts {
		was := state.sites[id]
		if was == nil {
			continue
		}
		site, err := was.reread(tx.ctx, tx, parts)
		if err != nil {
			return err
		}
		if parts != WorkingCopy || tx.sites[site.Address] != nil { // visitors meet it
			site.rendered = nil
		}
		state = state.with(site)
	}
	for id, written := range tx.commented() {
		if was := state.sites[id]; was != nil && tx.parts[id]&Comments == 0 {
			site := was.withComments(written)
			site.rendered = nil
			state = state.with(site)
		}
	}
	tx.next = state
	return nil
}

// commented returns the comments that were written, by site.
func (tx *Tx) commented() map[store.SiteID][]store.Comment {
	bySite := map[store.SiteID][]store.Comment{}
	for _, c := range tx.comments {
		bySite[c.Site] = append(bySite[c.Site], c)
	}
	return bySite
}
