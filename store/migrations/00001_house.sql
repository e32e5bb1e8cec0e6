-- +goose Up
CREATE TABLE house (
  one     INTEGER PRIMARY KEY CHECK (one = 1),
  name    TEXT NOT NULL,
  zone    TEXT NOT NULL,
  domains TEXT NOT NULL -- JSON list
);
CREATE TABLE people (
  id       TEXT PRIMARY KEY,
  position INTEGER NOT NULL,
  name     TEXT NOT NULL,
  address  TEXT NOT NULL,
  steward  INTEGER NOT NULL DEFAULT 0,
  blocked  INTEGER NOT NULL DEFAULT 0
);
-- Groups, house rules, promises and sites are parts of the policy document,
-- kept in its own form so that the round trip loses nothing.
CREATE TABLE groups   (id TEXT PRIMARY KEY, position INTEGER NOT NULL, part TEXT NOT NULL);
CREATE TABLE rules    (id TEXT PRIMARY KEY, position INTEGER NOT NULL, part TEXT NOT NULL);
CREATE TABLE promises (id TEXT PRIMARY KEY, position INTEGER NOT NULL, part TEXT NOT NULL);
CREATE TABLE sites    (address TEXT PRIMARY KEY, position INTEGER NOT NULL, part TEXT NOT NULL, salt BLOB NOT NULL);
CREATE TABLE members (
  site     TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  person   TEXT NOT NULL REFERENCES people,
  position INTEGER NOT NULL,
  status   TEXT NOT NULL,
  PRIMARY KEY (site, person)
);
CREATE TABLE pass_secrets (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  pass    TEXT NOT NULL,
  version INTEGER NOT NULL,
  hash    BLOB NOT NULL, -- argon2id under the site's salt
  weak    INTEGER NOT NULL DEFAULT 0,
  uses    INTEGER NOT NULL DEFAULT 0,
  used_at INTEGER, -- unix seconds
  PRIMARY KEY (site, pass)
);
CREATE TABLE secrets (name TEXT PRIMARY KEY, value BLOB NOT NULL);
CREATE TABLE accounts (
  address  TEXT PRIMARY KEY, -- as addresses are compared
  name     TEXT NOT NULL,
  password TEXT NOT NULL     -- argon2id, in the PHC string format
);
CREATE TABLE sessions (token TEXT PRIMARY KEY, data BLOB NOT NULL, expiry REAL NOT NULL);
CREATE INDEX sessions_expiry ON sessions (expiry);
-- Who is signed in on a site's own host, handed over by a ticket.
CREATE TABLE visits (
  token   BLOB PRIMARY KEY, -- SHA-256 of the cookie's value
  site    TEXT NOT NULL,
  address TEXT NOT NULL,
  console TEXT NOT NULL,    -- the console session it was handed over from
  expires INTEGER NOT NULL  -- unix seconds
);
CREATE TABLE pages (
  site     TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  path     TEXT NOT NULL,
  title    TEXT NOT NULL,
  body     TEXT NOT NULL, -- Markdown
  position INTEGER NOT NULL,
  in_menu  INTEGER NOT NULL,
  PRIMARY KEY (site, path)
);
CREATE TABLE editions (
  site   TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  number INTEGER NOT NULL,
  at     INTEGER NOT NULL, -- unix seconds
  who    TEXT NOT NULL,
  note   TEXT NOT NULL,
  PRIMARY KEY (site, number)
);
CREATE TABLE edition_pages (
  site     TEXT NOT NULL,
  number   INTEGER NOT NULL,
  path     TEXT NOT NULL,
  title    TEXT NOT NULL,
  body     TEXT NOT NULL,
  html     TEXT NOT NULL, -- rendered and sanitised
  position INTEGER NOT NULL,
  in_menu  INTEGER NOT NULL,
  PRIMARY KEY (site, number, path),
  FOREIGN KEY (site, number) REFERENCES editions ON DELETE CASCADE ON UPDATE CASCADE
);
CREATE TABLE edition_files (
  site   TEXT NOT NULL,
  number INTEGER NOT NULL,
  path   TEXT NOT NULL,
  type   TEXT NOT NULL,
  data   BLOB NOT NULL,
  PRIMARY KEY (site, number, path),
  FOREIGN KEY (site, number) REFERENCES editions ON DELETE CASCADE ON UPDATE CASCADE
);
CREATE TABLE rehearsals (
  site    TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  who     TEXT NOT NULL, -- the address of the one whose tray it is
  base    TEXT NOT NULL, -- the site as it was when the rehearsal began
  draft   TEXT NOT NULL, -- the site as it would be
  secrets TEXT NOT NULL, -- JSON: new passes by id
  PRIMARY KEY (site, who)
);
CREATE TABLE ledger (
  number  INTEGER PRIMARY KEY,
  at      TEXT NOT NULL, -- RFC 3339
  who     TEXT NOT NULL, -- an address, or velada
  site    TEXT NOT NULL, -- '' for the house
  kind    TEXT NOT NULL,
  what    TEXT NOT NULL, -- one sentence
  before  TEXT NOT NULL,
  after   TEXT NOT NULL,
  earlier TEXT NOT NULL, -- the hash of the entry before
  hash    TEXT NOT NULL
);
