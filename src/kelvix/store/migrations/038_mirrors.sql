-- Mirrors. A consumer is a workflow or one side of a mirror.
ALTER TABLE consumer
  MODIFY COLUMN workflow_id BIGINT NULL,
  ADD COLUMN mirror_id BIGINT NULL,
  ADD COLUMN side VARCHAR(5) CHARACTER SET ascii COLLATE ascii_bin NULL,
  ADD UNIQUE KEY of_mirror (mirror_id, side);
-- `state`: draft, planning, planned, on, paused, stopped, off. `stage`: how far a plan is read or carried out.
CREATE TABLE mirror (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  state VARCHAR(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  document LONGTEXT NOT NULL,
  version BIGINT NOT NULL DEFAULT 1,
  left_collection BIGINT NULL,
  right_collection BIGINT NULL,
  stage LONGTEXT NULL,
  stage_until DATETIME(3) NULL,
  stage_token CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NULL,
  reason VARCHAR(1000) NULL,
  sweep_at DATETIME(3) NULL,
  created_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  created_by VARCHAR(200) NULL,
  KEY of_workspace (workspace_id)
);
-- A collection by its account and place, so that what is known of its items is known once for all mirrors.
CREATE TABLE mirrored_collection (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  account VARCHAR(300) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  place VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  UNIQUE KEY one (workspace_id, account, place)
);
-- What is known of an item: what its fields stand for, by which edits, and how it is called and shown.
CREATE TABLE mirrored_item (
  collection_id BIGINT NOT NULL,
  item_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  workspace_id BIGINT NOT NULL,
  fields LONGTEXT NOT NULL,
  title VARCHAR(300) NOT NULL DEFAULT '',
  link VARCHAR(1000) NOT NULL DEFAULT '',
  changed_at DATETIME(3) NULL,
  changed_by VARCHAR(200) NOT NULL DEFAULT '',
  digest CHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  seen_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (collection_id, item_id)
);
-- Pairs, and items that are alone. A pair that ended stays as long as it is needed to know its items again. `keys`: what an item that
-- is alone is recognised by; `firm`: the digest of those that must be the same. `plan`: what is to be done with it first.
CREATE TABLE pair (
  n BIGINT AUTO_INCREMENT PRIMARY KEY,
  id VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  workspace_id BIGINT NOT NULL,
  mirror_id BIGINT NOT NULL,
  left_collection BIGINT NOT NULL,
  right_collection BIGINT NOT NULL,
  left_item VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
  right_item VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
  linked VARCHAR(8) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  state VARCHAR(14) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  asks VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin NULL,
  body LONGTEXT NOT NULL,
  item_keys LONGTEXT NULL,
  firm BINARY(32) NULL,
  plan VARCHAR(10) CHARACTER SET ascii COLLATE ascii_bin NULL,
  changed_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  left_open VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin AS (IF(linked='closed', NULL, left_item)) PERSISTENT,
  right_open VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin AS (IF(linked='closed', NULL, right_item)) PERSISTENT,
  UNIQUE KEY one (workspace_id, id),
  UNIQUE KEY one_left (mirror_id, left_open),
  UNIQUE KEY one_right (mirror_id, right_open),
  KEY by_state (mirror_id, state, n),
  KEY of_mirror (mirror_id),
  KEY by_plan (mirror_id, plan, n),
  KEY by_firm (mirror_id, firm),
  KEY left_kin (left_collection, left_item),
  KEY right_kin (right_collection, right_item)
);
-- A write that is meant to be made on a side, before it goes out, until its outcome is known.
CREATE TABLE mirror_intent (
  workspace_id BIGINT NOT NULL,
  idempotency_key VARCHAR(60) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  mirror_id BIGINT NOT NULL,
  side VARCHAR(5) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  collection_id BIGINT NOT NULL,
  kind VARCHAR(7) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  source VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NULL,
  item VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  in_doubt TINYINT NOT NULL DEFAULT 0,
  body LONGTEXT NOT NULL,
  at DATETIME(3) NOT NULL,
  PRIMARY KEY (workspace_id, idempotency_key),
  UNIQUE KEY one_create (mirror_id, side, source),
  KEY of_side (mirror_id, side),
  KEY of_collection (collection_id, kind)
);
-- Items that are to be looked at. `n` grows each time that one is told of again, so that a look that began before does not end it.
CREATE TABLE mirror_look (
  mirror_id BIGINT NOT NULL,
  side VARCHAR(5) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  item_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  workspace_id BIGINT NOT NULL,
  n BIGINT NOT NULL DEFAULT 1,
  turn TINYINT NOT NULL DEFAULT 0,
  told VARCHAR(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  due_at DATETIME(3) NOT NULL,
  since DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  failures INT NOT NULL DEFAULT 0,
  PRIMARY KEY (mirror_id, side, item_id),
  KEY due (turn, due_at)
);
-- Who works on an item, of all mirrors: one at a time.
CREATE TABLE mirror_lane (
  workspace_id BIGINT NOT NULL,
  lane BINARY(32) NOT NULL,
  token CHAR(32) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  until DATETIME(3) NOT NULL,
  PRIMARY KEY (workspace_id, lane),
  KEY by_token (token)
);
-- What crossed, and what a choice, a refusal or two programs kept from crossing.
CREATE TABLE mirror_crossing (
  n BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  mirror_id BIGINT NOT NULL,
  pair_id VARCHAR(40) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  kind VARCHAR(10) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  side VARCHAR(5) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  item_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  title VARCHAR(300) NOT NULL DEFAULT '',
  body LONGTEXT NOT NULL,
  delay_ms INT NULL,
  undone_by VARCHAR(200) NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  KEY of_mirror (mirror_id, n),
  KEY of_pair (mirror_id, pair_id, n),
  KEY by_kind (mirror_id, side, kind, at)
);
CREATE TABLE mirror_parity (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  mirror_id BIGINT NOT NULL,
  began_at DATETIME(3) NOT NULL,
  ended_at DATETIME(3) NULL,
  report LONGTEXT NULL,
  KEY of_mirror (mirror_id, id)
);
-- Records that were written under a key: asked for again, they are not written again.
CREATE TABLE keyed_write (
  workspace_id BIGINT NOT NULL,
  idempotency_key VARCHAR(60) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  record_id BIGINT NOT NULL,
  happened VARCHAR(12) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (workspace_id, idempotency_key)
);
