-- How databases are looked at. `document` as core/views.py keeps it; `index_state`: whether the view is still to get an index of its
-- own (wanted), or has what it can have (ready).
CREATE TABLE IF NOT EXISTS view (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  database_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  position INT NOT NULL,
  document LONGTEXT NOT NULL,
  version INT NOT NULL DEFAULT 1,
  index_state VARCHAR(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT 'wanted',
  created_by VARCHAR(200) NOT NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY of_database (workspace_id, database_id, position),
  KEY by_index_state (index_state)
);
