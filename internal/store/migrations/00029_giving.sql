-- What a template's holder can give to others stands beside what they can do.

-- +goose Up
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE template_settings ADD COLUMN IF NOT EXISTS giving BOOLEAN NOT NULL DEFAULT 0;
ALTER TABLE template_settings ADD UNIQUE KEY IF NOT EXISTS setting_of_group (template_id, group_id, giving);
ALTER TABLE template_settings ADD UNIQUE KEY IF NOT EXISTS setting_of_permission (template_id, permission_id, giving);
ALTER TABLE template_settings DROP KEY IF EXISTS setting_group;
ALTER TABLE template_settings DROP KEY IF EXISTS setting_permission;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
DELETE FROM template_settings WHERE giving;
ALTER TABLE template_settings ADD UNIQUE KEY IF NOT EXISTS setting_group (template_id, group_id);
ALTER TABLE template_settings ADD UNIQUE KEY IF NOT EXISTS setting_permission (template_id, permission_id);
ALTER TABLE template_settings DROP KEY IF EXISTS setting_of_group;
ALTER TABLE template_settings DROP KEY IF EXISTS setting_of_permission;
ALTER TABLE template_settings DROP COLUMN IF EXISTS giving;
