-- Work that is ready stands in queues, which take turns: one for each workflow, 0 for what people wait for, and below zero for
-- what a workflow catches up on. `suspect`: it ended its worker before, and is carried alone.
ALTER TABLE ready ADD COLUMN queue BIGINT NOT NULL DEFAULT 0, ADD COLUMN suspect TINYINT NOT NULL DEFAULT 0,
  DROP KEY due_at, ADD KEY taking_turns (workspace_id, queue, due_at);

-- `endings`: how often a run ended its worker. `turn`: its call of an app has its turn. `again_of`: the run that it repeats.
ALTER TABLE run ADD COLUMN lane BINARY(32), ADD COLUMN endings INT NOT NULL DEFAULT 0, ADD COLUMN turn TINYINT NOT NULL DEFAULT 0,
  ADD COLUMN again_of BIGINT, ADD COLUMN catch_up_id BIGINT;

-- Events that wait for the one before them, where a workflow carries what belongs together in order. A lane's row is locked
-- when an event is taken in and when a run ends; the first in a lane is the one that is carried.
ALTER TABLE event ADD COLUMN lane BINARY(32), ADD COLUMN catch_up_id BIGINT;
ALTER TABLE workflow ADD COLUMN live_order VARCHAR(4) NOT NULL DEFAULT 'any';
CREATE TABLE lane (
  digest BINARY(32) PRIMARY KEY
);
CREATE TABLE lane_place (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  lane BINARY(32) NOT NULL,
  event_id BIGINT NOT NULL,
  KEY (lane, id),
  KEY (workspace_id, workflow_id),
  UNIQUE KEY (event_id)
);

-- Connections whose app asked for fewer calls: when the next call may be made, and how far apart calls are kept.
CREATE TABLE pace (
  workspace_id BIGINT NOT NULL,
  connection_id BIGINT NOT NULL,
  every DOUBLE NOT NULL,
  next_at DATETIME(3) NOT NULL,
  PRIMARY KEY (workspace_id, connection_id)
);
