-- What was deleted and can be brought back for a while: by its kind and number, with its name as it was, and who deleted it.
CREATE TABLE IF NOT EXISTS trash (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  kind VARCHAR(10) CHARACTER SET ascii NOT NULL,
  database_id BIGINT NOT NULL DEFAULT 0,
  item_id BIGINT NOT NULL,
  name VARCHAR(300),
  deleted_by VARCHAR(200) NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY one (workspace_id, kind, database_id, item_id),
  KEY in_order (workspace_id, id),
  KEY by_age (workspace_id, at)
);
ALTER TABLE workflow ADD COLUMN IF NOT EXISTS deleted_at DATETIME(3);
INSERT IGNORE INTO trash (workspace_id, kind, item_id, name, deleted_by, at)
  SELECT workspace_id, 'database', id, name, 'somebody', deleted_at FROM `database` WHERE deleted_at IS NOT NULL;
INSERT IGNORE INTO trash (workspace_id, kind, database_id, item_id, name, deleted_by)
  SELECT workspace_id, 'field', database_id, id, name, 'somebody' FROM field WHERE state = 'gone';
INSERT IGNORE INTO trash (workspace_id, kind, database_id, item_id, deleted_by, at)
  SELECT c.workspace_id, 'record', c.database_id, c.record_id, COALESCE(JSON_VALUE(c.origin, '$.person'), 'a workflow'), c.at
  FROM `change` c WHERE c.kind = 'delete' AND NOT EXISTS (SELECT 1 FROM `change` l WHERE l.workspace_id = c.workspace_id
  AND l.database_id = c.database_id AND l.record_id = c.record_id AND l.seq > c.seq);
