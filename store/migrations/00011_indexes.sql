-- +goose Up
-- What is asked of one site, one page or one person finds it without reading the others.
CREATE INDEX page_saves_at ON page_saves (site, page, at, who, version);
CREATE INDEX old_addresses_site ON old_addresses (site);
CREATE INDEX previews_site ON previews (site);
CREATE INDEX visits_site ON visits (site, who, expires);
CREATE INDEX ledger_who ON ledger (who_id, number);
CREATE INDEX ledger_kind ON ledger (kind, number);
