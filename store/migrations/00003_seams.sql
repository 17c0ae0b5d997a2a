-- +goose Up
-- A side of a blend without a shape of its own is left to the law.
ALTER TABLE blends
  ADD COLUMN IF NOT EXISTS out_shape VARCHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS out_bend DOUBLE NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS in_shape VARCHAR(20) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS in_bend DOUBLE NOT NULL DEFAULT 0;

-- Limits by which seams are judged; those not named are as shipped.
ALTER TABLE reels ADD COLUMN IF NOT EXISTS limits_json TEXT NOT NULL DEFAULT '{}';

-- Seams that were heard and found good, as they were then: the print is of all
-- that is heard there.
CREATE TABLE IF NOT EXISTS accepted (
  reel_id BIGINT NOT NULL,
  print CHAR(32) NOT NULL,
  made_at DATETIME(3) NOT NULL,
  PRIMARY KEY (reel_id, print),
  FOREIGN KEY (reel_id) REFERENCES reels (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- Named blends of a user; at most one of each user's is put by the blend key.
CREATE TABLE IF NOT EXISTS presets (
  owner VARCHAR(64) NOT NULL,
  name VARCHAR(80) NOT NULL,
  place INT NOT NULL,
  usual BOOLEAN NOT NULL,
  preset_json TEXT NOT NULL,
  PRIMARY KEY (owner, name)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS presets, accepted;
ALTER TABLE reels DROP COLUMN IF EXISTS limits_json;
ALTER TABLE blends DROP COLUMN IF EXISTS out_shape, DROP COLUMN IF EXISTS out_bend, DROP COLUMN IF EXISTS in_shape, DROP COLUMN IF EXISTS in_bend;
