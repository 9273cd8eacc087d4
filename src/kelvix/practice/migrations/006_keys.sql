-- Keys that a person makes to paste them elsewhere have names; containers may have settings of their own.
ALTER TABLE token ADD COLUMN name VARCHAR(200) NOT NULL DEFAULT '';
ALTER TABLE container ADD COLUMN settings LONGTEXT;
