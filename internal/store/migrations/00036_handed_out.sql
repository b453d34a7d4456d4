-- +goose Up
-- Secrets that a change generated, sealed, until whoever made it can have received them.
ALTER TABLE idempotency_keys ADD COLUMN IF NOT EXISTS sealed_secrets LONGBLOB NULL,
  ADD COLUMN IF NOT EXISTS secrets_until DATETIME(6) NULL;

-- +goose Down
ALTER TABLE idempotency_keys DROP COLUMN IF EXISTS secrets_until, DROP COLUMN IF EXISTS sealed_secrets;
