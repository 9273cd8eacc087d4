-- The labels of records: the values of many-valued fields, in their order. `label` is the id of one of the field's choices.
CREATE TABLE record_label (
  database_id BIGINT NOT NULL,
  record_id BIGINT NOT NULL,
  field_id BIGINT NOT NULL,
  position SMALLINT NOT NULL,
  label VARCHAR(20) NOT NULL,
  PRIMARY KEY (database_id, record_id, field_id, position),
  KEY by_label (field_id, label, record_id)
);
