-- +goose Up
-- Pages of a working copy have an id of their own, so that a page that moved is
-- known again, and a version, so that nothing is overwritten unseen.
ALTER TABLE pages ADD COLUMN id TEXT NOT NULL DEFAULT '';
ALTER TABLE pages ADD COLUMN version INTEGER NOT NULL DEFAULT 1;
ALTER TABLE pages ADD COLUMN listing INTEGER NOT NULL DEFAULT 1;
ALTER TABLE pages ADD COLUMN saved_at INTEGER NOT NULL DEFAULT 0; -- unix seconds
ALTER TABLE pages ADD COLUMN saved_by TEXT NOT NULL DEFAULT '';
UPDATE pages SET id = lower(hex(randomblob(8)));
CREATE UNIQUE INDEX pages_id ON pages (site, id);
CREATE TABLE page_saves (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  page    TEXT NOT NULL,
  version INTEGER NOT NULL,
  at      INTEGER NOT NULL, -- unix seconds
  who     TEXT NOT NULL,
  title   TEXT NOT NULL,
  body    TEXT NOT NULL,
  PRIMARY KEY (site, page, version)
);
-- Files of working copies and editions share what they hold.
CREATE TABLE blobs (key TEXT PRIMARY KEY, data BLOB NOT NULL); -- SHA-256 of the data
CREATE TABLE files (
  site TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path TEXT NOT NULL,
  type TEXT NOT NULL,
  size INTEGER NOT NULL,
  blob TEXT NOT NULL REFERENCES blobs,
  PRIMARY KEY (site, path)
);
INSERT INTO blobs SELECT site || ' ' || number || ' ' || path, data FROM edition_files;
ALTER TABLE edition_files ADD COLUMN blob TEXT NOT NULL DEFAULT '';
ALTER TABLE edition_files ADD COLUMN size INTEGER NOT NULL DEFAULT 0;
UPDATE edition_files SET blob = site || ' ' || number || ' ' || path, size = length(data);
ALTER TABLE edition_files DROP COLUMN data;
ALTER TABLE edition_pages ADD COLUMN id TEXT NOT NULL DEFAULT '';
ALTER TABLE edition_pages ADD COLUMN listing INTEGER NOT NULL DEFAULT 1;
UPDATE edition_pages SET id = coalesce((SELECT id FROM pages WHERE pages.site = edition_pages.site AND pages.path = edition_pages.path), '');
ALTER TABLE sites ADD COLUMN live INTEGER; -- the number of the edition that visitors see
UPDATE sites SET live = (SELECT max(number) FROM editions WHERE site = address);
CREATE TABLE due_editions (
  site   TEXT PRIMARY KEY REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  number INTEGER NOT NULL,
  due    INTEGER NOT NULL, -- unix seconds
  who    TEXT NOT NULL
);
CREATE TABLE publish_requests (
  site TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  who  TEXT NOT NULL,
  note TEXT NOT NULL,
  at   INTEGER NOT NULL, -- unix seconds
  PRIMARY KEY (site, who)
);
-- Links by which somebody without an account looks at a working copy.
CREATE TABLE previews (
  id    TEXT PRIMARY KEY,
  site  TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  label TEXT NOT NULL,
  until INTEGER NOT NULL, -- unix seconds
  who   TEXT NOT NULL
);
CREATE TABLE old_addresses (
  address TEXT PRIMARY KEY,
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  since   INTEGER NOT NULL -- unix seconds
);
-- Where live pages stood before.
CREATE TABLE moved_pages (
  site TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path TEXT NOT NULL,
  page TEXT NOT NULL,
  PRIMARY KEY (site, path)
);
CREATE TABLE short_names (
  site TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  name TEXT NOT NULL,
  path TEXT NOT NULL,
  PRIMARY KEY (site, name)
);
CREATE TABLE site_details (
  site    TEXT PRIMARY KEY REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  details TEXT NOT NULL -- JSON
);
