-- +goose Up
-- Mail is tried for two days with growing pauses, and what the mail server said stands with it.
ALTER TABLE mails RENAME COLUMN trouble TO answer;
ALTER TABLE mails ADD COLUMN about TEXT NOT NULL DEFAULT '';     -- such as invitation:ID
ALTER TABLE mails ADD COLUMN first INTEGER NOT NULL DEFAULT 0;   -- tried, by the real clock
ALTER TABLE mails ADD COLUMN last INTEGER NOT NULL DEFAULT 0;
ALTER TABLE mails ADD COLUMN next INTEGER NOT NULL DEFAULT 0;
ALTER TABLE mails ADD COLUMN stripped INTEGER NOT NULL DEFAULT 0; -- its link was taken out: it is good for nothing any more
UPDATE mails SET stripped = 1 WHERE link IS NULL AND kind IN ('invitation', 'sign-in', 'reset', 'account');
DROP INDEX mails_waiting;
CREATE INDEX mails_waiting ON mails (next, id) WHERE status = 'waiting';
CREATE INDEX mails_about ON mails (about) WHERE about <> '';

-- +goose Down
DROP INDEX mails_about;
DROP INDEX mails_waiting;
CREATE INDEX mails_waiting ON mails (status) WHERE status = 'waiting';
ALTER TABLE mails DROP COLUMN stripped;
ALTER TABLE mails DROP COLUMN next;
ALTER TABLE mails DROP COLUMN last;
ALTER TABLE mails DROP COLUMN first;
ALTER TABLE mails DROP COLUMN about;
ALTER TABLE mails RENAME COLUMN answer TO trouble;
