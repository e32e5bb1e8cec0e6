package console

// rooms lists the requests of all rooms.
func rooms() [][]Route {
	return [][]Route{
		accountRoutes(), overviewRoutes(), doorRoutes(), pagesRoutes(), listingRoutes(), membersRoutes(), teamRoutes(), peopleRoutes(), settingsRoutes(),
	}
}
