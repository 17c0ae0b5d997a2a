-- +goose Up
-- Struck spans, in the time of their clip's source. A cover of 0 is none.
CREATE TABLE IF NOT EXISTS strikes (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  clip BIGINT NOT NULL,
  from_sample BIGINT NOT NULL,
  to_sample BIGINT NOT NULL,
  fall_length BIGINT NOT NULL,
  fall_shape VARCHAR(20) NOT NULL,
  fall_bend DOUBLE NOT NULL,
  rise_length BIGINT NOT NULL,
  rise_shape VARCHAR(20) NOT NULL,
  rise_bend DOUBLE NOT NULL,
  lower_db DOUBLE NOT NULL,
  cover BIGINT NOT NULL,
  cover_db DOUBLE NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Stretches of recordings kept as samples of their room.
CREATE TABLE IF NOT EXISTS swatches (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  source BIGINT NOT NULL,
  from_sample BIGINT NOT NULL,
  to_sample BIGINT NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- How a source is grown that is room tone; empty for recordings as they are.
ALTER TABLE sources ADD COLUMN IF NOT EXISTS bed_json TEXT NOT NULL DEFAULT '';

-- +goose Down
ALTER TABLE sources DROP COLUMN IF EXISTS bed_json;
DROP TABLE IF EXISTS swatches, strikes;
