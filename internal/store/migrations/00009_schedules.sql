-- +goose Up
SET @@system_versioning_alter_history = KEEP;

-- Access hours with a name, which templates, assignments and people have in common.
CREATE TABLE IF NOT EXISTS schedules (
  id       INT UNSIGNED NOT NULL PRIMARY KEY,
  code     VARCHAR(32) NOT NULL,
  name     VARCHAR(120) NOT NULL,
  summary  VARCHAR(1000) NOT NULL,
  hours    JSON NOT NULL,
  retired  BOOLEAN NOT NULL,
  revision BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY schedule_code (code),
  KEY schedule_revision (revision)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

-- The access hours of somebody's assignments that state none; NULL: those of the templates.
ALTER TABLE staff ADD COLUMN IF NOT EXISTS hours JSON NULL AFTER contract_end;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE staff DROP COLUMN hours;
DROP TABLE schedules;
