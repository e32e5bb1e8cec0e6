-- +goose Up
-- What a site looks like belongs to its editions, as its pages do; it was one colour that held at once.
ALTER TABLE editions ADD COLUMN look TEXT NOT NULL DEFAULT '{}';
CREATE TABLE looks ( -- of working copies
    site TEXT PRIMARY KEY REFERENCES sites (id) ON DELETE CASCADE,
    look TEXT NOT NULL
) WITHOUT ROWID;
UPDATE editions SET look = (SELECT json_object('colour', json_extract(d.details, '$.tint')) FROM site_details d WHERE d.site = editions.site)
    WHERE EXISTS (SELECT 1 FROM site_details d WHERE d.site = editions.site AND json_extract(d.details, '$.tint') <> '');
INSERT INTO looks (site, look)
    SELECT site, json_object('colour', json_extract(details, '$.tint')) FROM site_details WHERE json_extract(details, '$.tint') <> '';
UPDATE site_details SET details = json_remove(details, '$.tint');
-- Addresses elsewhere have a name and an icon.
UPDATE site_details SET details = json_set(json_remove(details, '$.profiles'), '$.links',
        json((SELECT json_group_array(json_object('url', value)) FROM json_each(site_details.details, '$.profiles'))))
    WHERE json_type(details, '$.profiles') = 'array';
-- What a picture or another file shows, for those who do not see it.
ALTER TABLE files ADD COLUMN text TEXT NOT NULL DEFAULT '';
ALTER TABLE edition_files ADD COLUMN text TEXT NOT NULL DEFAULT '';
-- Who is told of news of a site, and their own address of it. What somebody follows is a page, by its id.
CREATE TABLE readers (
    site   TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    who    TEXT NOT NULL,
    feed   BLOB,             -- SHA-256 of the secret in their own address; NULL is none
    news   INTEGER NOT NULL, -- of editions that change what they may read
    answer INTEGER NOT NULL, -- of answers to their comments
    PRIMARY KEY (site, who)
) WITHOUT ROWID;
CREATE UNIQUE INDEX readers_feed ON readers (feed) WHERE feed IS NOT NULL;
CREATE TABLE followed (
    site  TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    who   TEXT NOT NULL,
    page  TEXT NOT NULL,
    since INTEGER NOT NULL,
    PRIMARY KEY (site, who, page)
) WITHOUT ROWID;
CREATE INDEX followed_page ON followed (site, page);
CREATE INDEX readers_who ON readers (who);
CREATE INDEX followed_who ON followed (who);
CREATE TABLE news_told ( -- up to which edition readers were told
    site   TEXT PRIMARY KEY REFERENCES sites (id) ON DELETE CASCADE,
    number INTEGER NOT NULL
) WITHOUT ROWID;
ALTER TABLE comments ADD COLUMN answers INTEGER NOT NULL DEFAULT 0; -- the comment that it answers
ALTER TABLE comments ADD COLUMN told INTEGER NOT NULL DEFAULT 0; -- whoever wrote that was told, or is not to be
CREATE INDEX comments_answers ON comments (id) WHERE answers > 0 AND NOT told AND status = 'shown';

-- +goose Down
DROP INDEX comments_answers;
ALTER TABLE comments DROP COLUMN told;
ALTER TABLE comments DROP COLUMN answers;
DROP TABLE news_told;
DROP TABLE followed;
DROP TABLE readers;
ALTER TABLE edition_files DROP COLUMN text;
ALTER TABLE files DROP COLUMN text;
DROP TABLE looks;
ALTER TABLE editions DROP COLUMN look;
