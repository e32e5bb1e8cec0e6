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

-- +goose Down
DROP TABLE page_unmerged;
