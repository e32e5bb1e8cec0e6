package console

// accountRoutes lists the requests of this room.
func accountRoutes() []Route {
	return []Route{
		{"GET", "/set-up", SetUp, (*Console).showSetUp},
		{"POST", "/set-up", SetUp, (*Console).doSetUp},
		{"GET", "/sign-in", Open, (*Console).showSignIn},
		{"POST", "/sign-in", Open, (*Console).doSignIn},
		{"GET", "/sign-in/with/:provider", Open, (*Console).signInWith},
		{"GET", "/tint/:site", Open, (*Console).tint},
		{"GET", "/sign-in/back", Open, (*Console).backFrom},
		{"POST", "/sign-in/passkey", Open, (*Console).signInByPasskey},
		{"POST", "/sign-in/passkey/ask", Open, (*Console).askPasskey},
		{"GET", "/forgot", Open, (*Console).showForgot},
		{"POST", "/forgot", Open, (*Console).doForgot},
		{"GET", "/by-mail/:token", Open, (*Console).showByMail},
		{"POST", "/by-mail/:token", Open, (*Console).doByMail},
		{"GET", "/second-step", Open, (*Console).showSecond},
		{"POST", "/second-step", Open, (*Console).doSecond},
		{"GET", "/first-password", Open, (*Console).showFirstPassword},
		{"POST", "/first-password", Open, (*Console).doFirstPassword},
		{"POST", "/sign-out", Open, (*Console).signOut},
		{"GET", "/account", SignedIn, (*Console).account},
		{"POST", "/account", SignedIn, (*Console).doAccount},
		{"POST", "/account/password", ProvenWithout, (*Console).doPassword},
		{"GET", "/again", SignedIn, (*Console).showAgain},
		{"POST", "/again", SignedIn, (*Console).doAgain},
		{"POST", "/account/second-step", Proven, (*Console).doSetSecond},
		{"POST", "/account/passkeys", Proven, (*Console).keepPasskey},
		{"POST", "/account/passkeys/ask", Proven, (*Console).askNewPasskey},
		{"POST", "/account/passkeys/drop", Proven, (*Console).dropPasskey},
		{"POST", "/account/browsers", SignedIn, (*Console).endBrowser},
		{"GET", "/notices", SignedIn, (*Console).notices},
		{"POST", "/notices", SignedIn, (*Console).seeNotices},
	}
}
