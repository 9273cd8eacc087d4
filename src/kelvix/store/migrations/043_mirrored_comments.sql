-- Comments that mirrors added, and the root of each, so that none goes round, and none is added twice.
CREATE TABLE IF NOT EXISTS mirrored_comment (
  collection_id BIGINT NOT NULL,
  item_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  comment_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  workspace_id BIGINT NOT NULL,
  root CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  PRIMARY KEY (collection_id, item_id, comment_id)
);
