-- +goose Up
-- Guesses are counted by what whoever guesses cannot choose: the device too. Wrong PINs with a badge pause the badge
-- where they were typed; the person is not locked any more, so nothing says for how long.
ALTER TABLE tries
  MODIFY COLUMN kind ENUM('account','address','pair','reader','pin','staff','device','badge') NOT NULL;
DELETE FROM tries WHERE kind = 'staff';
ALTER TABLE tries
  MODIFY COLUMN kind ENUM('account','address','pair','reader','pin','device','badge') NOT NULL;

-- +goose Down
DELETE FROM tries WHERE kind IN ('device', 'badge');
ALTER TABLE tries MODIFY COLUMN kind ENUM('account','address','pair','reader','pin','staff') NOT NULL;
