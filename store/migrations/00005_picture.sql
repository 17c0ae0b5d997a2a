-- +goose Up
-- What sources of pictures show; a rate of 0 is of a source of sound.
ALTER TABLE sources
  ADD COLUMN IF NOT EXISTS tape VARCHAR(200) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS picture_num BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS picture_den BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS picture_drop BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS picture_frames BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS picture_width INT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS picture_height INT NOT NULL DEFAULT 0;

-- What holds clips of sound to their shots.
CREATE TABLE IF NOT EXISTS ties (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  shot BIGINT NOT NULL,
  clip BIGINT NOT NULL,
  sync BIGINT NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Pictures whose frames are in the library. A file may hold sound too; then it
-- is among the recordings as well.
CREATE TABLE IF NOT EXISTS pictures (
  hash CHAR(64) NOT NULL PRIMARY KEY,
  file_name VARCHAR(255) NOT NULL,
  format VARCHAR(255) NOT NULL,
  bytes BIGINT NOT NULL,
  rate_num BIGINT NOT NULL,
  rate_den BIGINT NOT NULL,
  rate_drop BOOLEAN NOT NULL,
  frames BIGINT NOT NULL,
  width INT NOT NULL,
  height INT NOT NULL,
  start_frame BIGINT NOT NULL,
  note VARCHAR(1000) NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS pictures, ties;
ALTER TABLE sources
  DROP COLUMN IF EXISTS tape, DROP COLUMN IF EXISTS picture_num, DROP COLUMN IF EXISTS picture_den, DROP COLUMN IF EXISTS picture_drop,
  DROP COLUMN IF EXISTS picture_frames, DROP COLUMN IF EXISTS picture_width, DROP COLUMN IF EXISTS picture_height;
