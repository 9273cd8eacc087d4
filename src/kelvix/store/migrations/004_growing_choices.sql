-- Whether what is written to a choice field may add choices.
ALTER TABLE field ADD COLUMN grows TINYINT NOT NULL DEFAULT 0;
