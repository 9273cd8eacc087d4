-- Each change of an item has a number, so that a push and the feed tell of the same one.
ALTER TABLE item ADD COLUMN revision INT NOT NULL DEFAULT 1;
ALTER TABLE feed ADD COLUMN revision INT NOT NULL DEFAULT 1;
