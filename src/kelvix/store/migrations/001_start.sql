-- Times are UTC with milliseconds. Digests are BINARY(32): a collation must never decide that two keys are one.

CREATE TABLE workspace (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  server VARCHAR(40) NOT NULL DEFAULT 'home',
  timezone VARCHAR(64) NOT NULL DEFAULT 'Europe/London',
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

CREATE TABLE person (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  role VARCHAR(10) NOT NULL,
  KEY (workspace_id)
);

CREATE TABLE sign_in_link (
  digest BINARY(32) PRIMARY KEY,
  person_id BIGINT NOT NULL,
  expires_at DATETIME(3) NOT NULL,
  used_at DATETIME(3)
);

CREATE TABLE session (
  digest BINARY(32) PRIMARY KEY,
  person_id BIGINT NOT NULL,
  expires_at DATETIME(3) NOT NULL
);

CREATE TABLE api_token (
  digest BINARY(32) PRIMARY KEY,
  person_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);

-- One row per workspace and name. The change log's sequence is taken from here last in a transaction, so that
-- numbers become visible in the order in which they were given.
CREATE TABLE counter (
  workspace_id BIGINT NOT NULL,
  name VARCHAR(20) NOT NULL,
  n BIGINT NOT NULL,
  PRIMARY KEY (workspace_id, name)
);

CREATE TABLE idempotency (
  workspace_id BIGINT NOT NULL,
  digest BINARY(32) NOT NULL,
  answer LONGTEXT,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (workspace_id, digest)
);

CREATE TABLE `database` (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  state VARCHAR(10) NOT NULL DEFAULT 'adding',
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  deleted_at DATETIME(3),
  KEY (workspace_id)
);

CREATE TABLE field (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  database_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  type VARCHAR(20) NOT NULL,
  required TINYINT(1) NOT NULL DEFAULT 0,
  choices LONGTEXT NOT NULL,
  position INT NOT NULL,
  state VARCHAR(10) NOT NULL DEFAULT 'adding',
  KEY (workspace_id, database_id)
);

CREATE TABLE `change` (
  workspace_id BIGINT NOT NULL,
  seq BIGINT NOT NULL,
  database_id BIGINT NOT NULL,
  record_id BIGINT NOT NULL,
  version INT NOT NULL,
  kind VARCHAR(10) NOT NULL,
  run_id BIGINT,
  line_id VARCHAR(20),
  origin LONGTEXT NOT NULL,
  before_values LONGTEXT,
  after_values LONGTEXT,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (workspace_id, seq),
  KEY (workspace_id, database_id, record_id, seq),
  KEY (workspace_id, run_id)
);

CREATE TABLE connection (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  app VARCHAR(40) NOT NULL,
  name VARCHAR(200) NOT NULL,
  account VARCHAR(320) NOT NULL,
  state VARCHAR(10) NOT NULL,
  reason VARCHAR(1000),
  secret VARBINARY(8000) NOT NULL,
  expires_at DATETIME(3),
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (workspace_id)
);

CREATE TABLE consent (
  digest BINARY(32) PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  session_digest BINARY(32) NOT NULL,
  app VARCHAR(40) NOT NULL,
  connection_id BIGINT,
  secret VARBINARY(1000) NOT NULL,
  expires_at DATETIME(3) NOT NULL
);

CREATE TABLE workflow (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  state VARCHAR(10) NOT NULL DEFAULT 'off',
  reason VARCHAR(1000),
  draft LONGTEXT NOT NULL,
  draft_version INT NOT NULL DEFAULT 1,
  live_version_id BIGINT,
  tried_ok_at DATETIME(3),
  turned_on_at DATETIME(3),
  turned_off_at DATETIME(3),
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (workspace_id)
);

CREATE TABLE workflow_version (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  number INT NOT NULL,
  document LONGTEXT NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY (workflow_id, number)
);

CREATE TABLE sample (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  kind VARCHAR(10) NOT NULL,
  item_id VARCHAR(200),
  item LONGTEXT NOT NULL,
  item_at DATETIME(3) NOT NULL,
  KEY (workspace_id, workflow_id)
);

-- What a workflow that is on listens to: a container of an app, by push and by polling from a cursor.
CREATE TABLE watch (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  connection_id BIGINT NOT NULL,
  container VARCHAR(200) NOT NULL,
  version_id BIGINT NOT NULL,
  state VARCHAR(10) NOT NULL,
  cursor_from BIGINT NOT NULL,
  cursor_at BIGINT NOT NULL,
  push_id VARCHAR(200),
  push_secret VARBINARY(500),
  next_check_at DATETIME(3) NOT NULL,
  last_check_at DATETIME(3),
  problem VARCHAR(1000),
  failures INT NOT NULL DEFAULT 0,
  UNIQUE KEY (workspace_id, workflow_id),
  KEY (state, next_check_at)
);

-- Every source item that was taken in, once: the unique key recognises a repeat, by push or by polling.
CREATE TABLE event (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  version_id BIGINT NOT NULL,
  digest BINARY(32) NOT NULL,
  item_id VARCHAR(200) NOT NULL,
  came_by VARCHAR(10) NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY (workspace_id, workflow_id, digest)
);

CREATE TABLE run (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  version_id BIGINT NOT NULL,
  event_id BIGINT,
  kind VARCHAR(10) NOT NULL,
  only_line VARCHAR(20),
  state VARCHAR(10) NOT NULL,
  item_id VARCHAR(200) NOT NULL,
  title VARCHAR(300),
  item LONGTEXT,
  problem LONGTEXT,
  attempts INT NOT NULL DEFAULT 0,
  token BIGINT NOT NULL DEFAULT 0,
  lease_until DATETIME(3),
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  finished_at DATETIME(3),
  undone_at DATETIME(3),
  KEY (workspace_id, workflow_id, id),
  KEY (workspace_id, id),
  KEY (event_id),
  KEY (lease_until)
);

CREATE TABLE run_line (
  workspace_id BIGINT NOT NULL,
  run_id BIGINT NOT NULL,
  line_id VARCHAR(20) NOT NULL,
  outcome VARCHAR(12) NOT NULL,
  input LONGTEXT,
  output LONGTEXT,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (run_id, line_id)
);

-- Work that can be taken up. A row goes when it is claimed; the run then carries the lease.
CREATE TABLE ready (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  event_id BIGINT,
  run_id BIGINT,
  due_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (due_at)
);

-- Processes that want to be told of new work, see engine/dispatch.py.
CREATE TABLE listener (
  address VARCHAR(100) PRIMARY KEY,
  wants VARCHAR(10) NOT NULL,
  seen_at DATETIME(3) NOT NULL
);
