-- How often a source that does not push is asked, as each workflow wishes; and when the app says that a change was made.
ALTER TABLE consumer ADD COLUMN every_seconds INT NOT NULL DEFAULT 20;
ALTER TABLE source_change ADD COLUMN made_at DATETIME(3);
