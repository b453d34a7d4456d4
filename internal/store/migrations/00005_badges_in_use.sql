-- +goose Up
SET @@system_versioning_alter_history = KEEP;

-- A badge belongs to the stock of a site, and a credential says since when it does not count, and why.
ALTER TABLE badges
  ADD COLUMN IF NOT EXISTS site_id INT UNSIGNED NOT NULL AFTER label,
  ADD CONSTRAINT fk_badge_site FOREIGN KEY IF NOT EXISTS (site_id) REFERENCES places (id);

-- A door may ask for more outside opening hours.
ALTER TABLE places ADD COLUMN IF NOT EXISTS proof_outside VARCHAR(16) NOT NULL DEFAULT '' AFTER proof;

ALTER TABLE credentials
  ADD COLUMN IF NOT EXISTS state_since  DATETIME NULL AFTER issued_at,
  ADD COLUMN IF NOT EXISTS state_reason VARCHAR(500) NOT NULL DEFAULT '' AFTER state_since,
  ADD COLUMN IF NOT EXISTS duress       BOOLEAN NOT NULL DEFAULT FALSE AFTER must_change,
  ADD KEY IF NOT EXISTS credential_badge (badge_id),
  DROP CONSTRAINT IF EXISTS credential_secret,
  ADD CONSTRAINT credential_secret CHECK (state = 'withdrawn' OR (kind = 'pin') = (digest IS NOT NULL));

-- Where wrong tries are held up can be named: a reader at a place, or a person known by their badge.
ALTER TABLE tries
  MODIFY COLUMN kind ENUM('account','address','pair','reader','pin','staff') NOT NULL,
  ADD COLUMN IF NOT EXISTS place_id INT UNSIGNED NULL,
  ADD COLUMN IF NOT EXISTS staff_id INT UNSIGNED NULL,
  ADD KEY IF NOT EXISTS tries_place (place_id),
  ADD KEY IF NOT EXISTS tries_staff (staff_id);

-- +goose Down
ALTER TABLE tries DROP COLUMN place_id, DROP COLUMN staff_id;
DELETE FROM tries WHERE kind = 'staff';
ALTER TABLE tries MODIFY COLUMN kind ENUM('account','address','pair','reader','pin') NOT NULL;
ALTER TABLE credentials DROP COLUMN state_since, DROP COLUMN state_reason, DROP COLUMN duress;
ALTER TABLE badges DROP FOREIGN KEY fk_badge_site, DROP COLUMN site_id;
ALTER TABLE places DROP COLUMN proof_outside;
