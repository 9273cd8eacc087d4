-- Whether a watch's next call of its app has its turn, where the app asked for fewer calls.
ALTER TABLE watch ADD COLUMN turn TINYINT NOT NULL DEFAULT 0;
