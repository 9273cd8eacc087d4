-- Tokens that are renewed: those of one grant are known by its first, so that what was asked for or shared under one holds for the
-- next; `refresh_digest` is of what renews them.
ALTER TABLE token ADD COLUMN grant_digest BINARY(32), ADD COLUMN refresh_digest BINARY(32), ADD KEY (grant_digest), ADD KEY (refresh_digest);
UPDATE token SET grant_digest = digest;
