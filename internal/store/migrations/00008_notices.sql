-- +goose Up
SET @@system_versioning_alter_history = KEEP;

CREATE TABLE IF NOT EXISTS notices (
  id        INT UNSIGNED NOT NULL PRIMARY KEY,
  code      VARCHAR(32) NOT NULL,
  title     VARCHAR(120) NOT NULL,
  text      MEDIUMTEXT NOT NULL,
  version   INT UNSIGNED NOT NULL,
  since_at  DATETIME NOT NULL,
  places    JSON NULL,
  templates JSON NULL,
  refuses   BOOLEAN NOT NULL,
  past      JSON NULL,
  retired   BOOLEAN NOT NULL,
  revision  BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY notice_code (code),
  KEY notice_revision (revision)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS acceptances (
  id        INT UNSIGNED NOT NULL PRIMARY KEY,
  notice_id INT UNSIGNED NOT NULL,
  version   INT UNSIGNED NOT NULL,
  staff_id  INT UNSIGNED NOT NULL,
  at        DATETIME NOT NULL,
  how       ENUM('terminal','link','paper') NOT NULL,
  place_id  INT UNSIGNED NULL,
  revision  BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY acceptance_once (staff_id, notice_id, version),
  KEY acceptance_notice (notice_id),
  KEY acceptance_revision (revision),
  CONSTRAINT fk_acceptance_staff FOREIGN KEY (staff_id) REFERENCES staff (id),
  CONSTRAINT fk_acceptance_notice FOREIGN KEY (notice_id) REFERENCES notices (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

-- Codes by which a terminal is registered, once: the code is the secret, and is kept as its digest.
CREATE TABLE IF NOT EXISTS terminal_codes (
  code       BINARY(32) NOT NULL PRIMARY KEY,
  device_id  INT UNSIGNED NOT NULL,
  expires_at DATETIME NOT NULL,
  used_at    DATETIME NULL,
  KEY terminal_code_expires (expires_at)
) ENGINE=InnoDB;

-- Links by which somebody chooses a PIN, or a manager a password: one use, until they run out.
CREATE TABLE IF NOT EXISTS links (
  token      BINARY(32) NOT NULL PRIMARY KEY,
  kind       ENUM('pin','password') NOT NULL,
  staff_id   INT UNSIGNED NOT NULL,
  made_by    INT UNSIGNED NOT NULL,
  expires_at DATETIME NOT NULL,
  used_at    DATETIME NULL,
  wrong      INT UNSIGNED NOT NULL DEFAULT 0,
  KEY link_staff (staff_id),
  KEY link_expires (expires_at)
) ENGINE=InnoDB;

-- Mail that is to be sent, and what became of it. A body is kept only until it has been sent: it may hold a link.
CREATE TABLE IF NOT EXISTS mails (
  id         BIGINT UNSIGNED NOT NULL PRIMARY KEY AUTO_INCREMENT,
  kind       VARCHAR(32) NOT NULL,
  staff_id   INT UNSIGNED NOT NULL,
  recipient  VARCHAR(254) NOT NULL,
  subject    VARCHAR(200) NOT NULL,
  body       TEXT NULL,
  once       VARCHAR(100) NULL,
  made_at    DATETIME NOT NULL,
  next_at    DATETIME NULL,
  tries      INT UNSIGNED NOT NULL DEFAULT 0,
  sent_at    DATETIME NULL,
  problem    VARCHAR(500) NOT NULL DEFAULT '',
  UNIQUE KEY mail_once (once),
  KEY mail_next (next_at),
  KEY mail_made (made_at)
) ENGINE=InnoDB;

-- When credentials were last used, and when people last signed in to the console.
CREATE TABLE IF NOT EXISTS last_uses (
  kind    ENUM('credential','sign_in') NOT NULL,
  record  INT UNSIGNED NOT NULL,
  used_at DATETIME NOT NULL,
  PRIMARY KEY (kind, record)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE last_uses, mails, links, terminal_codes, acceptances, notices;
