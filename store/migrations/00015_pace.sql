-- +goose Up
-- Each statement can be run again.
-- How the picture of a source runs, where it does not run as recorded: JSON, or nothing.
ALTER TABLE sources
  ADD COLUMN IF NOT EXISTS pace_json VARCHAR(200) NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE sources DROP COLUMN IF EXISTS pace_json;
