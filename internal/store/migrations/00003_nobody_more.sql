-- +goose Up
SET @@system_versioning_alter_history = KEEP;

-- What binds the database to its key file, and how PINs are hashed in this organisation: see docs/architecture.md.
ALTER TABLE organisation
  ADD COLUMN IF NOT EXISTS key_check   BINARY(32) NULL,
  ADD COLUMN IF NOT EXISTS pin_salt    BINARY(16) NULL,
  ADD COLUMN IF NOT EXISTS pin_cost    VARCHAR(40) NOT NULL DEFAULT '',
  ADD COLUMN IF NOT EXISTS audit_count BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS audit_seal  VARBINARY(64) NULL;
UPDATE organisation SET audit_count = (SELECT COUNT(*) FROM audit_entries);

ALTER TABLE credentials ADD COLUMN IF NOT EXISTS sealed VARBINARY(120) NULL AFTER hash;

-- PINs were kept as fast digests, from which a thief of the key file had them in seconds. They cannot be worked out anew,
-- so they are withdrawn: issue new ones.
UPDATE credentials SET state = 'withdrawn', digest = NULL, revision = revision + 0 WHERE kind = 'pin' AND state <> 'withdrawn';

CREATE TABLE IF NOT EXISTS bars (
  id       INT UNSIGNED NOT NULL PRIMARY KEY,
  staff_id INT UNSIGNED NOT NULL,
  place_id INT UNSIGNED NOT NULL,
  reason   VARCHAR(500) NOT NULL CHECK (reason <> ''),
  since_at DATETIME NOT NULL,
  until_at DATETIME NULL,
  barred_by INT UNSIGNED NULL,
  ended    BOOLEAN NOT NULL,
  revision BIGINT UNSIGNED NOT NULL,
  KEY bar_staff (staff_id),
  KEY bar_place (place_id),
  KEY bar_revision (revision),
  CONSTRAINT fk_bar_staff FOREIGN KEY (staff_id) REFERENCES staff (id),
  CONSTRAINT fk_bar_place FOREIGN KEY (place_id) REFERENCES places (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

ALTER TABLE sessions
  ADD COLUMN IF NOT EXISTS scope     ENUM('read','daily','everything') NOT NULL DEFAULT 'everything' AFTER kind,
  ADD COLUMN IF NOT EXISTS address   VARCHAR(64) NOT NULL DEFAULT '' AFTER name,
  ADD COLUMN IF NOT EXISTS last_used DATETIME NULL AFTER created_at;

-- Wrong tries, counted where all instances see them. What is tried stands here as a keyed digest only.
CREATE TABLE IF NOT EXISTS tries (
  subject    BINARY(32) NOT NULL PRIMARY KEY,
  kind       ENUM('account','address','pair','reader','pin') NOT NULL,
  count      INT UNSIGNED NOT NULL,
  first_at   DATETIME(3) NOT NULL,
  held_until DATETIME(3) NULL,
  holds      INT UNSIGNED NOT NULL,
  last_at    DATETIME(3) NOT NULL,
  KEY tries_held (kind, held_until),
  KEY tries_last (last_at)
) ENGINE=InnoDB;

-- From where an account has signed in before: an address that has keeps its way in while others try.
CREATE TABLE IF NOT EXISTS known_addresses (
  subject BINARY(32) NOT NULL PRIMARY KEY,
  last_at DATETIME NOT NULL,
  KEY known_last (last_at)
) ENGINE=InnoDB;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
DROP TABLE known_addresses, tries, bars;
ALTER TABLE sessions DROP COLUMN scope, DROP COLUMN address, DROP COLUMN last_used;
ALTER TABLE credentials DROP COLUMN sealed;
ALTER TABLE organisation DROP COLUMN key_check, DROP COLUMN pin_salt, DROP COLUMN pin_cost, DROP COLUMN audit_count, DROP COLUMN audit_seal;
