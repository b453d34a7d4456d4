-- +goose Up
-- Each change has one instant, which all its rows carry in the history, and one at which it was kept. What was at a
-- moment is what the last change that was kept by then left.
CREATE TABLE IF NOT EXISTS instants (
  revision BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  stamp    DATETIME(6) NOT NULL,
  kept_at  DATETIME(6) NOT NULL,
  KEY instant_kept (kept_at, stamp)
) ENGINE=InnoDB;

ALTER TABLE organisation ADD COLUMN IF NOT EXISTS kept_at DATETIME(6) NULL;

-- +goose Down
ALTER TABLE organisation DROP COLUMN kept_at;
DROP TABLE instants;
