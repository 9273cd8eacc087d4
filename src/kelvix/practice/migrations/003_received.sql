-- Web requests that practice Receiver took. `digest` is of the path and the idempotency key: a repeat is known by it.
CREATE TABLE received (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  path VARCHAR(200) NOT NULL,
  method VARCHAR(10) NOT NULL,
  headers LONGTEXT NOT NULL,
  body LONGTEXT NOT NULL,
  digest BINARY(32),
  repeats INT NOT NULL DEFAULT 0,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  UNIQUE KEY (digest)
);
