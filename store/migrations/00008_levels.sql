-- +goose Up
-- Each statement can be run again.
-- How a stereo clip lies between its sides.
ALTER TABLE clips
  ADD COLUMN IF NOT EXISTS balance DOUBLE NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS right_db DOUBLE NOT NULL DEFAULT 0;

-- +goose Down
ALTER TABLE clips DROP COLUMN IF EXISTS balance, DROP COLUMN IF EXISTS right_db;
