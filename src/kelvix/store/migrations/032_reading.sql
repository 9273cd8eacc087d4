-- Sheets whose rows have no identity in their app: what was read of them, each time that they were another; and what a person said
-- of where their header is and by which column rows are told apart.
CREATE TABLE reading (
  workspace_id BIGINT NOT NULL,
  account VARCHAR(300) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  place VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  n BIGINT NOT NULL,
  content LONGBLOB NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (workspace_id, account, place, n)
);
CREATE TABLE reading_rule (
  workspace_id BIGINT NOT NULL,
  account VARCHAR(300) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  place VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  header INT,
  key_column VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin,
  PRIMARY KEY (workspace_id, account, place)
);
-- What is about to be written to a row, so that it is known for the same afterwards; `null` where it is about to be deleted.
CREATE TABLE reading_meant (
  workspace_id BIGINT NOT NULL,
  account VARCHAR(300) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  place VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  row_id VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  cells LONGTEXT NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (workspace_id, account, place, row_id)
);
