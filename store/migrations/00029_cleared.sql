-- +goose Up
-- How often browsers were to forget what a host's pages had kept in them: when its code, its workers,
-- its server or its owner went, or when it became another site's.
CREATE TABLE cleared_hosts (
  host  TEXT PRIMARY KEY, -- a site's address in the house, or the name of a domain
  times INTEGER NOT NULL
) WITHOUT ROWID;
-- The passkey that a sign-in was made by.
ALTER TABLE signed_in ADD COLUMN passkey BLOB;
-- Rows of tables are found by their files: they are made searchable anew.
DELETE FROM site_search;
DELETE FROM site_searched;

-- +goose Down
DROP TABLE cleared_hosts;
ALTER TABLE signed_in DROP COLUMN passkey;
