-- The practice apps' own schema. Kelvix never reads it: it reaches the apps over HTTP, as it would a real service.

CREATE TABLE account (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  name VARCHAR(200) NOT NULL,
  address VARCHAR(320) NOT NULL
);

CREATE TABLE container (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  app VARCHAR(40) NOT NULL,
  account_id BIGINT NOT NULL,
  name VARCHAR(200) NOT NULL,
  address VARCHAR(320),
  KEY (app, account_id),
  KEY (address)
);

CREATE TABLE item (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  app VARCHAR(40) NOT NULL,
  container_id BIGINT NOT NULL,
  body LONGTEXT NOT NULL,
  source LONGBLOB,
  at DATETIME(3) NOT NULL,
  deleted_at DATETIME(3),
  KEY (container_id, at)
);

CREATE TABLE counter (
  account_id BIGINT NOT NULL,
  app VARCHAR(40) NOT NULL,
  n BIGINT NOT NULL,
  PRIMARY KEY (account_id, app)
);

CREATE TABLE feed (
  account_id BIGINT NOT NULL,
  app VARCHAR(40) NOT NULL,
  seq BIGINT NOT NULL,
  container_id BIGINT NOT NULL,
  item_id BIGINT NOT NULL,
  kind VARCHAR(10) NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
  PRIMARY KEY (account_id, app, seq),
  KEY (item_id)
);

CREATE TABLE token (
  digest BINARY(32) PRIMARY KEY,
  app VARCHAR(40) NOT NULL,
  account_id BIGINT NOT NULL,
  client VARCHAR(100) NOT NULL,
  shared LONGTEXT NOT NULL,
  expires_at DATETIME(3) NOT NULL,
  revoked_at DATETIME(3)
);

CREATE TABLE code (
  digest BINARY(32) PRIMARY KEY,
  content LONGTEXT NOT NULL,
  expires_at DATETIME(3) NOT NULL
);

CREATE TABLE page_session (
  digest BINARY(32) PRIMARY KEY,
  account_id BIGINT NOT NULL,
  expires_at DATETIME(3) NOT NULL
);

CREATE TABLE subscription (
  id BIGINT AUTO_INCREMENT PRIMARY KEY,
  app VARCHAR(40) NOT NULL,
  container_id BIGINT NOT NULL,
  token_digest BINARY(32) NOT NULL,
  url VARCHAR(1000) NOT NULL,
  secret VARCHAR(100) NOT NULL,
  KEY (container_id)
);

CREATE TABLE idempotency (
  digest BINARY(32) PRIMARY KEY,
  item_id BIGINT NOT NULL,
  at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3)
);
