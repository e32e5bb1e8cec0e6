-- +goose Up
-- The words of live editions, page by page and row by row of their tables, to be searched.
-- site is searched as a word of its own.
CREATE VIRTUAL TABLE site_search USING fts5(
    site, path UNINDEXED, records UNINDEXED, title, words,
    prefix = '2 3', tokenize = "unicode61 remove_diacritics 2"
);

CREATE TABLE site_searched (
    site TEXT PRIMARY KEY REFERENCES sites (id) ON DELETE CASCADE,
    number INTEGER NOT NULL -- of the edition whose words those are
) WITHOUT ROWID;

-- +goose StatementBegin
CREATE TRIGGER site_search_gone AFTER DELETE ON sites BEGIN
    DELETE FROM site_search WHERE site_search MATCH '{site} : "' || old.id || '"';
END;
-- +goose StatementEnd

-- +goose Down
DROP TRIGGER site_search_gone;
DROP TABLE site_searched;
DROP TABLE site_search;
