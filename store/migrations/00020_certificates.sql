-- +goose Up
-- Certificates, their keys and the account at whoever issues them, each sealed by the house's keys.
CREATE TABLE certificates (
    name TEXT NOT NULL PRIMARY KEY, -- a path
    sealed TEXT NOT NULL,
    size INTEGER NOT NULL, -- of what is sealed, in bytes
    changed INTEGER NOT NULL
) WITHOUT ROWID;

-- +goose Down
DROP TABLE certificates;
