-- Events that happen in Kelvix itself bring what they carry with them. `causes`: the workflows whose runs led to one.
ALTER TABLE event ADD COLUMN title VARCHAR(300), ADD COLUMN item LONGTEXT, ADD COLUMN causes VARCHAR(2000);

-- What a workflow that is on listens to in Kelvix itself: records, a schedule, an address, or nothing but people.
-- An address is there from when it was made, whether the workflow is on or off.
CREATE TABLE listening (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  version_id BIGINT,
  kind VARCHAR(10) NOT NULL,
  state VARCHAR(10) NOT NULL,
  database_id BIGINT,
  cursor_at BIGINT NOT NULL DEFAULT 0,
  last_at DATETIME(3),
  next_at DATETIME(3),
  token_digest BINARY(32),
  token VARBINARY(500),
  secret VARBINARY(500),
  note LONGTEXT,
  UNIQUE KEY (workspace_id, workflow_id),
  UNIQUE KEY (token_digest),
  KEY (kind, state, next_at)
);

-- A record that began to be what a workflow waits for, and has not been quiet or filled for long enough yet.
CREATE TABLE settling (
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  record_id BIGINT NOT NULL,
  seq BIGINT NOT NULL,
  before_values LONGTEXT,
  causes VARCHAR(2000),
  due_at DATETIME(3),
  PRIMARY KEY (workflow_id, record_id),
  KEY (due_at)
);

-- Requests to an address, counted by the minute where they are limited.
CREATE TABLE request_count (
  listening_id BIGINT NOT NULL,
  minute BIGINT NOT NULL,
  n INT NOT NULL,
  PRIMARY KEY (listening_id, minute)
);
