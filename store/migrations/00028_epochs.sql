-- +goose Up
-- How often what an account signs in by was set anew: whatever is half done belongs to one epoch.
ALTER TABLE accounts ADD COLUMN epoch INTEGER NOT NULL DEFAULT 0;
-- Who made the first code that an account has, and as a manager of which group; '' for a steward.
ALTER TABLE accounts ADD COLUMN slip_by TEXT NOT NULL DEFAULT '';
ALTER TABLE accounts ADD COLUMN slip_group TEXT NOT NULL DEFAULT '';
-- Whom a provider means by a subject: an address alone may be somebody else's there by now.
CREATE TABLE provider_subjects (
  issuer  TEXT NOT NULL,
  subject TEXT NOT NULL,
  who     TEXT NOT NULL,
  since   INTEGER NOT NULL, -- unix seconds
  PRIMARY KEY (issuer, subject)
) WITHOUT ROWID;
CREATE INDEX provider_subjects_who ON provider_subjects (who);
-- Words are kept by edition: they are made anew.
DELETE FROM site_search;
DELETE FROM site_searched;

-- +goose Down
ALTER TABLE accounts DROP COLUMN epoch;
ALTER TABLE accounts DROP COLUMN slip_by;
ALTER TABLE accounts DROP COLUMN slip_group;
DROP TABLE provider_subjects;
