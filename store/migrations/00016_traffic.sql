-- +goose Up
-- What was asked of a site in an hour, by page, by whom as far as that is known, and what came of it.
-- Words are numbers here: they repeat.
CREATE TABLE traffic_words (
    id INTEGER PRIMARY KEY,
    word TEXT NOT NULL UNIQUE
);

CREATE TABLE traffic_hits (
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    hour INTEGER NOT NULL, -- since 1970, UTC
    page INTEGER NOT NULL,
    asker INTEGER NOT NULL,
    outcome INTEGER NOT NULL,
    reason INTEGER NOT NULL,
    n INTEGER NOT NULL,
    PRIMARY KEY (site, hour, page, asker, outcome, reason)
) WITHOUT ROWID;

-- Counts of a day: visits, sources, devices, statuses, searches, passwords and links by use.
CREATE TABLE traffic_days (
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    day INTEGER NOT NULL, -- since 1970, in the house's zone
    kind TEXT NOT NULL,
    name INTEGER NOT NULL,
    n INTEGER NOT NULL,
    PRIMARY KEY (site, day, kind, name)
) WITHOUT ROWID;

-- Visitors of today, by a hash under a key that is thrown away at night, with all of this.
CREATE TABLE traffic_today (
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    visitor INTEGER NOT NULL,
    began INTEGER NOT NULL, -- the visit that goes on
    last INTEGER NOT NULL,
    pages INTEGER NOT NULL,
    PRIMARY KEY (site, visitor)
) WITHOUT ROWID;

CREATE TABLE traffic_key (
    day INTEGER PRIMARY KEY,
    key BLOB NOT NULL
);

-- What a site chooses: whether people are counted by name, and how long what is kept.
CREATE TABLE traffic_choices (
    site TEXT PRIMARY KEY REFERENCES sites (id) ON DELETE CASCADE,
    names INTEGER NOT NULL,
    days INTEGER NOT NULL,
    months INTEGER NOT NULL
) WITHOUT ROWID;

-- Lines of other servers' logs that were read, by a mark, so that none counts twice.
CREATE TABLE traffic_lines (
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    hour INTEGER NOT NULL,
    marks BLOB NOT NULL,
    PRIMARY KEY (site, hour)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE traffic_lines;
DROP TABLE traffic_choices;
DROP TABLE traffic_key;
DROP TABLE traffic_today;
DROP TABLE traffic_days;
DROP TABLE traffic_hits;
DROP TABLE traffic_words;
