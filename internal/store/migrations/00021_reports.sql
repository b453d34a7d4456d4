-- +goose Up
-- Reports that are mailed to somebody now and then.
CREATE TABLE IF NOT EXISTS mailed_reports (
  id       BIGINT UNSIGNED NOT NULL PRIMARY KEY AUTO_INCREMENT,
  staff_id INT UNSIGNED NOT NULL,
  report   VARCHAR(32) NOT NULL,
  query    TEXT NOT NULL,
  often    VARCHAR(16) NOT NULL,
  next_at  DATETIME NOT NULL,
  KEY mailed_report_staff (staff_id),
  KEY mailed_report_next (next_at),
  CONSTRAINT fk_mailed_report_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
) ENGINE=InnoDB;

-- +goose Down
DROP TABLE mailed_reports;
