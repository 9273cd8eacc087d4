-- What a run asks a person, at a line and in a round. The run rests until it is answered.
CREATE TABLE question (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  run_id BIGINT NOT NULL,
  line_id VARCHAR(20) NOT NULL,
  place VARCHAR(40) NOT NULL,
  kind VARCHAR(10) NOT NULL,
  asked LONGTEXT NOT NULL,
  answer LONGTEXT,
  answered_by VARCHAR(200),
  asked_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  answered_at DATETIME(3),
  UNIQUE KEY (run_id, line_id, place),
  KEY (workspace_id, answered_at, id)
);
