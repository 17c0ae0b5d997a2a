-- +goose Up
-- Each statement can be run again.
-- The clips that a source was merged of, and of what it is a copy at another
-- speed: JSON, or nothing.
ALTER TABLE sources
  ADD COLUMN IF NOT EXISTS former_json LONGTEXT NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS fit_json TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE sources DROP COLUMN IF EXISTS former_json, DROP COLUMN IF EXISTS fit_json;
