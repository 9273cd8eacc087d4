-- Whether whoever holds a token may send mail as its account.
ALTER TABLE token ADD COLUMN may_send TINYINT(1) NOT NULL DEFAULT 0;
