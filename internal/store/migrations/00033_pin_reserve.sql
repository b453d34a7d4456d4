-- +goose Up
-- PINs that were generated and hashed ahead of time, sealed. One is taken out when it is given to somebody, in the order
-- of its keyed digest, which is none.
CREATE TABLE IF NOT EXISTS pin_reserve (
  digest BINARY(32) NOT NULL PRIMARY KEY,
  digits TINYINT UNSIGNED NOT NULL,
  sealed VARBINARY(120) NOT NULL,
  pin    VARBINARY(120) NOT NULL,
  KEY pin_reserve_digits (digits)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE IF EXISTS pin_reserve;
