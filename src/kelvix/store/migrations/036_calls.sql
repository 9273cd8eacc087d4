-- How many calls were made by each connection on each day, and how many its app says that it takes.
CREATE TABLE call_count (
  workspace_id BIGINT NOT NULL,
  connection_id BIGINT NOT NULL,
  day DATE NOT NULL,
  calls INT NOT NULL,
  PRIMARY KEY (workspace_id, connection_id, day)
);
CREATE TABLE call_limit (
  workspace_id BIGINT NOT NULL,
  connection_id BIGINT NOT NULL,
  name VARCHAR(100) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  most BIGINT NOT NULL,
  window_seconds BIGINT NOT NULL,
  remaining BIGINT NOT NULL,
  resets_at DATETIME(3) NOT NULL,
  said_at DATETIME(3) NOT NULL,
  PRIMARY KEY (workspace_id, connection_id, name)
);
