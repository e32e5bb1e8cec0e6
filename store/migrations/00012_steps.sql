-- +goose Up
CREATE TABLE first_steps (
    site TEXT PRIMARY KEY REFERENCES sites (id) ON DELETE CASCADE,
    purpose TEXT NOT NULL
) WITHOUT ROWID;

-- +goose Down
DROP TABLE first_steps;
