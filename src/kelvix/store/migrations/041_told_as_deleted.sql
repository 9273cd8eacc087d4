-- The items that were told as deleted, among all that are to be looked at.
ALTER TABLE mirror_look ADD KEY IF NOT EXISTS of_told (mirror_id, side, told);
