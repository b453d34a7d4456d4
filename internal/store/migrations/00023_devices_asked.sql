-- When each device last asked.

-- +goose Up
ALTER TABLE last_uses MODIFY kind ENUM('credential','sign_in','device') NOT NULL;

-- +goose Down
DELETE FROM last_uses WHERE kind = 'device';
ALTER TABLE last_uses MODIFY kind ENUM('credential','sign_in') NOT NULL;
