package account

import (
	"velada/console/web"
)

// accountRoutes lists the requests of this room.
func routes() []web.Route {
	return []web.Route{
		web.Get("/set-up", web.SetUp, showSetUp),
		web.Post("/set-up", web.SetUp, doSetUp),
		web.Get("/sign-in", web.Open, showSignIn),
		web.Post("/sign-in", web.Open, doSignIn),
		web.Post("/sign-in/go-on", web.Open, goOn),
		web.Get("/sign-in/with/:provider", web.Open, signInWith),
		web.Get("/tint/:site", web.Open, tint),
		web.Get("/sign-in/back", web.Open, backFrom),
		web.Post("/sign-in/passkey", web.Open, signInByPasskey),
		web.Post("/sign-in/passkey/ask", web.Open, askPasskey),
		web.Get("/forgot", web.Open, showForgot),
		web.Post("/forgot", web.Open, doForgot),
		web.Get("/by-mail/:token", web.Open, showByMail),
		web.Post("/by-mail/:token", web.Open, doByMail),
		web.Get("/second-step", web.Open, showSecond),
		web.Post("/second-step", web.Open, doSecond),
		web.Get("/first-password", web.Open, showFirstPassword),
		web.Post("/first-password", web.Open, doFirstPassword),
		web.Post("/sign-out", web.Open, signOut),
		web.Get("/account", web.SignedIn, account),
		web.Post("/account", web.SignedIn, doAccount),
		web.Post("/account/password", web.ProvenWithout, doPassword),
		web.Get("/again", web.SignedIn, showAgain),
		web.Post("/again", web.SignedIn, doAgain),
		web.Post("/account/second-step", web.Proven, doSetSecond),
		web.Post("/account/passkeys", web.Proven, keepPasskey),
		web.Post("/account/passkeys/ask", web.Proven, askNewPasskey),
		web.Post("/account/passkeys/drop", web.Proven, dropPasskey),
		web.Post("/account/browsers", web.SignedIn, endBrowser),
		web.Get("/notices", web.SignedIn, notices),
		web.Post("/notices", web.SignedIn, seeNotices),
	}
}
