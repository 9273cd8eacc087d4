-- What renews the access of a connection before it ends, sealed as the access itself is.
ALTER TABLE connection ADD COLUMN refresh VARBINARY(8000);
