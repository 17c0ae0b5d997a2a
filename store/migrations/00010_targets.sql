-- +goose Up
-- Each statement can be run again.
-- How loud a reel is to be: JSON, or nothing for what is usual.
ALTER TABLE reels ADD COLUMN IF NOT EXISTS target_json TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE reels DROP COLUMN IF EXISTS target_json;
