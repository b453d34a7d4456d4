-- What colleagues give waits apart from somebody's own drafts until it is accepted.

-- +goose Up
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE drafts MODIFY COLUMN state ENUM('open','planned','failed','applied','discarded','given') NOT NULL;
ALTER TABLE drafts ADD COLUMN IF NOT EXISTS given_by INT UNSIGNED NULL;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
UPDATE drafts SET state = 'failed' WHERE state = 'given';
ALTER TABLE drafts DROP COLUMN IF EXISTS given_by;
ALTER TABLE drafts MODIFY COLUMN state ENUM('open','planned','failed','applied','discarded') NOT NULL;
