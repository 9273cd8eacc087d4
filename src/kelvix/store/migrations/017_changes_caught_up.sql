-- A change of an item that came while its workflow was off can be caught up on: by its number, as it is told of. 0: its arrival.
ALTER TABLE catch_up_item ADD COLUMN revision INT NOT NULL DEFAULT 0;
