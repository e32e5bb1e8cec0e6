-- +goose Up
-- The words of the ledger and of the outbox, to be searched.
CREATE VIRTUAL TABLE ledger_words USING fts5(who, site, what, content = 'ledger', content_rowid = 'number', columnsize = 0, tokenize = "unicode61 remove_diacritics 2");
INSERT INTO ledger_words (ledger_words) VALUES ('rebuild');
-- +goose StatementBegin
CREATE TRIGGER ledger_words_new AFTER INSERT ON ledger BEGIN
    INSERT INTO ledger_words (rowid, who, site, what) VALUES (new.number, new.who, new.site, new.what);
END;
-- +goose StatementEnd

CREATE VIRTUAL TABLE mails_words USING fts5(address, subject, content = 'mails', content_rowid = 'id', columnsize = 0, tokenize = "unicode61 remove_diacritics 2");
INSERT INTO mails_words (mails_words) VALUES ('rebuild');
-- +goose StatementBegin
CREATE TRIGGER mails_words_new AFTER INSERT ON mails BEGIN
    INSERT INTO mails_words (rowid, address, subject) VALUES (new.id, new.address, new.subject);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER mails_words_gone AFTER DELETE ON mails BEGIN
    INSERT INTO mails_words (mails_words, rowid, address, subject) VALUES ('delete', old.id, old.address, old.subject);
END;
-- +goose StatementEnd
-- +goose StatementBegin
CREATE TRIGGER mails_words_changed AFTER UPDATE OF address, subject ON mails BEGIN
    INSERT INTO mails_words (mails_words, rowid, address, subject) VALUES ('delete', old.id, old.address, old.subject);
    INSERT INTO mails_words (rowid, address, subject) VALUES (new.id, new.address, new.subject);
END;
-- +goose StatementEnd
CREATE INDEX mails_status ON mails (status, id);
ALTER TABLE profiles ADD COLUMN shows INTEGER NOT NULL DEFAULT 0; -- something of it, to other members
UPDATE profiles SET shows = coalesce(json_type(part, '$.shows') = 'object', 0);
CREATE INDEX profiles_shown ON profiles (site, person) WHERE shows;
CREATE INDEX comments_person ON comments (person, site);

-- +goose Down
DROP INDEX comments_person;
DROP INDEX profiles_shown;
ALTER TABLE profiles DROP COLUMN shows;
DROP INDEX mails_status;
DROP TRIGGER mails_words_changed;
DROP TRIGGER mails_words_gone;
DROP TRIGGER mails_words_new;
DROP TABLE mails_words;
DROP TRIGGER ledger_words_new;
DROP TABLE ledger_words;
