-- +goose Up
SET @@system_versioning_alter_history = KEEP;

-- Whose assignment somebody works in the place of, while they are absent.
ALTER TABLE assignments ADD COLUMN IF NOT EXISTS covers_id INT UNSIGNED NULL AFTER ended;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE assignments DROP COLUMN covers_id;
