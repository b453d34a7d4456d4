-- +goose Up
-- Files of people that are brought in: what was sent, how it is read, and what has become of it.
CREATE TABLE IF NOT EXISTS imports (
  id           BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  owner_id     INT UNSIGNED NOT NULL,
  state        ENUM('open','running','done','discarded') NOT NULL,
  name         VARCHAR(200) NOT NULL,
  content      MEDIUMBLOB NOT NULL,
  reading      LONGTEXT NOT NULL,
  reason       VARCHAR(500) NOT NULL,
  origin       VARCHAR(200) NOT NULL,
  problem      VARCHAR(1000) NOT NULL,
  done         INT UNSIGNED NOT NULL,
  total        INT UNSIGNED NOT NULL,
  changes      LONGTEXT NOT NULL,
  sealed_pins  LONGBLOB NULL,
  pins_until   DATETIME NULL,
  held_until   DATETIME(6) NULL,
  version      INT UNSIGNED NOT NULL,
  created_at   DATETIME NOT NULL,
  updated_at   DATETIME NOT NULL,
  KEY import_owner (owner_id, id),
  KEY import_state (state, held_until)
) ENGINE=InnoDB;

-- Which column a name in the first line of a file was said to be, by whom.
CREATE TABLE IF NOT EXISTS import_columns (
  owner_id    INT UNSIGNED NOT NULL,
  header      VARCHAR(200) NOT NULL COLLATE utf8mb4_bin,
  column_name VARCHAR(40) NOT NULL,
  PRIMARY KEY (owner_id, header)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE import_columns, imports;
