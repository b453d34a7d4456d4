-- +goose Up
-- When something that is done now and then was done last, by whichever instance.
CREATE TABLE IF NOT EXISTS looks (
  what    VARCHAR(32) NOT NULL PRIMARY KEY,
  last_at DATETIME NOT NULL
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE looks;
