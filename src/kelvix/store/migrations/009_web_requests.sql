-- Secrets of a workflow's lines (the headers of web requests), sealed. They are never shown again.
CREATE TABLE kept_secret (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  secret VARBINARY(8000) NOT NULL,
  KEY (workspace_id, workflow_id)
);
