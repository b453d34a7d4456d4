-- +goose Up
-- What may run out: a manager has seen it and said why. Kept until a while after it has run out.
CREATE TABLE IF NOT EXISTS let_go (
  kind      VARCHAR(16) NOT NULL,
  record    INT UNSIGNED NOT NULL,
  at        BIGINT NOT NULL,
  let_go_by INT UNSIGNED NOT NULL,
  reason    VARCHAR(500) NOT NULL,
  made_at   DATETIME NOT NULL,
  PRIMARY KEY (kind, record, at),
  KEY let_go_at (at)
) ENGINE=InnoDB;

-- Addresses at which a manager's calendar reads what runs out. The address is the secret, and is kept as its digest.
CREATE TABLE IF NOT EXISTS feeds (
  id         INT UNSIGNED NOT NULL PRIMARY KEY AUTO_INCREMENT,
  token      BINARY(32) NOT NULL UNIQUE,
  staff_id   INT UNSIGNED NOT NULL,
  name       VARCHAR(100) NOT NULL,
  created_at DATETIME NOT NULL,
  last_used  DATETIME NULL,
  KEY feed_staff (staff_id),
  CONSTRAINT fk_feed_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE feeds, let_go;
