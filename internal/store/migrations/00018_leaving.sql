-- +goose Up
-- What of somebody's leaving was ticked off by hand. Whatever follows from the records stands nowhere else.
CREATE TABLE IF NOT EXISTS leaving_done (
  staff_id INT UNSIGNED NOT NULL,
  item     VARCHAR(40) NOT NULL,
  done_by  INT UNSIGNED NOT NULL,
  done_at  DATETIME NOT NULL,
  PRIMARY KEY (staff_id, item)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE leaving_done;
