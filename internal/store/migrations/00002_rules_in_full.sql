-- +goose Up
-- Tables that keep their history go on keeping it through a change of their form.
SET @@system_versioning_alter_history = KEEP;

ALTER TABLE permission_groups
  ADD COLUMN IF NOT EXISTS since INT UNSIGNED NOT NULL DEFAULT 0 AFTER parent_id,
  ADD COLUMN IF NOT EXISTS retired BOOLEAN NOT NULL DEFAULT FALSE AFTER since;

ALTER TABLE templates
  ADD COLUMN IF NOT EXISTS decided_at INT UNSIGNED NOT NULL DEFAULT 0 AFTER idle_seconds;

-- What stood in the catalogue before templates said how far they are decided counts as decided.
UPDATE templates SET decided_at = (SELECT COALESCE(MAX(since), 0) FROM permissions);

ALTER TABLE exceptions
  ADD KEY IF NOT EXISTS exception_place (place_id);

ALTER TABLE audit_entries
  ADD COLUMN IF NOT EXISTS undoes BIGINT UNSIGNED NULL AFTER revision,
  ADD KEY IF NOT EXISTS audit_undoes (undoes),
  ADD KEY IF NOT EXISTS audit_revision (revision);

-- Edits that a manager collects. They decide nothing until they are applied, so they keep no history here: what
-- becomes of them stands in the audit log.
CREATE TABLE IF NOT EXISTS drafts (
  id           BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  owner_id     INT UNSIGNED NOT NULL,
  state        ENUM('open','planned','failed','applied','discarded') NOT NULL,
  title        VARCHAR(120) NOT NULL,
  reason       VARCHAR(500) NOT NULL,
  edits        LONGTEXT NOT NULL,
  next_edit    INT UNSIGNED NOT NULL,
  planned_for  DATETIME NULL,
  problem      VARCHAR(1000) NOT NULL,
  audit_id     BIGINT UNSIGNED NULL,
  version      INT UNSIGNED NOT NULL,
  created_at   DATETIME NOT NULL,
  updated_at   DATETIME NOT NULL,
  KEY draft_owner (owner_id, state, id),
  KEY draft_due (state, planned_for),
  CONSTRAINT draft_planned CHECK ((state <> 'planned') OR (planned_for IS NOT NULL)),
  CONSTRAINT draft_applied CHECK ((state <> 'applied') OR (audit_id IS NOT NULL)),
  CONSTRAINT fk_draft_owner FOREIGN KEY (owner_id) REFERENCES staff (id),
  CONSTRAINT fk_draft_audit FOREIGN KEY (audit_id) REFERENCES audit_entries (id)
) ENGINE=InnoDB;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
DROP TABLE drafts;
ALTER TABLE audit_entries DROP KEY audit_undoes, DROP KEY audit_revision, DROP COLUMN undoes;
ALTER TABLE exceptions DROP KEY exception_place;
ALTER TABLE templates DROP COLUMN decided_at;
ALTER TABLE permission_groups DROP COLUMN since, DROP COLUMN retired;
