-- +goose Up
-- A site has an id that never changes; its address may, and may come back as
-- another site's. What hangs on a site hangs on the id: the tables that refer to
-- sites follow the change of its key.
ALTER TABLE sites RENAME COLUMN address TO id;
ALTER TABLE sites ADD COLUMN address TEXT NOT NULL DEFAULT '';
UPDATE sites SET address = id;
UPDATE sites SET id = lower(hex(randomblob(8)));
CREATE UNIQUE INDEX sites_address ON sites (address);
DELETE FROM visits WHERE site NOT IN (SELECT address FROM sites);
UPDATE visits SET site = (SELECT id FROM sites WHERE address = visits.site);
-- The ledger keeps the address that a site had when an entry was written; which
-- site that was stands beside it, and is sealed in the entries from here on.
ALTER TABLE ledger ADD COLUMN site_id TEXT NOT NULL DEFAULT '';
ALTER TABLE ledger ADD COLUMN who_id TEXT NOT NULL DEFAULT ''; -- who an entry is by, likewise
ALTER TABLE ledger ADD COLUMN sealed INTEGER NOT NULL DEFAULT 0; -- the seal covers site_id and who_id
UPDATE ledger SET site_id = coalesce((SELECT id FROM sites WHERE address = ledger.site), (SELECT site FROM old_addresses WHERE address = ledger.site), '')
  WHERE site <> '' AND number >= coalesce((SELECT max(made.number) FROM ledger made WHERE made.site = ledger.site AND made.kind = 'site'), 0);
CREATE INDEX ledger_site ON ledger (site_id, number);
-- An account, and all that somebody has, is theirs by an id that never changes: a
-- person's, or the address of somebody who is nobody of the house. Migration 10
-- puts ids in the place of addresses.
ALTER TABLE people ADD COLUMN former TEXT NOT NULL DEFAULT '[]'; -- JSON list of the addresses that they had before
ALTER TABLE accounts RENAME COLUMN address TO who;
ALTER TABLE passkeys RENAME COLUMN address TO who;
ALTER TABLE recovery_codes RENAME COLUMN address TO who;
ALTER TABLE signed_in RENAME COLUMN address TO who;
ALTER TABLE visits RENAME COLUMN address TO who;
ALTER TABLE group_keepers RENAME COLUMN address TO who;
ALTER TABLE notices RENAME COLUMN address TO who;
ALTER TABLE invitations RENAME COLUMN address TO who;
ALTER TABLE let_in_requests RENAME COLUMN address TO who;
ALTER TABLE join_requests RENAME COLUMN address TO who; -- with a password: the address that is made for them
CREATE INDEX passkeys_who ON passkeys (who);
ALTER TABLE passkeys ADD COLUMN handle BLOB NOT NULL DEFAULT x''; -- by which a browser tells whose it is
ALTER TABLE accounts ADD COLUMN wrong_codes INTEGER NOT NULL DEFAULT 0; -- wrong codes of the second step in a row
ALTER TABLE accounts ADD COLUMN began_in TEXT NOT NULL DEFAULT '';      -- the group in which the account began
ALTER TABLE accounts ADD COLUMN signed_in INTEGER NOT NULL DEFAULT 1;   -- somebody has signed in with a password of their own
UPDATE accounts SET signed_in = 0 WHERE must_change = 1;
-- By which it is seen that a password opens passes of several sites: argon2id under a salt of the house.
ALTER TABLE pass_secrets ADD COLUMN reuse BLOB NOT NULL DEFAULT x'';
ALTER TABLE house ADD COLUMN salt BLOB NOT NULL DEFAULT x'';
UPDATE house SET salt = randomblob(16);
-- What names data is found by their key.
CREATE INDEX files_blob ON files (blob);
CREATE INDEX edition_files_blob ON edition_files (blob);
CREATE INDEX profiles_picture ON profiles (picture) WHERE picture <> '';
CREATE INDEX site_details_icon ON site_details (json_extract(details, '$.icon'));
-- The hash of the secret in the link of a letter, while it is in there.
ALTER TABLE mails ADD COLUMN link BLOB;
CREATE INDEX mails_link ON mails (link) WHERE link IS NOT NULL;
-- Browsers in which somebody has signed in before: their tries are not slowed by others'.
CREATE TABLE known_browsers (
  who   TEXT NOT NULL,
  token BLOB NOT NULL, -- SHA-256 of the cookie's value
  used  INTEGER NOT NULL,
  PRIMARY KEY (who, token)
);
