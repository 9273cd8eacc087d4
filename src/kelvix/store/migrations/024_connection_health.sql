-- What a connection saw last, so that a renewal ticks it again; since when its state is what it is; and since when every call by
-- it has failed, and why.
ALTER TABLE connection ADD COLUMN IF NOT EXISTS shared LONGTEXT, ADD COLUMN IF NOT EXISTS may_send TINYINT NOT NULL DEFAULT 0,
  ADD COLUMN IF NOT EXISTS state_at DATETIME(3), ADD COLUMN IF NOT EXISTS failing_since DATETIME(3),
  ADD COLUMN IF NOT EXISTS failing_why VARCHAR(1000), ADD KEY IF NOT EXISTS failing (failing_since);
