-- +goose Up
ALTER TABLE tracks
  ADD COLUMN IF NOT EXISTS locked BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS stays BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN IF NOT EXISTS colour VARCHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS height INT NOT NULL DEFAULT 0;

CREATE TABLE IF NOT EXISTS markers (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  at_sample BIGINT NOT NULL,
  text VARCHAR(200) NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Named versions: a reel as it was when it was kept, whole.
CREATE TABLE IF NOT EXISTS versions (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  reel_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  revision BIGINT NOT NULL,
  reel_json LONGTEXT NOT NULL,
  made_at DATETIME(3) NOT NULL,
  KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Named sets of keys of a user; at most one of each user's is in force.
CREATE TABLE IF NOT EXISTS key_sets (
  owner VARCHAR(64) NOT NULL,
  name VARCHAR(80) NOT NULL,
  chosen BOOLEAN NOT NULL,
  keys_json TEXT NOT NULL,
  PRIMARY KEY (owner, name)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS key_sets, versions, markers;
ALTER TABLE tracks DROP COLUMN IF EXISTS locked, DROP COLUMN IF EXISTS stays, DROP COLUMN IF EXISTS colour, DROP COLUMN IF EXISTS height;
