package console

// settingsRoutes lists the requests of this room.
func settingsRoutes() []Route {
	return []Route{
		{"GET", "/ledger", SignedIn, (*Console).ledger},
		{"GET", "/outbox", SignedIn, (*Console).outbox},
		{"GET", "/outbox/:id", SignedIn, (*Console).outbox},
		{"GET", "/outbox/:id/eml", SignedIn, (*Console).mailFile},
		{"GET", "/house-rules", SignedIn, (*Console).houseRules},
		{"POST", "/house-rules/second-step", SignedIn, (*Console).doSecondStepRule},
		{"POST", "/house-rules/no-mail", SignedIn, (*Console).doNoMail},
		{"POST", "/house-rules/mail", SignedIn, (*Console).doMailServer},
		{"POST", "/house-rules/providers", SignedIn, (*Console).doProvider},
		{"GET", "/sites/:site/ledger", WholeSite, (*Console).siteLedger},
	}
}
