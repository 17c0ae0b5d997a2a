-- +goose Up
-- A side of a blend without a shape of its own is left to the law.
ALTER TABLE blends
  ADD COLUMN out_shape VARCHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN out_bend DOUBLE NOT NULL DEFAULT 0,
  ADD COLUMN in_shape VARCHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN in_bend DOUBLE NOT NULL DEFAULT 0;

-- Limits by which seams are judged; those not named are as shipped.
ALTER TABLE reels ADD COLUMN limits_json TEXT NOT NULL DEFAULT '{}';

-- Seams that were heard and found good, as they were then: the print is of all
-- that is heard there.
CREATE TABLE accepted (
  reel_id BIGINT NOT NULL,
  print CHAR(32) NOT NULL,
  made_at DATETIME(3) NOT NULL,
  PRIMARY KEY (reel_id, print),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Named blends of a user; at most one of each user's is put by the blend key.
CREATE TABLE presets (
  owner VARCHAR(64) NOT NULL,
  name VARCHAR(80) NOT NULL,
  place INT NOT NULL,
  usual BOOLEAN NOT NULL,
  preset_json TEXT NOT NULL,
  PRIMARY KEY (owner, name)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE presets, accepted;
ALTER TABLE reels DROP COLUMN limits_json;
ALTER TABLE blends DROP COLUMN out_shape, DROP COLUMN out_bend, DROP COLUMN in_shape, DROP COLUMN in_bend;
