-- What happens at a place of an account is read once, into a journal; whoever listens to it is a consumer with a place in the journal.
-- `account` is not known of what was listened to before, until its app is asked again. `branch`: 0 for the subscription that others
-- join; its own number for one that was there before and has not read as far as that.
CREATE TABLE subscription (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  account VARCHAR(300) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin,
  place VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  branch BIGINT NOT NULL DEFAULT 0,
  connection_id BIGINT NOT NULL,
  state VARCHAR(4) NOT NULL,
  cursor_at VARCHAR(500) NOT NULL,
  n BIGINT NOT NULL DEFAULT 0,
  is_full TINYINT NOT NULL DEFAULT 0,
  push_id VARCHAR(200),
  push_secret VARBINARY(500),
  next_check_at DATETIME(3) NOT NULL,
  last_check_at DATETIME(3),
  problem VARCHAR(1000),
  failures INT NOT NULL DEFAULT 0,
  turn TINYINT NOT NULL DEFAULT 0,
  UNIQUE KEY one (workspace_id, account, place, branch),
  KEY due (state, next_check_at),
  KEY by_connection (workspace_id, connection_id)
);
-- `is_read` says that it was read from the app, and not only pushed.
CREATE TABLE source_change (
  subscription_id BIGINT NOT NULL,
  n BIGINT NOT NULL,
  workspace_id BIGINT NOT NULL,
  item_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  told VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  revision BIGINT NOT NULL,
  came_by VARCHAR(10) NOT NULL,
  is_read TINYINT NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (subscription_id, n),
  UNIQUE KEY one (subscription_id, item_id, revision, told)
);
-- `read_to`: its place in the journal of its subscription, or in the log of changes of its database. `account`: the first one that it
-- listened to.
CREATE TABLE consumer (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  workflow_id BIGINT NOT NULL,
  version_id BIGINT,
  state VARCHAR(10) NOT NULL,
  subscription_id BIGINT,
  connection_id BIGINT,
  database_id BIGINT,
  account VARCHAR(300) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin,
  kinds VARCHAR(60) NOT NULL DEFAULT '',
  read_to BIGINT NOT NULL DEFAULT 0,
  cursor_from VARCHAR(500),
  since DATETIME(3),
  note LONGTEXT,
  UNIQUE KEY one (workspace_id, workflow_id),
  KEY by_subscription (subscription_id),
  KEY by_state (state)
);
INSERT INTO subscription (id, workspace_id, place, branch, connection_id, state, cursor_at, push_id, push_secret, next_check_at,
  last_check_at, problem, failures)
  SELECT id, workspace_id, container, id, connection_id, IF(state='off', 'off', 'on'), cursor_at, push_id, push_secret,
    next_check_at, last_check_at, problem, failures FROM watch;
INSERT INTO consumer (workspace_id, workflow_id, version_id, state, database_id, read_to, since, note)
  SELECT l.workspace_id, l.workflow_id, l.version_id, l.state, l.database_id, l.cursor_at, l.since, l.note FROM listening l
  LEFT JOIN watch w ON w.workspace_id=l.workspace_id AND w.workflow_id=l.workflow_id
  WHERE l.kind='record' AND (w.id IS NULL OR l.state<>'off' OR (w.state='off' AND l.since > w.since));
INSERT IGNORE INTO consumer (workspace_id, workflow_id, version_id, state, subscription_id, connection_id, kinds, cursor_from, since)
  SELECT workspace_id, workflow_id, version_id, state, id, connection_id, kinds, cursor_from, since FROM watch;
UPDATE listening SET kind='address', state='off' WHERE kind='record' AND token IS NOT NULL;
DELETE FROM listening WHERE kind='record';
ALTER TABLE listening DROP COLUMN database_id, DROP COLUMN cursor_at, DROP COLUMN note;
DROP TABLE IF EXISTS watch;
-- In which account what is caught up on lies, where that is not the first of its workflow.
ALTER TABLE catch_up ADD COLUMN account VARCHAR(300) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL DEFAULT '';
