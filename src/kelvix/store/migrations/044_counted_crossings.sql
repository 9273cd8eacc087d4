-- As what a crossing counts to the limits within a day: as a change, or as a deletion, where an item is put away instead, too.
-- Nothing else counts: not what a person was asked about, nor what only filled what was empty.
ALTER TABLE mirror_crossing ADD COLUMN IF NOT EXISTS counts VARCHAR(10) CHARACTER SET ascii COLLATE ascii_bin NULL,
  ADD KEY IF NOT EXISTS counted (mirror_id, side, counts, at);
UPDATE mirror_crossing SET counts=kind WHERE kind IN ('update', 'delete') AND at > NOW(3) - INTERVAL 1 DAY;
