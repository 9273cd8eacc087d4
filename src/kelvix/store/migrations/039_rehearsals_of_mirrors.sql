-- What a mirror would do, as it was last rehearsed.
ALTER TABLE mirror ADD COLUMN IF NOT EXISTS rehearsal MEDIUMTEXT NULL;
