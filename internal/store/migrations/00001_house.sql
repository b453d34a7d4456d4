-- +goose Up
-- Tables that decide access keep their history (system versioning), so the past can be asked as the present is.
-- Every row carries the revision of the change that wrote it last: a service that follows reads what is newer.

CREATE TABLE IF NOT EXISTS organisation (
  id                TINYINT UNSIGNED NOT NULL PRIMARY KEY CHECK (id = 1),
  revision          BIGINT UNSIGNED  NOT NULL,
  audit_hash        BINARY(32)       NOT NULL,
  settings          JSON             NOT NULL
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS places (
  id        INT UNSIGNED NOT NULL PRIMARY KEY,
  code      VARCHAR(32)  NOT NULL,
  name      VARCHAR(120) NOT NULL,
  kind      ENUM('site','zone','door','device','work_centre') NOT NULL,
  parent_id INT UNSIGNED NULL,
  time_zone VARCHAR(64)  NOT NULL,
  opening   JSON         NULL,
  proof     ENUM('','badge','pin','badge_or_pin','badge_and_pin') NOT NULL,
  asks      VARCHAR(64)  NOT NULL,
  retired   BOOLEAN      NOT NULL,
  revision  BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY place_code (code),
  KEY place_parent (parent_id),
  KEY place_revision (revision),
  CONSTRAINT place_site_has_no_parent CHECK ((kind = 'site') = (parent_id IS NULL)),
  CONSTRAINT fk_place_parent FOREIGN KEY (parent_id) REFERENCES places (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS permission_groups (
  id        INT UNSIGNED NOT NULL PRIMARY KEY,
  `key`     VARCHAR(64)  NOT NULL,
  title     VARCHAR(120) NOT NULL,
  parent_id INT UNSIGNED NULL,
  revision  BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY group_key (`key`),
  KEY group_revision (revision),
  CONSTRAINT fk_group_parent FOREIGN KEY (parent_id) REFERENCES permission_groups (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS permissions (
  id         INT UNSIGNED NOT NULL PRIMARY KEY,
  `key`      VARCHAR(64)  NOT NULL,
  title      VARCHAR(120) NOT NULL,
  sentence   VARCHAR(500) NOT NULL,
  group_id   INT UNSIGNED NOT NULL,
  scale      JSON         NOT NULL,
  kinds      SET('site','zone','door','device','work_centre') NOT NULL,
  `sensitive` BOOLEAN      NOT NULL,
  since      INT UNSIGNED NOT NULL,
  retired    BOOLEAN      NOT NULL,
  revision   BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY permission_key (`key`),
  KEY permission_revision (revision),
  CONSTRAINT fk_permission_group FOREIGN KEY (group_id) REFERENCES permission_groups (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS templates (
  id           INT UNSIGNED NOT NULL PRIMARY KEY,
  code         VARCHAR(32)  NOT NULL,
  name         VARCHAR(120) NOT NULL,
  summary      VARCHAR(1000) NOT NULL,
  base_id      INT UNSIGNED NULL,
  hours        JSON         NOT NULL,
  days         INT UNSIGNED NOT NULL,
  needs        JSON         NOT NULL,
  idle_seconds INT UNSIGNED NOT NULL,
  retired      BOOLEAN      NOT NULL,
  revision     BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY template_code (code),
  KEY template_revision (revision),
  CONSTRAINT fk_template_base FOREIGN KEY (base_id) REFERENCES templates (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS template_settings (
  template_id   INT UNSIGNED NOT NULL,
  position      INT UNSIGNED NOT NULL,
  group_id      INT UNSIGNED NULL,
  permission_id INT UNSIGNED NULL,
  word          VARCHAR(64)  NOT NULL,
  as_of         INT UNSIGNED NOT NULL,
  PRIMARY KEY (template_id, position),
  UNIQUE KEY setting_group (template_id, group_id),
  UNIQUE KEY setting_permission (template_id, permission_id),
  CONSTRAINT setting_sets_one CHECK ((group_id IS NULL) <> (permission_id IS NULL)),
  CONSTRAINT fk_setting_template FOREIGN KEY (template_id) REFERENCES templates (id),
  CONSTRAINT fk_setting_group FOREIGN KEY (group_id) REFERENCES permission_groups (id),
  CONSTRAINT fk_setting_permission FOREIGN KEY (permission_id) REFERENCES permissions (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS staff (
  id              INT UNSIGNED NOT NULL PRIMARY KEY,
  staff_number    VARCHAR(32)  NOT NULL,
  given_name      VARCHAR(80)  NOT NULL,
  family_name     VARCHAR(80)  NOT NULL,
  known_as        VARCHAR(80)  NOT NULL,
  email           VARCHAR(254) NULL,
  phone           VARCHAR(40)  NOT NULL,
  job_title       VARCHAR(120) NOT NULL,
  engagement      ENUM('employee','agency','contractor','seasonal') NOT NULL,
  employer        VARCHAR(120) NOT NULL,
  home_site_id    INT UNSIGNED NOT NULL,
  line_manager_id INT UNSIGNED NULL,
  start_date      DATE NOT NULL,
  contract_end    DATE NULL,
  notes           VARCHAR(2000) NOT NULL,
  external_id     VARCHAR(64) NOT NULL,
  activated       BOOLEAN NOT NULL,
  owner           BOOLEAN NOT NULL,
  lock_cause      ENUM('manager','attempts') NULL,
  lock_reason     VARCHAR(500) NULL,
  locked_since    DATETIME NULL,
  locked_until    DATETIME NULL,
  locked_by       INT UNSIGNED NULL,
  leaving_date    DATE NULL,
  departed_at     DATETIME NULL,
  revision        BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY staff_number (staff_number),
  UNIQUE KEY staff_email (email),
  KEY staff_revision (revision),
  CONSTRAINT staff_contract_dates CHECK (contract_end IS NULL OR contract_end >= start_date),
  CONSTRAINT staff_lock_whole CHECK ((lock_cause IS NULL) = (locked_since IS NULL)),
  CONSTRAINT fk_staff_home FOREIGN KEY (home_site_id) REFERENCES places (id),
  CONSTRAINT fk_staff_line_manager FOREIGN KEY (line_manager_id) REFERENCES staff (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS assignments (
  id          INT UNSIGNED NOT NULL PRIMARY KEY,
  staff_id    INT UNSIGNED NOT NULL,
  place_id    INT UNSIGNED NOT NULL,
  template_id INT UNSIGNED NOT NULL,
  from_date   DATE NULL,
  until_date  DATE NULL,
  hours       JSON NULL,
  ended       BOOLEAN NOT NULL,
  revision    BIGINT UNSIGNED NOT NULL,
  KEY assignment_staff (staff_id),
  KEY assignment_place (place_id),
  KEY assignment_template (template_id),
  KEY assignment_revision (revision),
  CONSTRAINT assignment_dates CHECK (from_date IS NULL OR until_date IS NULL OR until_date >= from_date),
  CONSTRAINT fk_assignment_staff FOREIGN KEY (staff_id) REFERENCES staff (id),
  CONSTRAINT fk_assignment_place FOREIGN KEY (place_id) REFERENCES places (id),
  CONSTRAINT fk_assignment_template FOREIGN KEY (template_id) REFERENCES templates (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS exceptions (
  id            INT UNSIGNED NOT NULL PRIMARY KEY,
  staff_id      INT UNSIGNED NOT NULL,
  permission_id INT UNSIGNED NOT NULL,
  place_id      INT UNSIGNED NOT NULL,
  withheld      BOOLEAN NOT NULL,
  level         INT NOT NULL,
  from_date     DATE NULL,
  until_date    DATE NULL,
  reason        VARCHAR(500) NOT NULL CHECK (reason <> ''),
  made_at       DATETIME NOT NULL,
  ended         BOOLEAN NOT NULL,
  revision      BIGINT UNSIGNED NOT NULL,
  KEY exception_staff (staff_id),
  KEY exception_revision (revision),
  CONSTRAINT exception_level CHECK (withheld = (level = 0)),
  CONSTRAINT exception_dates CHECK (from_date IS NULL OR until_date IS NULL OR until_date >= from_date),
  CONSTRAINT fk_exception_staff FOREIGN KEY (staff_id) REFERENCES staff (id),
  CONSTRAINT fk_exception_permission FOREIGN KEY (permission_id) REFERENCES permissions (id),
  CONSTRAINT fk_exception_place FOREIGN KEY (place_id) REFERENCES places (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

-- The digest is NULL once a credential is withdrawn, so a PIN is unique among those that count and free afterwards.
CREATE TABLE IF NOT EXISTS credentials (
  id          INT UNSIGNED NOT NULL PRIMARY KEY,
  staff_id    INT UNSIGNED NOT NULL,
  kind        ENUM('pin','badge','password') NOT NULL,
  digest      BINARY(32) NULL,
  hash        VARCHAR(200) NULL,
  state       ENUM('valid','suspended','lost','withdrawn') NOT NULL,
  valid_from  DATETIME NULL,
  valid_until DATETIME NULL,
  must_change BOOLEAN NOT NULL,
  issued_at   DATETIME NOT NULL,
  revision    BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY credential_digest (digest),
  KEY credential_staff (staff_id),
  KEY credential_revision (revision),
  CONSTRAINT credential_secret CHECK (state = 'withdrawn' OR (kind = 'password') = (digest IS NULL)),
  CONSTRAINT fk_credential_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS devices (
  id       INT UNSIGNED NOT NULL PRIMARY KEY,
  name     VARCHAR(120) NOT NULL,
  place_id INT UNSIGNED NOT NULL,
  token    BINARY(32) NOT NULL,
  until_at DATETIME NULL,
  revoked  BOOLEAN NOT NULL,
  revision BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY device_token (token),
  KEY device_revision (revision),
  CONSTRAINT fk_device_place FOREIGN KEY (place_id) REFERENCES places (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS audit_entries (
  id         BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  at         DATETIME(6) NOT NULL,
  action     VARCHAR(40) NOT NULL,
  actor_id   INT UNSIGNED NULL,
  actor      VARCHAR(200) NOT NULL,
  origin     VARCHAR(120) NOT NULL,
  reason     VARCHAR(500) NOT NULL,
  summary    VARCHAR(500) NOT NULL,
  revision   BIGINT UNSIGNED NOT NULL,
  operations LONGTEXT NOT NULL,
  previous   BINARY(32) NOT NULL,
  hash       BINARY(32) NOT NULL,
  KEY audit_at (at),
  KEY audit_actor (actor_id, id),
  KEY audit_action (action, id)
) ENGINE=InnoDB;

-- Which records an entry is about, so that a person's or a place's history is found without reading the whole log.
CREATE TABLE IF NOT EXISTS audit_subjects (
  kind     VARCHAR(20) NOT NULL,
  number   INT UNSIGNED NOT NULL,
  entry_id BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (kind, number, entry_id),
  CONSTRAINT fk_subject_entry FOREIGN KEY (entry_id) REFERENCES audit_entries (id)
) ENGINE=InnoDB;

-- Numbers are made by each instance; a device speaks to one instance at a time, so with it they are never made twice.
CREATE TABLE IF NOT EXISTS events (
  id            BIGINT UNSIGNED NOT NULL,
  at            DATETIME(3) NOT NULL,
  device_id     INT UNSIGNED NOT NULL,
  place_id      INT UNSIGNED NOT NULL,
  staff_id      INT UNSIGNED NOT NULL,
  permission_id INT UNSIGNED NOT NULL,
  allowed       BOOLEAN NOT NULL,
  reason        TINYINT UNSIGNED NOT NULL,
  level         INT NOT NULL,
  assignment_id INT UNSIGNED NOT NULL,
  PRIMARY KEY (id, device_id),
  KEY event_place (place_id, id),
  KEY event_staff (staff_id, id)
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS sessions (
  id          BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  token       BINARY(32) NOT NULL,
  staff_id    INT UNSIGNED NOT NULL,
  kind        ENUM('console','client') NOT NULL,
  name        VARCHAR(120) NOT NULL,
  created_at  DATETIME NOT NULL,
  expires_at  DATETIME NOT NULL,
  UNIQUE KEY session_token (token),
  KEY session_staff (staff_id),
  KEY session_expires (expires_at),
  CONSTRAINT fk_session_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS idempotency_keys (
  staff_id   INT UNSIGNED NOT NULL,
  `key`      VARCHAR(100) NOT NULL,
  request    BINARY(32) NOT NULL,
  status     SMALLINT UNSIGNED NOT NULL,
  response   MEDIUMBLOB NULL,
  created_at DATETIME NOT NULL,
  PRIMARY KEY (staff_id, `key`),
  KEY idempotency_created (created_at)
) ENGINE=InnoDB;

INSERT IGNORE INTO organisation (id, revision, audit_hash, settings)
VALUES (1, 0, REPEAT(CHAR(0), 32), '{}');

-- +goose Down
DROP TABLE idempotency_keys, sessions, events, audit_subjects, audit_entries, devices, credentials, exceptions, assignments, staff,
  template_settings, templates, permissions, permission_groups, places, organisation;
