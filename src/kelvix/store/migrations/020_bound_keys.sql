-- An idempotency key belongs to what was sent under it first.
ALTER TABLE idempotency ADD COLUMN IF NOT EXISTS body BINARY(32);
