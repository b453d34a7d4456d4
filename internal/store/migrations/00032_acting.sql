-- +goose Up
-- One table of what acts for a person by a token: sessions of the console, tokens of clients, calendar addresses, and
-- visits at terminals. Each names the credential that it came from, a visit by a badge and a PIN both, and ends with it.
ALTER TABLE sessions
  MODIFY COLUMN kind ENUM('console','client','feed','visit') NOT NULL,
  ADD COLUMN IF NOT EXISTS credential_id INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS second_id     INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS device_id     INT UNSIGNED NOT NULL DEFAULT 0,
  ADD KEY IF NOT EXISTS session_credential (credential_id),
  ADD KEY IF NOT EXISTS session_second (second_id);
CREATE TABLE IF NOT EXISTS feeds (
  id         INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  token      BINARY(32) NOT NULL UNIQUE KEY,
  staff_id   INT UNSIGNED NOT NULL,
  name       VARCHAR(120) NOT NULL,
  created_at DATETIME NOT NULL,
  last_used  DATETIME NULL
) ENGINE=InnoDB;
INSERT IGNORE INTO sessions (token, staff_id, kind, name, scope, address, created_at, last_used, expires_at)
  SELECT token, staff_id, 'feed', name, 'read', '', created_at, last_used, created_at + INTERVAL 5 YEAR FROM feeds;
UPDATE sessions SET credential_id = COALESCE((SELECT MAX(c.id) FROM credentials c
  WHERE c.staff_id = sessions.staff_id AND c.kind = 'password' AND c.state = 'valid'), 0)
  WHERE credential_id = 0 AND kind <> 'visit';
DROP TABLE IF EXISTS feeds;
-- A link counts while the credential that it replaces is the one that it replaced when it was sent; 0: none.
ALTER TABLE links ADD COLUMN IF NOT EXISTS credential_id INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS made_at DATETIME NULL;
UPDATE links SET made_at = expires_at - INTERVAL 1 DAY, credential_id = COALESCE((SELECT MAX(c.id) FROM credentials c
  WHERE c.staff_id = links.staff_id AND c.kind = links.kind AND c.state = 'valid' AND NOT c.duress), 0)
  WHERE made_at IS NULL;
-- Whoever connected a device saw its token.
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE devices ADD COLUMN IF NOT EXISTS added_by INT UNSIGNED NOT NULL DEFAULT 0;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE devices DROP COLUMN IF EXISTS added_by;
ALTER TABLE links DROP COLUMN IF EXISTS credential_id, DROP COLUMN IF EXISTS made_at;
CREATE TABLE IF NOT EXISTS feeds (
  id         INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  token      BINARY(32) NOT NULL UNIQUE KEY,
  staff_id   INT UNSIGNED NOT NULL,
  name       VARCHAR(120) NOT NULL,
  created_at DATETIME NOT NULL,
  last_used  DATETIME NULL
) ENGINE=InnoDB;
INSERT IGNORE INTO feeds (token, staff_id, name, created_at, last_used)
  SELECT token, staff_id, name, created_at, last_used FROM sessions WHERE kind = 'feed';
DELETE FROM sessions WHERE kind IN ('feed', 'visit');
ALTER TABLE sessions MODIFY COLUMN kind ENUM('console','client') NOT NULL,
  DROP COLUMN IF EXISTS credential_id, DROP COLUMN IF EXISTS second_id, DROP COLUMN IF EXISTS device_id;
