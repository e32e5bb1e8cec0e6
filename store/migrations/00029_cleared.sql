-- +goose Up
-- How often browsers were to forget what a host's pages had kept in them: when its code, its workers,
-- its server or its owner went, or when it became another site's.
CREATE TABLE cleared_hosts (
  host  TEXT PRIMARY KEY, -- a site's address in the house, or the name of a domain
  times INTEGER NOT NULL
) WITHOUT ROWID;
-- The passkey that a sign-in was made by.
ALTER TABLE signed_in ADD COLUMN passkey BLOB;
-- Which edition readers are being told of, and up to whom they were.
ALTER TABLE news_told ADD COLUMN telling INTEGER NOT NULL DEFAULT 0;
ALTER TABLE news_told ADD COLUMN upto TEXT NOT NULL DEFAULT '';
-- Rows of tables are found by their files: they are made searchable anew.
DELETE FROM site_search;
DELETE FROM site_searched;

-- +goose Down
DROP TABLE cleared_hosts;
ALTER TABLE signed_in DROP COLUMN passkey;
ALTER TABLE news_told DROP COLUMN telling;
ALTER TABLE news_told DROP COLUMN upto;
