-- Runs of a rare state are found without reading all others.
ALTER TABLE run ADD KEY IF NOT EXISTS by_state (workspace_id, state, id);
