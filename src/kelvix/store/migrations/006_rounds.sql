-- A line within one that is repeated is carried out once for each round: `place` has the rounds' numbers, as 3 or 3.1.
ALTER TABLE run_line ADD COLUMN place VARCHAR(40) NOT NULL DEFAULT '' AFTER line_id, DROP PRIMARY KEY,
  ADD PRIMARY KEY (run_id, line_id, place);
