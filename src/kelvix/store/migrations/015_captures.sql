-- Addresses that take quick input without a sign-in: for phone shortcuts, scripts and bookmark buttons. `database_id`: where what
-- comes is kept; none for where its words point.
CREATE TABLE capture_address (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  person_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  database_id BIGINT,
  token_digest BINARY(32) NOT NULL,
  token BLOB NOT NULL,
  minute BIGINT NOT NULL DEFAULT 0,
  in_minute INT NOT NULL DEFAULT 0,
  taken BIGINT NOT NULL DEFAULT 0,
  last_at DATETIME(3),
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY (workspace_id, token_digest)
);
-- In which databases the words of a person's captures were kept, and how often: by that the next one is proposed.
CREATE TABLE capture_word (
  workspace_id BIGINT NOT NULL,
  person_id BIGINT NOT NULL,
  word BINARY(32) NOT NULL,
  database_id BIGINT NOT NULL,
  n INT NOT NULL,
  last_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3) ON UPDATE CURRENT_TIMESTAMP(3),
  PRIMARY KEY (workspace_id, person_id, word, database_id)
);
