-- +goose Up
-- Who set a house rule, when and why; and who asks for an exception for a site.
CREATE TABLE rule_notes (
    rule TEXT PRIMARY KEY,
    who TEXT NOT NULL,
    at INTEGER NOT NULL,
    reason TEXT NOT NULL
) WITHOUT ROWID;

CREATE TABLE exceptions (
    id INTEGER PRIMARY KEY,
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    rule TEXT NOT NULL,
    who TEXT NOT NULL,
    word TEXT NOT NULL,
    at INTEGER NOT NULL,
    UNIQUE (site, rule, who)
);

-- +goose Down
DROP TABLE exceptions;
DROP TABLE rule_notes;
