-- +goose Up
-- What a page was called in the archive that it came from, and the head that it had there, so that it
-- goes out as it came in and relative links keep leading where they did.
ALTER TABLE pages ADD COLUMN file TEXT NOT NULL DEFAULT '';
ALTER TABLE pages ADD COLUMN head TEXT NOT NULL DEFAULT '';
ALTER TABLE edition_pages ADD COLUMN file TEXT NOT NULL DEFAULT '';
ALTER TABLE edition_pages ADD COLUMN head TEXT NOT NULL DEFAULT '';
DROP INDEX edition_pages_outline;
CREATE INDEX edition_pages_outline ON edition_pages (site, number, position, id, path, title, in_menu, listing, kind, mark, file);

-- +goose Down
DROP INDEX edition_pages_outline;
CREATE INDEX edition_pages_outline ON edition_pages (site, number, position, id, path, title, in_menu, listing, kind, mark);
ALTER TABLE edition_pages DROP COLUMN head;
ALTER TABLE edition_pages DROP COLUMN file;
ALTER TABLE pages DROP COLUMN head;
ALTER TABLE pages DROP COLUMN file;
