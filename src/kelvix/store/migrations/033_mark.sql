-- What the items of a place were when they were looked at last, where a workflow starts by what they were before. `looked_to`: how
-- far the journal was looked through; `look_at`: when that goes on; `sweep_at`: when it is looked next for what is there no more.
CREATE TABLE mark (
  subscription_id BIGINT NOT NULL,
  item_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  kept LONGTEXT NOT NULL,
  PRIMARY KEY (subscription_id, item_id)
);
ALTER TABLE subscription ADD COLUMN keeps_marks TINYINT NOT NULL DEFAULT 0, ADD COLUMN looked_to BIGINT NOT NULL DEFAULT 0,
  ADD COLUMN look_at DATETIME(3), ADD COLUMN sweep_at DATETIME(3);
-- What a change was found to be, compared with the mark: `seen` has what was before and after, and the item as it was then.
ALTER TABLE source_change ADD COLUMN happened VARCHAR(10), ADD COLUMN seen LONGTEXT;
ALTER TABLE consumer ADD COLUMN looks TINYINT NOT NULL DEFAULT 0;
-- Items of apps settle too.
ALTER TABLE settling MODIFY record_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL;
-- What was written, so that it can be told from what others changed at the same time.
ALTER TABLE own_write ADD COLUMN item_id VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin, ADD COLUMN revision BIGINT,
  ADD COLUMN wrote LONGTEXT, ADD KEY by_item (workflow_id, item_id);
