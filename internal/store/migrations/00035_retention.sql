-- +goose Up
-- From where on a kind of history is kept: what was before was removed on purpose. The mac is of the service, so that
-- nobody else takes anything off unseen.
CREATE TABLE IF NOT EXISTS kept_from (
  kind       VARCHAR(20) NOT NULL PRIMARY KEY,
  first_id   BIGINT UNSIGNED NOT NULL,
  previous   VARBINARY(32) NOT NULL,
  removed    BIGINT UNSIGNED NOT NULL,
  removed_at DATETIME(6) NOT NULL,
  mac        BINARY(32) NOT NULL
) ENGINE=InnoDB;

-- A rare reason among many events
ALTER TABLE events ADD KEY IF NOT EXISTS event_reason (reason, id);

-- +goose Down
ALTER TABLE events DROP KEY IF EXISTS event_reason;
DROP TABLE IF EXISTS kept_from;
