-- +goose Up
-- What a page says of itself in search results and where it is shared, where it says something of
-- its own: by the page's id, so that it moves along.
CREATE TABLE page_results (
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    page TEXT NOT NULL,
    title TEXT NOT NULL,
    description TEXT NOT NULL,
    shared TEXT NOT NULL, -- the path of a picture of the site
    PRIMARY KEY (site, page)
) WITHOUT ROWID;

-- Pages that the sitemap has, or had: until when, 0 where it has them still.
CREATE TABLE listed_pages (
    site TEXT NOT NULL REFERENCES sites (id) ON DELETE CASCADE,
    path TEXT NOT NULL,
    since INTEGER NOT NULL,
    until INTEGER NOT NULL,
    PRIMARY KEY (site, path)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE listed_pages;
DROP TABLE page_results;
