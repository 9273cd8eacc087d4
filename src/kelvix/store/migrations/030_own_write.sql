-- What a workflow wrote in the place that it listens to, by what would tell it of that: no run is started by it.
CREATE TABLE own_write (
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  digest BINARY(32) NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (workflow_id, digest),
  KEY (workspace_id, at)
);
-- Whether the version that listens writes in apps, so that what it reads may be its own.
ALTER TABLE consumer ADD COLUMN writes_in_apps TINYINT(1) NOT NULL DEFAULT 0;
ALTER TABLE intent ADD KEY open_ones (workspace_id, state);
