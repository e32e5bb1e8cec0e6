-- +goose Up
-- A link's token is derived from the installation's own key, the link and its
-- version, so that it can be shown again and moved on.
CREATE TABLE link_uses (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  link    TEXT NOT NULL,
  version INTEGER NOT NULL DEFAULT 1,
  uses    INTEGER NOT NULL DEFAULT 0,
  used_at INTEGER, -- unix seconds
  PRIMARY KEY (site, link)
);
-- What a site's holding page says and how it looks; whether it stands is in the
-- site's policy.
CREATE TABLE holding_pages (
  site         TEXT PRIMARY KEY REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  design       TEXT NOT NULL,
  heading      TEXT NOT NULL,
  words        TEXT NOT NULL,
  contact      TEXT NOT NULL,
  countdown    INTEGER NOT NULL,
  html         TEXT NOT NULL, -- design own: a whole page of their own
  picture      BLOB,
  picture_type TEXT NOT NULL
);
