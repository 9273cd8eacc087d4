-- Which kinds of change a workflow takes in: new, changed, renamed, moved.
ALTER TABLE watch ADD COLUMN kinds VARCHAR(60) NOT NULL DEFAULT 'new';
