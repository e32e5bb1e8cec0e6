-- +goose Up
-- How often what an account signs in by was set anew: whatever is half done belongs to one epoch.
ALTER TABLE accounts ADD COLUMN epoch INTEGER NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE accounts DROP COLUMN epoch;
