-- The server of an app that has several: where a connection is to another than the usual one.
ALTER TABLE connection ADD COLUMN server VARCHAR(500);
