-- What crossed in all mirrors of a workspace on a day.
ALTER TABLE mirror_crossing ADD KEY IF NOT EXISTS of_day (workspace_id, at);
