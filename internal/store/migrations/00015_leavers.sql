-- +goose Up
SET @@system_versioning_alter_history = KEEP;

-- Who leaves is a leaver, and has left. What was logged under the words of before is read under those of now.
ALTER TABLE staff CHANGE COLUMN IF EXISTS departed_at leaves_at DATETIME NULL;
UPDATE permissions SET `key` = 'console.leave', title = 'Record leavers and reinstate' WHERE `key` = 'console.depart';
UPDATE drafts SET edits = REPLACE(REPLACE(edits, '"staff.depart"', '"staff.leave"'), '"console.depart"', '"console.leave"')
  WHERE edits LIKE '%.depart"%';

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
ALTER TABLE staff CHANGE COLUMN leaves_at departed_at DATETIME NULL;
UPDATE permissions SET `key` = 'console.depart' WHERE `key` = 'console.leave';
UPDATE drafts SET edits = REPLACE(REPLACE(edits, '"staff.leave"', '"staff.depart"'), '"console.leave"', '"console.depart"')
  WHERE edits LIKE '%.leave"%';
