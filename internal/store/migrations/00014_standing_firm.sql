-- +goose Up
-- What cannot wait for the change that is being made: locks, unlocks, the withdrawal of credentials, and the audit
-- entries of sign-ins. It is in force from the moment it stands here, and becomes a change as soon as its turn comes.
CREATE TABLE IF NOT EXISTS urgent_acts (
  id       BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  at       DATETIME(6) NOT NULL,
  content  MEDIUMTEXT NOT NULL,
  mac      BINARY(32) NOT NULL
) ENGINE=InnoDB;

CREATE TABLE IF NOT EXISTS urgent_acts_known (
  act_id      BIGINT UNSIGNED NOT NULL,
  instance_id BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (act_id, instance_id)
) ENGINE=InnoDB;

-- The instances that run, and what they know: an urgent act is acknowledged once all know it.
CREATE TABLE IF NOT EXISTS instances (
  id                   BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  host                 VARCHAR(255) NOT NULL,
  revision             BIGINT UNSIGNED NOT NULL,
  refuse_after_seconds DOUBLE NOT NULL,
  seen_at              DATETIME(6) NOT NULL
) ENGINE=InnoDB;

-- A sign-in does not wait for a change of the person who signs in.
ALTER TABLE sessions DROP FOREIGN KEY IF EXISTS fk_session_staff;

-- An event says on which state it was decided, and about what, so that it can be decided again.
ALTER TABLE events
  ADD COLUMN IF NOT EXISTS revision BIGINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS shown    TINYINT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS pin_id   INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS badge_id INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS about_id INT UNSIGNED NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS asked_level INT NOT NULL DEFAULT 0;

-- Events are kept by month. Their numbers begin with the millisecond, so that a period is a range of them; months are
-- added as they come.
ALTER TABLE events PARTITION BY RANGE (id) (
  PARTITION before_2026_12 VALUES LESS THAN (7533318950092800000), -- 1 December 2026
  PARTITION later VALUES LESS THAN MAXVALUE);

-- +goose Down
ALTER TABLE events REMOVE PARTITIONING;
ALTER TABLE events DROP COLUMN revision, DROP COLUMN shown, DROP COLUMN pin_id, DROP COLUMN badge_id,
  DROP COLUMN about_id, DROP COLUMN asked_level;
ALTER TABLE sessions ADD CONSTRAINT fk_session_staff FOREIGN KEY (staff_id) REFERENCES staff (id);
DROP TABLE instances, urgent_acts_known, urgent_acts;
