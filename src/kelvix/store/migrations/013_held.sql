-- What is being looked for, to be added if it is not there: the row of one thing is locked by whoever does so.
CREATE TABLE held (
  digest BINARY(32) PRIMARY KEY
);
