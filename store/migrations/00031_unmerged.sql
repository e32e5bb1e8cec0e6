-- +goose Up
-- What somebody wrote on a page that could not be put together with what others saved meanwhile.
CREATE TABLE page_unmerged (
  id    INTEGER PRIMARY KEY,
  site  TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
  page  TEXT NOT NULL,
  at    INTEGER NOT NULL, -- unix seconds
  who   TEXT NOT NULL,
  title TEXT NOT NULL,
  body  TEXT NOT NULL
);
CREATE INDEX page_unmerged_page ON page_unmerged (site, page, id);
CREATE INDEX page_unmerged_who ON page_unmerged (who);
-- Data of an archive that is being taken in, which nothing names yet.
CREATE TABLE held_blobs (
  blob    TEXT NOT NULL,
  archive TEXT NOT NULL,  -- a name for one
  until   INTEGER NOT NULL, -- unix seconds: what is left of one that was broken off
  PRIMARY KEY (blob, archive)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE held_blobs;
DROP TABLE page_unmerged;
