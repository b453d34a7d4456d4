-- One thing has one word: a device is retired, as all else is.

-- +goose Up
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE devices CHANGE COLUMN IF EXISTS revoked retired BOOLEAN NOT NULL;
UPDATE drafts SET edits = REPLACE(edits, '"device.revoke"', '"device.retire"') WHERE edits LIKE '%device.revoke%';

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE devices CHANGE COLUMN IF EXISTS retired revoked BOOLEAN NOT NULL;
