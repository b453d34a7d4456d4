-- +goose Up
SET @@system_versioning_alter_history = KEEP;

-- A badge is a thing of its own; each time it is issued makes a credential.
CREATE TABLE IF NOT EXISTS badges (
  id       INT UNSIGNED NOT NULL PRIMARY KEY,
  format   VARCHAR(32) NOT NULL,
  number   VARCHAR(64) NOT NULL,
  label    VARCHAR(80) NOT NULL,
  state    ENUM('stock','issued','lost','destroyed') NOT NULL,
  day      BOOLEAN NOT NULL,
  revision BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY badge_number (format, number),
  KEY badge_revision (revision)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

-- A withdrawn credential keeps its digest, so that its holder does not take the same PIN again.
ALTER TABLE credentials
  ADD COLUMN IF NOT EXISTS badge_id      INT UNSIGNED NULL AFTER kind,
  ADD COLUMN IF NOT EXISTS former_digest BINARY(32) NULL AFTER digest,
  ADD CONSTRAINT fk_credential_badge FOREIGN KEY IF NOT EXISTS (badge_id) REFERENCES badges (id);

-- +goose Down
ALTER TABLE credentials DROP FOREIGN KEY fk_credential_badge, DROP COLUMN badge_id, DROP COLUMN former_digest;
DROP TABLE badges;
