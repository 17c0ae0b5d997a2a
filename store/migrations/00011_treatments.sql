-- +goose Up
-- Each statement can be run again.
-- What is done to the sound of clips and tracks.
CREATE TABLE IF NOT EXISTS treatments (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  clip BIGINT NULL,
  track BIGINT NULL,
  alone BOOLEAN NOT NULL,
  bypassed BOOLEAN NOT NULL,
  settings_json TEXT NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE,
  CONSTRAINT treatment_clip FOREIGN KEY (reel_id, clip) REFERENCES clips (reel_id, id),
  CONSTRAINT treatment_track FOREIGN KEY (reel_id, track) REFERENCES tracks (reel_id, id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS treatments;
