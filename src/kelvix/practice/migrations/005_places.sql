-- Containers stand within others: the lists of an area, the tables of a register. Only those that hold no others have items.
ALTER TABLE container ADD COLUMN within_id BIGINT, ADD COLUMN holds TINYINT(1) NOT NULL DEFAULT 0;
