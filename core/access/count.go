package access

// CountWay is how many people of the house a way of this site lets in at an
// instant, were it the only one, whether or not it is in force by its own dates.
func (s *CompiledSite) CountWay(w Way, t Instant) int {
	w.From, w.Until = Instant{}, Instant{}
	return int(s.survey(t).satisfying([]*way{s.apart(&w)}).GetCardinality())
}
