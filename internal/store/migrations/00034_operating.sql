-- +goose Up
-- What bringing the tables up to date did, and to whom: it is told in the audit log and on Today.
CREATE TABLE IF NOT EXISTS upgrades (
  id           BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at           DATETIME(6) NOT NULL,
  from_version INT UNSIGNED NOT NULL,
  to_version   INT UNSIGNED NOT NULL,
  milliseconds BIGINT UNSIGNED NOT NULL,
  effects      LONGTEXT NOT NULL,
  told         BOOLEAN NOT NULL DEFAULT FALSE
) ENGINE=InnoDB;

-- Whose PIN counts no more without anybody having withdrawn it: an upgrade could not keep it, or the key was lost.
CREATE TABLE IF NOT EXISTS lost_pins (
  staff_id INT UNSIGNED NOT NULL PRIMARY KEY,
  at       DATETIME(6) NOT NULL,
  why      VARCHAR(200) NOT NULL
) ENGINE=InnoDB;

ALTER TABLE organisation ADD COLUMN IF NOT EXISTS key_backup_at DATETIME NULL;

-- +goose Down
ALTER TABLE organisation DROP COLUMN IF EXISTS key_backup_at;
DROP TABLE IF EXISTS lost_pins;
DROP TABLE IF EXISTS upgrades;
