-- +goose Up
-- A page is written in Markdown, or came as HTML that keeps its own look.
ALTER TABLE pages ADD COLUMN kind TEXT NOT NULL DEFAULT 'markdown';
ALTER TABLE edition_pages ADD COLUMN kind TEXT NOT NULL DEFAULT 'markdown';
