-- +goose Up
-- Each statement can be run again.
-- Named ways to export of a user.
CREATE TABLE IF NOT EXISTS export_presets (
  owner VARCHAR(64) NOT NULL,
  name VARCHAR(80) NOT NULL,
  order_json MEDIUMTEXT NOT NULL,
  PRIMARY KEY (owner, name)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS export_presets;
