-- +goose Up
-- Each statement can be run again.
-- Work that outlives a request. A worker claims a job for as long as its lease
-- lasts, and renews it while it is at work.
CREATE TABLE IF NOT EXISTS jobs (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  kind VARCHAR(20) NOT NULL,
  reel_id BIGINT NOT NULL,
  name VARCHAR(255) NOT NULL,
  settings_json MEDIUMTEXT NOT NULL,
  state ENUM('waiting','working','done','failed','cancelled') NOT NULL,
  stopping BOOLEAN NOT NULL DEFAULT FALSE,
  tries INT NOT NULL DEFAULT 0,
  worker VARCHAR(80) NOT NULL DEFAULT '',
  lease_until DATETIME(3) NULL,
  progress DOUBLE NOT NULL DEFAULT 0,
  detail VARCHAR(1000) NOT NULL DEFAULT '',
  result_json TEXT NOT NULL DEFAULT '',
  bytes BIGINT NOT NULL DEFAULT 0,
  made_at DATETIME(3) NOT NULL,
  begun_at DATETIME(3) NULL,
  ended_at DATETIME(3) NULL,
  kept_until DATETIME(3) NULL,
  KEY claim (state, kind, lease_until),
  KEY of_reel (reel_id, id),
  KEY ended (ended_at)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS jobs;
