-- +goose Up
-- Messages that wait for the digest that their reader has chosen, and what each has chosen to be told.
ALTER TABLE mails ADD COLUMN IF NOT EXISTS digest VARCHAR(16) NOT NULL DEFAULT '' AFTER problem;
ALTER TABLE mails ADD KEY IF NOT EXISTS mail_staff (staff_id, id);
ALTER TABLE mails ADD KEY IF NOT EXISTS mail_digest (digest, staff_id);
UPDATE mails SET kind = CASE kind WHEN 'reminder' THEN 'expiring' ELSE REPLACE(kind, ' ', '_') END;
CREATE TABLE IF NOT EXISTS message_choices (
  staff_id INT UNSIGNED NOT NULL PRIMARY KEY,
  choice   TEXT NOT NULL,
  CONSTRAINT fk_message_choice_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE message_choices;
ALTER TABLE mails DROP KEY mail_digest, DROP KEY mail_staff, DROP COLUMN digest;
