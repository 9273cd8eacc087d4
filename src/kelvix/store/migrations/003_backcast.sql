-- A rehearsal over past events: what a draft would have done with each. `found` counts the outcomes, with a few items of each.
CREATE TABLE backcast (
  id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  state VARCHAR(12) CHARACTER SET ascii NOT NULL DEFAULT 'running',
  document MEDIUMTEXT NOT NULL,
  seen INT NOT NULL DEFAULT 0,
  found MEDIUMTEXT NOT NULL,
  oldest DATETIME(3) NULL,
  newest DATETIME(3) NULL,
  reach VARCHAR(500) NOT NULL,
  problem VARCHAR(500) NULL,
  started_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  beat_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY of_workflow (workspace_id, workflow_id, id)
) ENGINE=InnoDB;
