-- +goose Up
-- A mark of what a page says, and indexes that hold all that is read at the start:
-- a large house then starts without reading a single page.
ALTER TABLE pages ADD COLUMN mark TEXT NOT NULL DEFAULT '';
ALTER TABLE edition_pages ADD COLUMN mark TEXT NOT NULL DEFAULT '';
UPDATE edition_pages SET mark = lower(hex(randomblob(16)));
UPDATE pages SET mark = coalesce((SELECT e.mark FROM edition_pages e JOIN sites s ON s.address = e.site AND s.live = e.number
  WHERE e.site = pages.site AND e.id = pages.id AND e.title = pages.title AND e.body = pages.body), lower(hex(randomblob(16))));
CREATE INDEX pages_outline ON pages (site, position, id, path, title, in_menu, listing, mark);
CREATE INDEX pages_marks ON pages (site, id, mark);
CREATE INDEX edition_pages_outline ON edition_pages (site, number, position, id, path, title, in_menu, listing, kind, mark);
CREATE INDEX edition_pages_marks ON edition_pages (site, number, id, path, in_menu, listing, mark);
