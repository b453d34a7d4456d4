-- +goose Up
SET @@system_versioning_alter_history = KEEP;

CREATE TABLE IF NOT EXISTS qualifications (
  id       INT UNSIGNED NOT NULL PRIMARY KEY,
  code     VARCHAR(32) NOT NULL,
  name     VARCHAR(120) NOT NULL,
  summary  VARCHAR(1000) NOT NULL,
  months   INT NOT NULL,
  retired  BOOLEAN NOT NULL,
  revision BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY qualification_code (code),
  KEY qualification_revision (revision)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS certificates (
  id               INT UNSIGNED NOT NULL PRIMARY KEY,
  staff_id         INT UNSIGNED NOT NULL,
  qualification_id INT UNSIGNED NOT NULL,
  number           VARCHAR(64) NOT NULL,
  issued_on        DATE NOT NULL,
  until_date       DATE NULL,
  ended            BOOLEAN NOT NULL,
  revision         BIGINT UNSIGNED NOT NULL,
  KEY certificate_staff (staff_id),
  KEY certificate_qualification (qualification_id),
  KEY certificate_revision (revision),
  CONSTRAINT fk_certificate_staff FOREIGN KEY (staff_id) REFERENCES staff (id),
  CONSTRAINT fk_certificate_qualification FOREIGN KEY (qualification_id) REFERENCES qualifications (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

-- Photos of people and scans of certificates: kept beside the records, as nobody's access depends on them.
CREATE TABLE IF NOT EXISTS files (
  kind       ENUM('photo','scan') NOT NULL,
  record     INT UNSIGNED NOT NULL,
  media_type VARCHAR(40) NOT NULL,
  content    MEDIUMBLOB NOT NULL,
  kept_by    INT UNSIGNED NOT NULL,
  kept_at    DATETIME(3) NOT NULL,
  PRIMARY KEY (kind, record)
) ENGINE=InnoDB;

-- The numbers of the qualifications that a place or a template requires; NULL: none.
ALTER TABLE places ADD COLUMN IF NOT EXISTS requires JSON NULL AFTER asks;
ALTER TABLE templates ADD COLUMN IF NOT EXISTS requires JSON NULL AFTER needs;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE templates DROP COLUMN requires;
ALTER TABLE places DROP COLUMN requires;
DROP TABLE files, certificates, qualifications;
