-- +goose Up
SET @@system_versioning_alter_history = KEEP;

CREATE TABLE IF NOT EXISTS teams (
  id       INT UNSIGNED NOT NULL PRIMARY KEY,
  code     VARCHAR(32) NOT NULL,
  name     VARCHAR(120) NOT NULL,
  summary  VARCHAR(1000) NOT NULL,
  retired  BOOLEAN NOT NULL,
  revision BIGINT UNSIGNED NOT NULL,
  UNIQUE KEY team_code (code),
  KEY team_revision (revision)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

CREATE TABLE IF NOT EXISTS members (
  id       INT UNSIGNED NOT NULL PRIMARY KEY,
  team_id  INT UNSIGNED NOT NULL,
  staff_id INT UNSIGNED NOT NULL,
  leads    BOOLEAN NOT NULL,
  ended    BOOLEAN NOT NULL,
  revision BIGINT UNSIGNED NOT NULL,
  KEY member_team (team_id),
  KEY member_staff (staff_id),
  KEY member_revision (revision),
  CONSTRAINT fk_member_team FOREIGN KEY (team_id) REFERENCES teams (id),
  CONSTRAINT fk_member_staff FOREIGN KEY (staff_id) REFERENCES staff (id)
) ENGINE=InnoDB WITH SYSTEM VERSIONING;

-- To see staff says from now on whose records: what was "yes" is "all".
UPDATE exceptions JOIN permissions ON permissions.id = exceptions.permission_id SET exceptions.level = 3
  WHERE permissions.`key` = 'console.view_staff' AND permissions.scale NOT LIKE '%team%' AND exceptions.level = 1;
UPDATE template_settings JOIN permissions ON permissions.id = template_settings.permission_id
  SET template_settings.word = 'all' WHERE permissions.`key` = 'console.view_staff' AND template_settings.word = 'yes';
UPDATE drafts SET edits = REPLACE(edits, '"console.view_staff":"yes"', '"console.view_staff":"all"')
  WHERE edits LIKE '%"console.view_staff":"yes"%';
UPDATE permissions SET scale = '{"kind":"levels","levels":["none","own","team","all"]}',
  sentence = 'Sees the people who belong to or work at the place: oneself, those in teams that one leads, or all.'
  WHERE `key` = 'console.view_staff';

-- +goose Down
SET @@system_versioning_alter_history = KEEP;
UPDATE exceptions JOIN permissions ON permissions.id = exceptions.permission_id SET exceptions.level = 1
  WHERE permissions.`key` = 'console.view_staff' AND exceptions.level = 3;
UPDATE template_settings JOIN permissions ON permissions.id = template_settings.permission_id
  SET template_settings.word = 'yes' WHERE permissions.`key` = 'console.view_staff' AND template_settings.word = 'all';
UPDATE permissions SET scale = '{"kind":"switch"}' WHERE `key` = 'console.view_staff';
DROP TABLE members, teams;
