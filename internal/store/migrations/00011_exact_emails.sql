-- +goose Up
-- Who has an email is told apart by the rules, without regard to case; here by every accent, so that two emails that
-- the rules tell apart are two.
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE staff MODIFY email VARCHAR(254) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE staff MODIFY email VARCHAR(254) NULL;
