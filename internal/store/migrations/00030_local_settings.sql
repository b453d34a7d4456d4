-- At a place and all below it, a template has another level of one permission, or none.

-- +goose Up
SET @@system_versioning_alter_history = KEEP;
CREATE TABLE IF NOT EXISTS local_settings (
  id            INT UNSIGNED NOT NULL PRIMARY KEY,
  place_id      INT UNSIGNED NOT NULL,
  template_id   INT UNSIGNED NOT NULL,
  permission_id INT UNSIGNED NOT NULL,
  level         INT NOT NULL,
  from_date     DATE NULL,
  until_date    DATE NULL,
  reason        VARCHAR(500) NOT NULL CHECK (reason <> ''),
  made_at       DATETIME NOT NULL,
  ended         BOOLEAN NOT NULL,
  revision      BIGINT UNSIGNED NOT NULL,
  KEY local_setting_place (place_id),
  KEY local_setting_revision (revision),
  CONSTRAINT local_setting_dates CHECK (from_date IS NULL OR until_date IS NULL OR until_date >= from_date),
  CONSTRAINT fk_local_setting_place FOREIGN KEY (place_id) REFERENCES places (id),
  CONSTRAINT fk_local_setting_template FOREIGN KEY (template_id) REFERENCES templates (id),
  CONSTRAINT fk_local_setting_permission FOREIGN KEY (permission_id) REFERENCES permissions (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
DROP TABLE local_settings;
