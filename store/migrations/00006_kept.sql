-- +goose Up
-- Each statement can be run again.
-- What names a reel in addresses that browsers keep for ever, in whichever
-- database it lies.
ALTER TABLE reels ADD COLUMN IF NOT EXISTS uid CHAR(32) NOT NULL DEFAULT '';
UPDATE reels SET uid = REPLACE(UUID(), '-', '') WHERE uid = '';

-- Requests that were done, by the key their sender gave them: one that comes
-- again is answered with what it led to the first time.
CREATE TABLE IF NOT EXISTS requests (
  request_key VARCHAR(80) NOT NULL PRIMARY KEY,
  digest CHAR(64) NOT NULL,
  reel_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  saved BOOLEAN NOT NULL,
  answer_json MEDIUMTEXT NOT NULL,
  made_at DATETIME(3) NOT NULL,
  KEY made (made_at)
) ENGINE=InnoDB;

-- A change or a version too long for one packet goes on here.
ALTER TABLE journal
  ADD COLUMN IF NOT EXISTS parts INT NOT NULL DEFAULT 0,
  MODIFY COLUMN kind ENUM('step','undo','redo','library','repair') NOT NULL;
ALTER TABLE versions ADD COLUMN IF NOT EXISTS parts INT NOT NULL DEFAULT 0;
CREATE TABLE IF NOT EXISTS journal_parts (
  reel_id BIGINT NOT NULL,
  revision BIGINT NOT NULL,
  part INT NOT NULL,
  body MEDIUMTEXT NOT NULL,
  PRIMARY KEY (reel_id, revision, part),
  FOREIGN KEY (reel_id, revision) REFERENCES journal (reel_id, revision) ON DELETE CASCADE
) ENGINE=InnoDB;
CREATE TABLE IF NOT EXISTS version_parts (
  version_id BIGINT NOT NULL,
  part INT NOT NULL,
  body MEDIUMTEXT NOT NULL,
  PRIMARY KEY (version_id, part),
  FOREIGN KEY (version_id) REFERENCES versions (id) ON DELETE CASCADE
) ENGINE=InnoDB;

-- A strike without a cover has none, which a foreign key can tell.
ALTER TABLE strikes MODIFY COLUMN cover BIGINT NULL;
UPDATE strikes SET cover = NULL WHERE cover = 0;

-- Removed reels are purged in the order in which they were removed.
ALTER TABLE reels ADD KEY IF NOT EXISTS removed (removed_at);

-- +goose Down
ALTER TABLE reels DROP KEY IF EXISTS removed;
UPDATE strikes SET cover = 0 WHERE cover IS NULL;
ALTER TABLE strikes MODIFY COLUMN cover BIGINT NOT NULL;
DROP TABLE IF EXISTS version_parts, journal_parts, requests;
ALTER TABLE versions DROP COLUMN IF EXISTS parts;
ALTER TABLE journal DROP COLUMN IF EXISTS parts;
ALTER TABLE reels DROP COLUMN IF EXISTS uid;
