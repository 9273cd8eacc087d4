-- A long text is kept several times: as agreed, as each side has it, and as what that stands for. Compressed, all of that is smaller
-- than the text itself; what is short is left as it is.
ALTER TABLE pair MODIFY body LONGTEXT COMPRESSED NOT NULL;
ALTER TABLE mirrored_item MODIFY fields LONGTEXT COMPRESSED NOT NULL;
ALTER TABLE mirror_crossing MODIFY body LONGTEXT COMPRESSED NOT NULL;
