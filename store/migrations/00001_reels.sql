-- +goose Up
-- Every statement of these files can be run again: MariaDB commits each change of
-- a table by itself, and a start that was cut off between two begins the file anew.
CREATE TABLE IF NOT EXISTS reels (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  sample_rate INT NOT NULL,
  fps_num INT NOT NULL,
  fps_den INT NOT NULL,
  fps_drop BOOLEAN NOT NULL,
  start_frame BIGINT NOT NULL,
  next_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  made_at DATETIME(3) NOT NULL,
  changed_at DATETIME(3) NOT NULL,
  removed_at DATETIME(3) NULL
) ENGINE=InnoDB;

-- One row for each working copy: a recording at a sample rate.
CREATE TABLE IF NOT EXISTS recordings (
  hash CHAR(64) NOT NULL,
  rate INT NOT NULL,
  file_name VARCHAR(255) NOT NULL,
  format VARCHAR(80) NOT NULL,
  bytes BIGINT NOT NULL,
  native_rate INT NOT NULL,
  channels INT NOT NULL,
  length BIGINT NOT NULL,
  missing BIGINT NOT NULL,
  bad BIGINT NOT NULL,
  start_tc BIGINT NOT NULL,
  made_at DATETIME(3) NOT NULL,
  PRIMARY KEY (hash, rate)
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS tracks (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  role VARCHAR(20) NOT NULL,
  place INT NOT NULL,
  gain_db DOUBLE NOT NULL,
  pan DOUBLE NOT NULL,
  mute BOOLEAN NOT NULL,
  solo BOOLEAN NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS sources (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  recording CHAR(64) NOT NULL,
  name VARCHAR(200) NOT NULL,
  ch_left INT NOT NULL,
  ch_right INT NOT NULL,
  length BIGINT NOT NULL,
  start_tc BIGINT NOT NULL,
  unlisted BOOLEAN NOT NULL,
  PRIMARY KEY (reel_id, id),
  KEY (recording),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS clips (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  track BIGINT NOT NULL,
  source BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  start BIGINT NOT NULL,
  source_offset BIGINT NOT NULL,
  length BIGINT NOT NULL,
  gain_db DOUBLE NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- A clip's end without a row has no fade.
CREATE TABLE IF NOT EXISTS fades (
  reel_id BIGINT NOT NULL,
  clip BIGINT NOT NULL,
  side ENUM('head','tail') NOT NULL,
  length BIGINT NOT NULL,
  shape VARCHAR(20) NOT NULL,
  bend DOUBLE NOT NULL,
  PRIMARY KEY (reel_id, clip, side),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS blends (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  left_clip BIGINT NOT NULL,
  right_clip BIGINT NOT NULL,
  before_cut BIGINT NOT NULL,
  after_cut BIGINT NOT NULL,
  law VARCHAR(20) NOT NULL,
  lean DOUBLE NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Every revision of every reel. A step can be undone; undo and redo are rows
-- of their own that name the step they act on; a library row (sources coming
-- and going) stands outside the line of undo.
CREATE TABLE IF NOT EXISTS journal (
  reel_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  kind ENUM('step','undo','redo','library') NOT NULL,
  state ENUM('done','undone','dropped') NOT NULL,
  target BIGINT NOT NULL DEFAULT 0,
  label VARCHAR(1000) NOT NULL,
  change_json LONGTEXT NOT NULL,
  made_at DATETIME(3) NOT NULL,
  PRIMARY KEY (reel_id, revision),
  KEY line (reel_id, kind, state, revision),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS journal, blends, fades, clips, sources, tracks, recordings, reels;
