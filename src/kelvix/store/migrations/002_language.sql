-- How a workspace writes: its language (a name of Unicode's CLDR), and whether day or month comes first where both are possible.
ALTER TABLE workspace ADD COLUMN language VARCHAR(20) CHARACTER SET ascii NOT NULL DEFAULT 'en_GB';
ALTER TABLE workspace ADD COLUMN date_order CHAR(3) CHARACTER SET ascii NULL;
