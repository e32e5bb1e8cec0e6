-- +goose Up
-- What the columns of rosters were said to be, by what they are called.
CREATE TABLE roster_columns (
    columns TEXT NOT NULL PRIMARY KEY, -- their names, hashed
    fields TEXT NOT NULL,              -- JSON: one for each
    used INTEGER NOT NULL
) WITHOUT ROWID;

-- +goose Down
DROP TABLE roster_columns;
