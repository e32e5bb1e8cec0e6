-- +goose Up
-- Domains of sites' owners. A site may ask for one that another asks for too; just one has it
-- once it is proven.
CREATE TABLE domains (
    name TEXT NOT NULL, -- its ASCII form
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    token TEXT NOT NULL, -- what the proving record says
    main INTEGER NOT NULL DEFAULT 0, -- the other addresses of the site lead here
    added INTEGER NOT NULL,
    proven INTEGER NOT NULL DEFAULT 0, -- since when; 0 is not
    looked INTEGER NOT NULL DEFAULT 0, -- when its name servers were asked last
    next INTEGER NOT NULL DEFAULT 0, -- when they are asked again
    seen TEXT NOT NULL DEFAULT '{}', -- what they said, see domain.Found
    PRIMARY KEY (name, site)
) WITHOUT ROWID;
CREATE UNIQUE INDEX domains_proven ON domains (name) WHERE proven > 0;
CREATE UNIQUE INDEX domains_main ON domains (site) WHERE main > 0;
CREATE INDEX domains_site ON domains (site);

-- +goose Down
DROP TABLE domains;
