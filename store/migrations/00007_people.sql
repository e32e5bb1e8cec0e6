-- +goose Up
-- Mail as it was written, whether or not it was sent.
CREATE TABLE mails (
  id      INTEGER PRIMARY KEY,
  at      INTEGER NOT NULL, -- unix seconds
  address TEXT NOT NULL,    -- to whom
  site    TEXT NOT NULL,    -- '' for the house
  kind    TEXT NOT NULL,
  subject TEXT NOT NULL,
  text    TEXT NOT NULL,
  html    TEXT NOT NULL,    -- the message alone, without what stands around it
  raw     BLOB NOT NULL,    -- as in RFC 5322
  status  TEXT NOT NULL CHECK (status IN ('kept', 'waiting', 'sent', 'failed', 'unreachable')),
  tries   INTEGER NOT NULL DEFAULT 0,
  trouble TEXT NOT NULL DEFAULT ''
);
CREATE INDEX mails_waiting ON mails (status) WHERE status = 'waiting';
CREATE TABLE settings (name TEXT PRIMARY KEY, value TEXT NOT NULL);
-- An invitation is to entries of teams that are not accepted yet.
CREATE TABLE invitations (
  id      TEXT PRIMARY KEY,
  address TEXT NOT NULL,        -- as addresses are compared
  by      TEXT NOT NULL,        -- the address of who invites
  at      INTEGER NOT NULL,     -- unix seconds
  ends    INTEGER NOT NULL,
  token   BLOB NOT NULL UNIQUE, -- SHA-256
  mailed  INTEGER NOT NULL,     -- the token was sent to the address and shown to nobody
  word    TEXT NOT NULL,
  stay    TEXT NOT NULL,        -- where a site is handed over: what becomes of who hands it over
  status  TEXT NOT NULL CHECK (status IN ('waiting', 'accepted', 'declined', 'withdrawn'))
);
CREATE TABLE invited (
  invitation TEXT NOT NULL REFERENCES invitations ON DELETE CASCADE,
  site       TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  under      TEXT NOT NULL,
  role       TEXT NOT NULL,
  PRIMARY KEY (invitation, site, under)
);
CREATE INDEX invited_site ON invited (site);
-- Why somebody is on a team.
CREATE TABLE team_reasons (
  site   TEXT NOT NULL REFERENCES sites ON DELETE CASCADE ON UPDATE CASCADE,
  who    TEXT NOT NULL, -- a person's id, group:ID or an address
  reason TEXT NOT NULL,
  PRIMARY KEY (site, who)
);
-- What somebody is told in the console.
CREATE TABLE notices (
  id      INTEGER PRIMARY KEY,
  address TEXT NOT NULL,
  at      INTEGER NOT NULL,
  site    TEXT NOT NULL,
  kind    TEXT NOT NULL,
  what    TEXT NOT NULL,
  url     TEXT NOT NULL,
  seen    INTEGER NOT NULL DEFAULT 0
);
CREATE INDEX notices_address ON notices (address, seen, id);
-- Single-use links that were sent by mail: each proves that its mailbox is read.
CREATE TABLE mail_links (
  token   BLOB PRIMARY KEY, -- SHA-256
  kind    TEXT NOT NULL,
  address TEXT NOT NULL,
  detail  TEXT NOT NULL,    -- JSON
  ends    INTEGER NOT NULL  -- unix seconds
);
CREATE TABLE passkeys (
  id         BLOB PRIMARY KEY,
  address    TEXT NOT NULL,
  name       TEXT NOT NULL,
  credential TEXT NOT NULL, -- JSON
  made       INTEGER NOT NULL,
  used       INTEGER NOT NULL
);
CREATE TABLE recovery_codes (
  address TEXT NOT NULL,
  code    BLOB NOT NULL, -- SHA-256
  PRIMARY KEY (address, code)
);
-- Where somebody is signed in on the console. The id is what the visits that
-- were handed over from there carry.
CREATE TABLE signed_in (
  id      TEXT PRIMARY KEY,
  address TEXT NOT NULL,
  device  TEXT NOT NULL,
  how     TEXT NOT NULL,
  began   INTEGER NOT NULL,
  used    INTEGER NOT NULL
);
CREATE INDEX signed_in_address ON signed_in (address);
CREATE INDEX visits_address ON visits (address);
ALTER TABLE accounts ADD COLUMN must_change INTEGER NOT NULL DEFAULT 0; -- the password is a first code
ALTER TABLE accounts ADD COLUMN totp TEXT NOT NULL DEFAULT '';          -- the secret of the second step
ALTER TABLE accounts ADD COLUMN totp_used INTEGER NOT NULL DEFAULT 0;   -- the last time step that was entered
ALTER TABLE accounts ADD COLUMN by_mail TEXT NOT NULL DEFAULT '[]';     -- kinds of notices that come by mail too
