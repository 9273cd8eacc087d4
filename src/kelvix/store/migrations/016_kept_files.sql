-- Files that people put into records by hand: their content lies here, in pieces, so that every host can read it. One that is not
-- whole yet is of no use, and forgotten after a day.
CREATE TABLE kept_file (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  name VARCHAR(255) NOT NULL,
  kind VARCHAR(200) NOT NULL,
  size BIGINT NOT NULL DEFAULT 0,
  whole BOOLEAN NOT NULL DEFAULT 0,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY (whole, created_at)
);
CREATE TABLE kept_file_piece (
  file_id BIGINT NOT NULL,
  number INT NOT NULL,
  content MEDIUMBLOB NOT NULL,
  PRIMARY KEY (file_id, number)
);
