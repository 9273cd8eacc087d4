-- References between records: a row for each, kept under the field that was made first of the two that show it.
ALTER TABLE field ADD COLUMN IF NOT EXISTS refers_to BIGINT;
ALTER TABLE field ADD COLUMN IF NOT EXISTS back BIGINT;
ALTER TABLE field ADD COLUMN IF NOT EXISTS leads TINYINT(1) NOT NULL DEFAULT 1;
CREATE TABLE IF NOT EXISTS record_reference (
  field_id BIGINT NOT NULL,
  from_id BIGINT NOT NULL,
  to_id BIGINT NOT NULL,
  position INT NOT NULL,
  PRIMARY KEY (field_id, from_id, to_id),
  KEY backwards (field_id, to_id)
);
