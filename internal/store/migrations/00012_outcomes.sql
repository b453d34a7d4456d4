-- +goose Up
-- What became of a request under an idempotency key is written with the change itself: the change that it made. A
-- request whose end is not known is taken over by the next one with its key, which keeps the one before from writing.
ALTER TABLE idempotency_keys ADD COLUMN IF NOT EXISTS attempt INT UNSIGNED NOT NULL DEFAULT 1 AFTER request,
  ADD COLUMN IF NOT EXISTS audit_id BIGINT UNSIGNED NULL AFTER status;

-- +goose Down
ALTER TABLE idempotency_keys DROP COLUMN audit_id, DROP COLUMN attempt;
