-- How long a workspace keeps what runs carried, and the runs themselves, in days. Content goes first.
ALTER TABLE workspace ADD COLUMN keep_content_days INT NOT NULL DEFAULT 90, ADD COLUMN keep_runs_days INT NOT NULL DEFAULT 400;
ALTER TABLE run ADD COLUMN pruned TINYINT NOT NULL DEFAULT 0, ADD KEY by_time (workspace_id, pruned, created_at, workflow_id);
-- What went wrong with each attempt of a run.
CREATE TABLE run_attempt (
  run_id BIGINT NOT NULL,
  number INT NOT NULL,
  workspace_id BIGINT NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  sentence VARCHAR(1000) NOT NULL,
  again_in DOUBLE,
  KEY (run_id, number)
);
-- Where a person is told what needs them.
ALTER TABLE person ADD COLUMN email VARCHAR(320);
-- Causes of which the owner was told, when, and how they stood then, so that nobody is told of one twice in an hour, nor of the
-- same thing again.
CREATE TABLE told (
  workspace_id BIGINT NOT NULL,
  cause BINARY(32) NOT NULL,
  stood BINARY(32) NOT NULL,
  told_at DATETIME(3) NOT NULL,
  PRIMARY KEY (workspace_id, cause)
);
-- Work that is done from time to time, by one worker.
CREATE TABLE upkeep (
  name VARCHAR(40) PRIMARY KEY,
  due_at DATETIME(3) NOT NULL
);
-- What is known of a source that usually speaks and does not: since when, and the likely cause.
ALTER TABLE workflow ADD COLUMN silence LONGTEXT;
-- A failed run that somebody has looked at and left as it is.
ALTER TABLE run ADD COLUMN left_at DATETIME(3);
