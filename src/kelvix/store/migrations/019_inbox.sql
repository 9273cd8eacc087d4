-- What was accepted and cannot be carried yet, since its workflow is paused or its workspace is at a limit: by the place that it
-- came to, and numbered there. It goes on when that has passed; only a person drops it. `size` is in bytes.
CREATE TABLE IF NOT EXISTS inbox (
  workspace_id BIGINT NOT NULL,
  subscription VARCHAR(40) CHARACTER SET ascii NOT NULL,
  n BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  digest BINARY(32) NOT NULL,
  item_id VARCHAR(200) NOT NULL,
  came_by VARCHAR(10) NOT NULL,
  title VARCHAR(300),
  item LONGTEXT,
  size INT NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (workspace_id, subscription, n),
  UNIQUE KEY (workspace_id, workflow_id, digest),
  KEY in_order (workspace_id, workflow_id, n)
);
-- What a workspace uses of what it may: bytes that are kept for it, and whether it has had its runs of the last 24 hours.
CREATE TABLE IF NOT EXISTS workspace_usage (
  workspace_id BIGINT PRIMARY KEY,
  bytes BIGINT NOT NULL DEFAULT 0,
  is_over TINYINT NOT NULL DEFAULT 0
);
ALTER TABLE workspace ADD COLUMN IF NOT EXISTS most_bytes BIGINT NOT NULL DEFAULT 21474836480,
  ADD COLUMN IF NOT EXISTS most_runs_a_day INT NOT NULL DEFAULT 100000,
  ADD COLUMN IF NOT EXISTS most_calls_a_minute INT NOT NULL DEFAULT 6000;
INSERT IGNORE INTO workspace_usage (workspace_id, bytes) SELECT workspace_id, SUM(size) FROM kept_file GROUP BY workspace_id;
