-- +goose Up
-- Every record is sealed by the key of the service when a change writes it, and the sum of all seals stands beside the
-- revision: a record that was written otherwise is found. What entries of the audit log are about is part of their
-- chain, and events stand in chains of batches.
CREATE TABLE IF NOT EXISTS record_seals (
  kind VARCHAR(24) NOT NULL,
  number INT UNSIGNED NOT NULL,
  seal BINARY(32) NOT NULL,
  PRIMARY KEY (kind, number)
);
CREATE TABLE IF NOT EXISTS event_batches (
  instance BIGINT UNSIGNED NOT NULL,
  number BIGINT UNSIGNED NOT NULL,
  first_id BIGINT UNSIGNED NOT NULL,
  last_id BIGINT UNSIGNED NOT NULL,
  ids MEDIUMBLOB NOT NULL,
  mac BINARY(32) NOT NULL,
  PRIMARY KEY (instance, number),
  KEY by_id (first_id, last_id)
);
ALTER TABLE organisation
  ADD COLUMN IF NOT EXISTS seals_sum BINARY(32) NULL,
  ADD COLUMN IF NOT EXISTS seals_mac BINARY(32) NULL;
ALTER TABLE audit_entries ADD COLUMN IF NOT EXISTS subjects_hash BINARY(32) NULL;

-- +goose Down
ALTER TABLE audit_entries DROP COLUMN subjects_hash;
ALTER TABLE organisation DROP COLUMN seals_mac, DROP COLUMN seals_sum;
DROP TABLE event_batches;
DROP TABLE record_seals;
