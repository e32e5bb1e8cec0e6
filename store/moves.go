package store

import (
	"context"
	"fmt"
	"strings"
)

// pathsOf are the tables that keep something by the path of a page, and the column. A page that
// moves takes it along, see MovePaths.
var pathsOf = [][2]string{{"short_names", "path"}, {"let_in_requests", "path"}, {"invited", "under"}}

// underWay marks a path of a row that has been moved already, while others are not.
const underWay = "\x01"

// MovePaths moves along what is kept by the paths of a site, all at once: to returns where a path
// comes to be.
func MovePaths(ctx context.Context, q Queryer, site SiteID, to func(path string) string) error {
	for _, t := range pathsOf {
		if err := movePaths(ctx, q, t[0], t[1], site, to); err != nil {
			return err
		}
	}
	return nil
}

func movePaths(ctx context.Context, q Queryer, table, column string, site SiteID, to func(path string) string) error {
	paths, err := collect(ctx, q, scanText[string], `SELECT DISTINCT `+column+` FROM `+table+` WHERE site = ?`, site)
	if err != nil {
		return fmt.Errorf("reading where %s stand: %w", table, err)
	}
	for _, path := range paths {
		if moved := to(path); moved != path {
			if err := exec(ctx, q, `UPDATE OR IGNORE `+table+` SET `+column+` = ? WHERE site = ? AND `+column+` = ?`, underWay+moved, site, path); err != nil {
				return fmt.Errorf("moving %s: %w", table, err)
			}
		}
	}
	return exec(ctx, q, `UPDATE OR REPLACE `+table+` SET `+column+` = substr(`+column+`, 2) WHERE site = ? AND substr(`+column+`, 1, 1) = ?`, site, underWay)
}

// ofDeleted stands before the id of a deleted page, in place of the path of its comments.
const ofDeleted = "page:"

// OfDeleted is where comments of a page wait that is deleted; DeletedPage is the opposite, "" for a path.
func OfDeleted(page string) string { return ofDeleted + page }

// DeletedPage returns the id of the deleted page whose comments wait at a place; "" where it is a path.
func DeletedPage(at string) string {
	if page, is := strings.CutPrefix(at, ofDeleted); is {
		return page
	}
	return ""
}

// MoveComments moves the comments of a site along with their pages, all at once.
func MoveComments(ctx context.Context, q Queryer, site SiteID, to func(path string) string) error {
	return movePaths(ctx, q, "comments", "path", site, to)
}
