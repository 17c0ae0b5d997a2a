-- +goose Up
-- Each statement can be run again.
-- Points of gain lines: of a clip in the time of its source, of a track in that of the reel.
CREATE TABLE IF NOT EXISTS points (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  clip BIGINT NULL,
  track BIGINT NULL,
  at_sample BIGINT NOT NULL,
  db DOUBLE NOT NULL,
  eased BOOLEAN NOT NULL,
  duck VARCHAR(8) NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE,
  CONSTRAINT point_clip FOREIGN KEY (reel_id, clip) REFERENCES clips (reel_id, id),
  CONSTRAINT point_track FOREIGN KEY (reel_id, track) REFERENCES tracks (reel_id, id)
) ENGINE=InnoDB;

-- How a track was lowered under speech: JSON, or nothing.
ALTER TABLE tracks ADD COLUMN IF NOT EXISTS duck_json TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE tracks DROP COLUMN IF EXISTS duck_json;
DROP TABLE IF EXISTS points;
