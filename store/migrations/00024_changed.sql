-- +goose Up
-- When what a page says was changed last, as far as editions go.
ALTER TABLE edition_pages ADD COLUMN changed INTEGER NOT NULL DEFAULT 0;
CREATE TEMP TABLE said AS SELECT p.site, p.id, p.mark, MIN(e.at) AS at FROM edition_pages p JOIN editions e ON e.site = p.site AND e.number = p.number GROUP BY p.site, p.id, p.mark;
UPDATE edition_pages SET changed = said.at FROM said WHERE said.site = edition_pages.site AND said.id = edition_pages.id AND said.mark = edition_pages.mark;
DROP TABLE said;
DROP INDEX edition_pages_outline;
CREATE INDEX edition_pages_outline ON edition_pages (site, number, position, id, path, title, in_menu, listing, kind, mark, file, changed);

-- +goose Down
DROP INDEX edition_pages_outline;
CREATE INDEX edition_pages_outline ON edition_pages (site, number, position, id, path, title, in_menu, listing, kind, mark, file);
ALTER TABLE edition_pages DROP COLUMN changed;
