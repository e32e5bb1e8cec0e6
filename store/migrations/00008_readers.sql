-- +goose Up
-- Who keeps a group beside the stewards.
CREATE TABLE group_keepers (
  grp     TEXT NOT NULL,
  address TEXT NOT NULL,
  PRIMARY KEY (grp, address)
);
CREATE TABLE join_codes (
  code     TEXT PRIMARY KEY, -- as it is said
  grp      TEXT NOT NULL,
  by       TEXT NOT NULL,
  at       INTEGER NOT NULL,
  ends     INTEGER NOT NULL,
  most     INTEGER NOT NULL,
  used     INTEGER NOT NULL DEFAULT 0,
  approval INTEGER NOT NULL
);
CREATE TABLE join_requests (
  id       INTEGER PRIMARY KEY,
  grp      TEXT NOT NULL,
  address  TEXT NOT NULL,
  name     TEXT NOT NULL,
  password TEXT NOT NULL, -- of the account that is made; '' where there is one
  at       INTEGER NOT NULL,
  UNIQUE (grp, address)
);
-- What membership of a site is like, as JSON.
CREATE TABLE memberships (site TEXT PRIMARY KEY REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE, part TEXT NOT NULL);
-- What a member says of themself on one site, as JSON.
CREATE TABLE profiles (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  person  TEXT NOT NULL,
  part    TEXT NOT NULL,
  picture TEXT NOT NULL DEFAULT '', -- the key of its data
  kind    TEXT NOT NULL DEFAULT '',
  PRIMARY KEY (site, person)
);
-- Who was turned away and asks to be let in.
CREATE TABLE let_in_requests (
  id      INTEGER PRIMARY KEY,
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path    TEXT NOT NULL,
  address TEXT NOT NULL,
  word    TEXT NOT NULL,
  at      INTEGER NOT NULL,
  UNIQUE (site, address, path)
);
CREATE TABLE comments (
  id      INTEGER PRIMARY KEY,
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path    TEXT NOT NULL,
  person  TEXT NOT NULL,
  text    TEXT NOT NULL,
  at      INTEGER NOT NULL,
  changed INTEGER NOT NULL DEFAULT 0,
  status  TEXT NOT NULL CHECK (status IN ('held', 'shown', 'removed'))
);
CREATE INDEX comments_page ON comments (site, path, id);
