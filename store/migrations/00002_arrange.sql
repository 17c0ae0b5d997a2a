-- +goose Up
ALTER TABLE tracks
  ADD COLUMN locked BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN stays BOOLEAN NOT NULL DEFAULT FALSE,
  ADD COLUMN colour VARCHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN height INT NOT NULL DEFAULT 0;

CREATE TABLE markers (
  reel_id BIGINT NOT NULL,
  id BIGINT NOT NULL,
  at_sample BIGINT NOT NULL,
  text VARCHAR(200) NOT NULL,
  PRIMARY KEY (reel_id, id),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Named versions: a reel as it was when it was kept, whole.
CREATE TABLE versions (
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
CREATE TABLE key_sets (
  owner VARCHAR(64) NOT NULL,
  name VARCHAR(80) NOT NULL,
  chosen BOOLEAN NOT NULL,
  keys_json TEXT NOT NULL,
  PRIMARY KEY (owner, name)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE key_sets, versions, markers;
ALTER TABLE tracks DROP COLUMN locked, DROP COLUMN stays, DROP COLUMN colour, DROP COLUMN height;
