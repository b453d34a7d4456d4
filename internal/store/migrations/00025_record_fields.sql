-- +goose Up
-- What a record holds besides: a driving licence, an insurance number, whom to call in an emergency, and fields of the
-- organisation's own making.
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE staff
  ADD COLUMN IF NOT EXISTS driving_licence VARCHAR(64) NOT NULL DEFAULT '' AFTER external_id,
  ADD COLUMN IF NOT EXISTS insurance_number VARCHAR(64) NOT NULL DEFAULT '' AFTER driving_licence,
  ADD COLUMN IF NOT EXISTS emergency_contact VARCHAR(120) NOT NULL DEFAULT '' AFTER insurance_number,
  ADD COLUMN IF NOT EXISTS emergency_phone VARCHAR(40) NOT NULL DEFAULT '' AFTER emergency_contact,
  ADD COLUMN IF NOT EXISTS own TEXT NULL AFTER emergency_phone;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE staff DROP COLUMN own, DROP COLUMN emergency_phone, DROP COLUMN emergency_contact,
  DROP COLUMN insurance_number, DROP COLUMN driving_licence;
