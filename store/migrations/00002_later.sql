-- +goose Up
-- A rehearsal may wait to be applied by Velada itself; if that failed it says why.
ALTER TABLE rehearsals ADD COLUMN due INTEGER;   -- unix seconds
ALTER TABLE rehearsals ADD COLUMN trouble TEXT NOT NULL DEFAULT '';
