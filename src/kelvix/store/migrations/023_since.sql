-- Since when a workflow has listened without a gap, over all its versions: what came before that was not taken.
ALTER TABLE watch ADD COLUMN IF NOT EXISTS since DATETIME(3);
ALTER TABLE listening ADD COLUMN IF NOT EXISTS since DATETIME(3);
UPDATE watch w JOIN workflow f ON f.id = w.workflow_id SET w.since = f.turned_on_at WHERE w.since IS NULL;
UPDATE listening l JOIN workflow f ON f.id = l.workflow_id SET l.since = f.turned_on_at WHERE l.since IS NULL;
