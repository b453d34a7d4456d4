-- The organisation is a place: the root of the estate, in which all sites stand. The service puts it there at its next
-- start, as a change of its own; until then sites stand at the top.

-- +goose Up
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE places DROP CONSTRAINT IF EXISTS place_site_has_no_parent;
ALTER TABLE places MODIFY COLUMN kind ENUM('organisation','site','zone','door','device','work_centre') NOT NULL;
ALTER TABLE places ADD CONSTRAINT IF NOT EXISTS place_has_parent CHECK (kind IN ('organisation','site') OR parent_id IS NOT NULL);
ALTER TABLE permissions MODIFY COLUMN kinds SET('organisation','site','zone','door','device','work_centre') NOT NULL;

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE places DROP CONSTRAINT IF EXISTS place_has_parent;
UPDATE places SET parent_id = NULL WHERE kind = 'site';
DELETE FROM places WHERE kind = 'organisation';
ALTER TABLE places MODIFY COLUMN kind ENUM('site','zone','door','device','work_centre') NOT NULL;
ALTER TABLE places ADD CONSTRAINT IF NOT EXISTS place_site_has_no_parent CHECK ((kind = 'site') = (parent_id IS NULL));
UPDATE permissions SET kinds = REPLACE(REPLACE(kinds, 'organisation,', ''), 'organisation', 'site');
ALTER TABLE permissions MODIFY COLUMN kinds SET('site','zone','door','device','work_centre') NOT NULL;
