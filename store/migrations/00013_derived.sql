-- +goose Up
-- Each statement can be run again.
-- The clips that a source was merged of: JSON, or nothing.
ALTER TABLE sources ADD COLUMN IF NOT EXISTS former_json LONGTEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE sources DROP COLUMN IF EXISTS former_json;
