-- +goose Up
-- A secret address at which somebody's calendar program reads what begins and ends.
CREATE TABLE calendar_addresses (
    who TEXT PRIMARY KEY,
    token BLOB NOT NULL UNIQUE,
    made INTEGER NOT NULL
) WITHOUT ROWID;

-- What somebody was reminded of, so that it is once.
CREATE TABLE reminded (
    who TEXT NOT NULL,
    what TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (who, what)
) WITHOUT ROWID;

-- How often somebody is reminded by mail, and when that was last.
CREATE TABLE reminders (
    who TEXT PRIMARY KEY,
    every TEXT NOT NULL,
    sent INTEGER NOT NULL DEFAULT 0
) WITHOUT ROWID;

-- What rounds found and somebody left as it is, until it changes.
CREATE TABLE left_as_is (
    finding TEXT PRIMARY KEY,
    site TEXT REFERENCES sites (id) ON DELETE CASCADE,
    state TEXT NOT NULL,
    title TEXT NOT NULL,
    who TEXT NOT NULL,
    at INTEGER NOT NULL,
    reason TEXT NOT NULL
) WITHOUT ROWID;

-- Since when a password or link is as it is, or a holding page is shown.
CREATE TABLE made (
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    thing TEXT NOT NULL,
    at INTEGER NOT NULL,
    PRIMARY KEY (site, thing)
) WITHOUT ROWID;

-- From how many places a link was followed: hashes, and no more than are of interest.
CREATE TABLE link_sources (
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    link TEXT NOT NULL,
    source BLOB NOT NULL,
    PRIMARY KEY (site, link, source)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE link_sources;
DROP TABLE made;
DROP TABLE left_as_is;
DROP TABLE reminders;
DROP TABLE reminded;
DROP TABLE calendar_addresses;
