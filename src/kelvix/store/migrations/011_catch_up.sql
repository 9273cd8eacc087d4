-- Past items of a workflow's source that are carried for real, as one set. `recognises`: by which fields of an Add line's database
-- a record is known to be there already. Items become events a few at a time.
CREATE TABLE catch_up (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  version_id BIGINT NOT NULL,
  container VARCHAR(200) NOT NULL,
  recognises LONGTEXT NOT NULL,
  state VARCHAR(10) NOT NULL DEFAULT 'running',
  total INT NOT NULL,
  by_person VARCHAR(200) NOT NULL,
  started_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  ended_at DATETIME(3),
  KEY (workspace_id, workflow_id, id),
  KEY (state)
);
CREATE TABLE catch_up_item (
  catch_up_id BIGINT NOT NULL,
  position INT NOT NULL,
  item_id VARCHAR(200) NOT NULL,
  state VARCHAR(10) NOT NULL DEFAULT 'to_come',
  PRIMARY KEY (catch_up_id, position),
  KEY (catch_up_id, state)
);
ALTER TABLE run ADD KEY (catch_up_id);
