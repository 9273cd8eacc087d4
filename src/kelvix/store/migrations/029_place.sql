-- Places of apps that lines work on, as they are seen beside databases. Their numbers begin where no database's ever will, so that
-- a number says which of the two it is (core/schema.py). `schema` is what their items were known to have when that was last read.
CREATE TABLE place (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  connection_id BIGINT NOT NULL,
  place VARCHAR(200) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL,
  name VARCHAR(500) NOT NULL,
  `schema` LONGTEXT NOT NULL,
  revision VARCHAR(100) NOT NULL,
  read_at DATETIME(3) NOT NULL,
  UNIQUE KEY one (workspace_id, connection_id, place)
) AUTO_INCREMENT = 1000000000000;
-- What a run is about to add to an app that is not to be there twice, by what it is known by: another run that would add the same
-- waits until this one has, and for as long after as the app needs to find it.
CREATE TABLE adding (
  digest BINARY(32) PRIMARY KEY,
  workspace_id BIGINT NOT NULL,
  run_id BIGINT NOT NULL,
  line_id VARCHAR(20) NOT NULL,
  until DATETIME(3) NOT NULL,
  KEY (workspace_id, until)
);
