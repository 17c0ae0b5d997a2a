-- +goose Up
-- Each statement can be run again.
-- The folder that a source came from, as a group of the list: names parted by slashes.
ALTER TABLE sources
  ADD COLUMN IF NOT EXISTS folder VARCHAR(255) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE sources DROP COLUMN IF EXISTS folder;
